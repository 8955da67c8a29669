//! The steps of a restore, written down before they are done.
//!
//! JSON Lines in the machine's records folder, one file per restore, named by when it began. Described in
//! `docs/journal-format.md`. An undo has nothing but these lines.

use super::line::JournalLine;
use super::name::JournalName;
use super::records::new_file;
use std::borrow::Borrow;
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// So much is handed to the system at once.
const BUFFER_IN_BYTES: usize = 64 << 10;
/// More restores than that do not begin at one moment.
const MOST_AT_ONE_TIME: u32 = 99;

/// A journal that is being kept.
pub struct Journal {
    path: PathBuf,
    to: Mutex<BufWriter<File>>,
}

impl Journal {
    /// Begins a journal in `records`, which is made if it is not there.
    pub fn begin(records: &Path, first: &JournalLine) -> io::Result<Self> {
        let JournalLine::Begin { started_utc, trunk_id, .. } = first else {
            return Err(io::Error::other("a journal begins with its beginning"));
        };
        let there = fs::read_dir(records)?.flatten().filter_map(|row| JournalName::of(&row.path()));
        let mut name = JournalName::after(there, *started_utc);
        for _ in 0..MOST_AT_ONE_TIME {
            let path = records.join(name.file_name(trunk_id));
            match new_file(&path) {
                Ok(file) => {
                    let journal =
                        Self { path, to: Mutex::new(BufWriter::with_capacity(BUFFER_IN_BYTES, file)) };
                    journal.write([first])?;
                    return Ok(journal);
                }
                Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => name = name.next(),
                Err(cause) => return Err(cause),
            }
        }
        Err(io::ErrorKind::AlreadyExists.into())
    }

    /// Goes on with the journal of a run that was cut off, behind its last whole line.
    pub fn go_on(path: &Path, line: &JournalLine) -> io::Result<Self> {
        let mut file = File::options().read(true).write(true).open(path)?;
        let end = whole_lines_in_bytes(&mut file)?;
        file.set_len(end)?;
        file.seek(SeekFrom::Start(end))?;
        let to = Mutex::new(BufWriter::with_capacity(BUFFER_IN_BYTES, file));
        let journal = Self { path: path.to_path_buf(), to };
        journal.write([line])?;
        Ok(journal)
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Writes lines and hands them to the system, before their steps are taken.
    pub fn write(&self, lines: impl IntoIterator<Item = impl Borrow<JournalLine>>) -> io::Result<()> {
        let mut to = self.to.lock().unwrap_or_else(PoisonError::into_inner);
        let mut text = Vec::new();
        for line in lines {
            text.clear();
            serde_json::to_writer(&mut text, line.borrow())?;
            text.push(b'\n');
            to.write_all(&text)?;
        }
        to.flush()
    }

    /// Sees all that was written onto the medium: no power failure then hides what was done.
    pub fn flush(&self) -> io::Result<()> {
        self.to.lock().unwrap_or_else(PoisonError::into_inner).get_ref().sync_data()
    }

    /// Writes the last line and sees the journal onto the medium.
    pub fn end(&self, finished_utc: OffsetDateTime) -> io::Result<()> {
        self.write([JournalLine::End { finished_utc }])?;
        self.to.lock().unwrap_or_else(PoisonError::into_inner).get_ref().sync_all()
    }
}

/// Where the last whole line ends: a line without its end was cut off by a power failure.
fn whole_lines_in_bytes(file: &mut File) -> io::Result<u64> {
    const STRETCH_IN_BYTES: u64 = 64 << 10;
    let mut end = file.metadata()?.len();
    while end > 0 {
        let begin = end.saturating_sub(STRETCH_IN_BYTES);
        file.seek(SeekFrom::Start(begin))?;
        let mut stretch = Vec::new();
        (&*file).take(end - begin).read_to_end(&mut stretch)?;
        if let Some(last) = stretch.iter().rposition(|byte| *byte == b'\n') {
            return Ok(begin + last as u64 + 1);
        }
        end = begin;
    }
    Ok(0)
}
