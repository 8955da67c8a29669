//! Somebody who looks at all letters of an item, and those who show them.

use crate::not_taken::NotTaken;
use porter_formats::mail::head::Summary;
use porter_formats::mail::pst::mailbox::FolderKind;
use porter_formats::mail::role::Role;
use porter_names::RelativePath;
use porter_source::{HostFolder, Volume, VolumeFile};
use porter_trunk::{Content, ContentHasher, Entry, PieceFailed, Trunk, in_pieces};
use std::fs::File;
use std::io::{self, Write};
use std::path::Path;

/// The folders of a profile of Mozilla's programs that its accounts are in.
const OF_ACCOUNTS: [&str; 2] = ["Mail", "ImapMail"];
/// Behind the name of a mailbox, the folder of those that are in it.
const OF_FOLDERS: &str = ".sbd";
/// A folder of letters.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MailFolder {
    /// The names down to it; the first may be that of a file, or of an account.
    pub path: Vec<String>,
    /// Its role.
    pub role: Role,
}

/// A letter.
pub trait MailLetter {
    /// Its line in a list.
    fn summary(&self) -> Summary;
    /// Writes it, with the line ends of the internet. Returns how many of its parts could not be read.
    fn write(&self, to: &mut dyn Write) -> io::Result<u64>;
}

/// Somebody who looks at all letters.
pub trait Visitor {
    /// A folder begins. False for one whose letters are not to be shown.
    fn begin(&mut self, folder: &MailFolder) -> io::Result<bool>;
    /// This number of its letters is not shown.
    fn passed_by(&mut self, number: u64);
    /// The next letter of it.
    fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<()>;
    /// The next letter of it, of which nothing can be read.
    fn damaged(&mut self);
    /// The folder ends.
    fn end(&mut self) -> io::Result<()>;
    /// A folder with other things: which, and how many there are.
    fn other(&mut self, folder: &MailFolder, kind: FolderKind, number: u64);
    /// A file, or a part of one, that cannot be read, in words.
    fn flaw(&mut self, flaw: String);
}

/// Copies a content out of a trunk, proved on the way.
pub(crate) fn unpack(trunk: &dyn Trunk, entry: &Entry, to: &Path) -> Result<(), NotTaken> {
    let damaged = |what: String| NotTaken::Io(io::Error::other(format!("the trunk is damaged: {what}")));
    let mut content = trunk.open_content(entry).map_err(|damage| damaged(damage.to_string()))?;
    let mut file = File::create(to)?;
    let mut hasher = ContentHasher::default();
    let copied = in_pieces(&mut *content, |piece| {
        hasher.update(piece);
        file.write_all(piece)
    });
    copied.map_err(|failed| match failed {
        PieceFailed::Reading(cause) | PieceFailed::Using(cause) => NotTaken::Io(cause),
    })?;
    match entry.content {
        Content::File { hash, .. } if hash != hasher.finish() => {
            Err(damaged(format!("`{}` is not what was captured", entry.address.path)))
        }
        _ => Ok(()),
    }
}

/// Shows a file of a trunk that is read in no order: it is unpacked in `aside`.
pub(super) fn with_file_aside(
    trunk: &dyn Trunk,
    entry: &Entry,
    aside: &Path,
    look: &mut dyn FnMut(&dyn VolumeFile) -> io::Result<()>,
) -> Result<(), NotTaken> {
    let folder = tempfile::tempdir_in(aside)?;
    unpack(trunk, entry, &folder.path().join("mail"))?;
    let volume = HostFolder::open(folder.path()).map_err(io::Error::other)?;
    let file = RelativePath::from_bytes(b"mail").map_err(io::Error::other)?;
    let file = volume.open(&file).map_err(|error| io::Error::other(error.to_string()))?;
    Ok(look(&*file)?)
}

/// Writes a letter with the line ends of the internet.
pub(super) fn written_lines(letter: &[u8], to: &mut dyn Write) -> io::Result<()> {
    for line in letter.split_inclusive(|byte| *byte == b'\n') {
        match line.strip_suffix(b"\n") {
            Some(line) => {
                to.write_all(line.strip_suffix(b"\r").unwrap_or(line))?;
                to.write_all(b"\r\n")?;
            }
            None => to.write_all(line)?,
        }
    }
    Ok(())
}

pub(super) fn names_down_to(at: &RelativePath) -> Vec<String> {
    at.steps().map(|step| String::from_utf8_lossy(step).into_owned()).collect()
}

/// The names that its program shows of a folder of letters.
pub(super) fn shown_names(at: &RelativePath) -> Vec<String> {
    let steps = names_down_to(at);
    let of_account = steps.iter().position(|step| OF_ACCOUNTS.contains(&step.as_str()));
    let begin = of_account.filter(|at| at + 2 < steps.len()).map_or(0, |at| at + 1);
    let shown = steps[begin..].iter().map(|step| step.strip_suffix(OF_FOLDERS).unwrap_or(step).to_owned());
    shown.collect()
}
