//! Putting made-up things on the disk, with their dates and attributes.

use crate::dice::Dice;
use crate::host;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use time::macros::datetime;
use time::{Duration, OffsetDateTime};

/// A machine's drive that is being built.
pub struct Tree {
    root: PathBuf,
    /// The folder of the last file: most files come one after the other in the same.
    last_folder: PathBuf,
    newest_utc: OffsetDateTime,
}

/// The attributes that Windows gives a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Not shown.
    Hidden,
    /// The system's: not shown, and hidden.
    System,
    /// Not to be written to.
    ReadOnly,
}

impl Tree {
    /// A drive in `root`, which must not be there yet. Dates lie between 2012 and `newest_utc`.
    pub fn begin(root: &Path, newest_utc: OffsetDateTime) -> io::Result<Self> {
        if let Some(above) = root.parent() {
            fs::create_dir_all(above)?;
        }
        fs::create_dir(root)?;
        Ok(Self { root: root.to_path_buf(), last_folder: PathBuf::new(), newest_utc })
    }

    fn host(&self, path: &str) -> PathBuf {
        path.split('/').fold(self.root.clone(), |at, step| at.join(step))
    }

    /// Makes a folder and those above it.
    pub fn folder(&mut self, path: &str) -> io::Result<()> {
        fs::create_dir_all(self.host(path))
    }

    /// Makes a file, dated by chance.
    pub fn file(&mut self, path: &str, content: &[u8]) -> io::Result<()> {
        let mut dice = Dice::named(path);
        let span_in_seconds = (self.newest_utc - datetime!(2012-03-05 08:00 UTC)).whole_seconds().max(1);
        let back = Duration::seconds((dice.roll() % span_in_seconds.unsigned_abs()) as i64);
        self.dated_file(
            path,
            content,
            self.newest_utc - back + Duration::nanoseconds(100 * dice.below(10_000_000) as i64),
        )
    }

    /// Makes a file with a given date.
    pub fn dated_file(&mut self, path: &str, content: &[u8], modified_utc: OffsetDateTime) -> io::Result<()> {
        let host = self.host(path);
        if let Some(folder) = host.parent()
            && self.last_folder != folder
        {
            fs::create_dir_all(folder)?;
            self.last_folder = folder.to_path_buf();
        }
        fs::write(&host, content)?;
        fs::File::options().write(true).open(&host)?.set_modified(modified_utc.into())
    }

    /// Makes a link. Where the system does not let us make one, there is none.
    pub fn link(&mut self, path: &str, target: &str) -> io::Result<()> {
        let at = self.host(path);
        if let Some(folder) = at.parent() {
            fs::create_dir_all(folder)?;
        }
        host::make_link(target, &at)
    }

    /// Marks a thing. File systems that keep no marks stay without.
    pub fn mark(&mut self, path: &str, mark: Mark) -> io::Result<()> {
        let path = self.host(path);
        if mark == Mark::ReadOnly {
            let mut permissions = fs::metadata(&path)?.permissions();
            permissions.set_readonly(true);
            return fs::set_permissions(&path, permissions);
        }
        host::mark_hidden(&path, mark == Mark::System);
        Ok(())
    }

    /// Gives the folders their dates, the same in every run.
    pub fn finish(self) -> io::Result<()> {
        let mut folders = vec![self.root.clone()];
        let mut at = 0;
        while at < folders.len() {
            for row in fs::read_dir(&folders[at])? {
                let row = row?;
                if row.file_type()?.is_dir() {
                    folders.push(row.path());
                }
            }
            at += 1;
        }
        for folder in folders.iter().rev() {
            let below_root = folder.strip_prefix(&self.root).unwrap_or(folder);
            let mut dice = Dice::named(&below_root.to_string_lossy().replace('\\', "/"));
            let modified_utc = self.newest_utc - Duration::seconds(dice.below(40_000_000) as i64);
            host::set_folder_time(folder, modified_utc)?;
        }
        Ok(())
    }
}
