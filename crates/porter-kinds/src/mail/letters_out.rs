//! Letters taken out of a trunk for other programs, folder by folder.

mod folder_writer;

pub use folder_writer::{LetterForm, MAILDIR_SEPARATOR};

use super::given_names::Names;
use super::letter_choice::LetterChoice;
use super::mailboxes::{self, MailFolder, MailLetter, Visitor};
use crate::not_taken::NotTaken;
pub(in crate::mail) use folder_writer::FolderWriter;
use porter_formats::mail::pst::mailbox::FolderKind;
use porter_trunk::{Trunk, TrunkItem};
use std::io;
use std::path::Path;

/// The letters of one folder, accounted for: all that are found were written, left out or damaged.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderTaken {
    /// The names down to it.
    pub path: Vec<String>,
    /// How many are there.
    pub found: u64,
    /// How many were written, those with damaged parts too.
    pub written: u64,
    /// How many were written without all of their parts.
    pub incomplete: u64,
    /// How many were not asked for.
    pub left_out: u64,
    /// Letters of which nothing could be read.
    pub damaged: u64,
}

/// All that was taken of an item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LettersTaken {
    /// In the order of the files and folders.
    pub folders: Vec<FolderTaken>,
    /// Folders of other things, which are not taken as letters: how many are there.
    pub others: Vec<(Vec<String>, FolderKind, u64)>,
    /// Files, or parts of them, that could not be read, in words.
    pub flaws: Vec<String>,
}

/// Writes the letters of an item into a new folder. `go_on` ends it early.
pub fn take_letters(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: LetterForm,
    choice: &LetterChoice,
    to: &Path,
    go_on: &dyn Fn() -> bool,
) -> Result<LettersTaken, NotTaken> {
    let mut taking =
        Taking { form, choice, to, names: Names::default(), open: None, taken: LettersTaken::default() };
    if mailboxes::visit(trunk, item, to, &mut taking, go_on)? {
        Ok(taking.taken)
    } else {
        Err(NotTaken::NotOfItem(item.id.clone()))
    }
}

/// The letters of one item on their way.
struct Taking<'t> {
    form: LetterForm,
    choice: &'t LetterChoice,
    to: &'t Path,
    names: Names,
    /// The folder that is being written.
    open: Option<FolderWriter>,
    taken: LettersTaken,
}

impl Taking<'_> {
    fn now(&mut self) -> Option<&mut FolderTaken> {
        self.taken.folders.last_mut()
    }
}

impl Visitor for Taking<'_> {
    fn begin(&mut self, folder: &MailFolder) -> io::Result<bool> {
        self.taken.folders.push(FolderTaken { path: folder.path.clone(), ..FolderTaken::default() });
        let is_asked_for = self.choice.takes_folder(folder);
        if is_asked_for {
            self.open = Some(FolderWriter::begin(self.form, self.to, &mut self.names, &folder.path)?);
        }
        Ok(is_asked_for)
    }

    fn passed_by(&mut self, number: u64) {
        if let Some(now) = self.now() {
            now.found += number;
            now.left_out += number;
        }
    }

    fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<()> {
        let incomplete = match &mut self.open {
            Some(open) if self.choice.takes(letter) => Some(open.letter(letter)?.missing),
            _ => None,
        };
        if let Some(now) = self.now() {
            now.found += 1;
            now.left_out += u64::from(incomplete.is_none());
            now.written += u64::from(incomplete.is_some());
            now.incomplete += u64::from(incomplete.is_some_and(|parts| parts > 0));
        }
        Ok(())
    }

    fn damaged(&mut self) {
        if let Some(now) = self.now() {
            now.found += 1;
            now.damaged += 1;
        }
    }

    fn end(&mut self) -> io::Result<()> {
        self.open.take().map_or(Ok(()), FolderWriter::finish)
    }

    fn other(&mut self, folder: &MailFolder, kind: FolderKind, number: u64) {
        self.taken.others.push((folder.path.clone(), kind, number));
    }

    fn flaw(&mut self, flaw: String) {
        self.taken.flaws.push(flaw);
    }
}
