//! The letters of an item on their way into mailboxes that wait for their names.

use super::folder_names::FolderNames;
use super::present::{Present, each_print};
use crate::mail::letter_choice::LetterChoice;
use crate::mail::letter_print::{LetterPrint, Printing};
use crate::mail::mailboxes::{MailFolder, MailLetter, Visitor};
use crate::receipt::letters_brought::LettersBrought;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_formats::mail::pst::mailbox::FolderKind;
use porter_names::RelativePath;
use std::collections::BTreeSet;
use std::fs::{File, OpenOptions};
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// See the module.
pub(super) struct Staging<'s> {
    aside: &'s Path,
    choice: &'s LetterChoice,
    /// The letters that were there before, but for those that this item's were found to be.
    present: Present,
    top: &'s str,
    folders: Vec<Staged>,
    /// The mailbox that is written, and which of the folders it is.
    open: Option<(MboxWriter<Counted>, usize)>,
    now: usize,
    /// Files, or parts of them, that could not be read, in words.
    pub(super) flaws: Vec<String>,
}

/// A folder, and the mailbox of what comes into it.
struct Staged {
    made: PathBuf,
    letters: LettersBrought,
    /// The prints of the letters in it.
    written: Vec<LetterPrint>,
}

/// A mailbox that waits.
pub(super) struct StagedFile {
    /// Below the program's local folders.
    pub(super) at: RelativePath,
    pub(super) made: PathBuf,
    pub(super) is_empty: bool,
}

/// All of it.
pub(super) struct AllStaged {
    pub(super) files: Vec<StagedFile>,
    pub(super) letters: Vec<LettersBrought>,
}

impl<'s> Staging<'s> {
    /// Mailboxes are made in `aside`; all folders come into one called `top`.
    pub(super) fn new(aside: &'s Path, choice: &'s LetterChoice, present: Present, top: &'s str) -> Self {
        let (folders, flaws) = (Vec::new(), Vec::new());
        Self { aside, choice, present, top, folders, open: None, now: 0, flaws }
    }

    /// Reads all mailboxes again, and fails if one does not hold the letters that were written. Mailboxes of
    /// folders come before those of the folders in them.
    pub(super) fn finish(self) -> io::Result<AllStaged> {
        let mut names = FolderNames::default();
        let mut files = Vec::new();
        let mut known = BTreeSet::new();
        for staged in &self.folders {
            let folder = &staged.letters.folder;
            // Names are given in one order, whatever is chosen.
            let at = names.file_of(folder).ok_or_else(|| io::Error::other("a folder without a name"))?;
            if staged.written.is_empty() {
                continue;
            }
            let mut prints = Vec::new();
            each_print(File::open(&staged.made)?, &mut |print| prints.push(print))?;
            let [mut written, mut read] = [staged.written.clone(), prints];
            written.sort_unstable();
            read.sort_unstable();
            if written != read {
                return Err(io::Error::other(format!("{at} does not read as it was written")));
            }
            files.push(StagedFile { at: at.clone(), made: staged.made.clone(), is_empty: false });
            known.insert(at);
        }
        let empty = self.aside.join("empty");
        File::create_new(&empty)?;
        let above: BTreeSet<RelativePath> = self
            .folders
            .iter()
            .filter(|staged| !staged.written.is_empty())
            .flat_map(|staged| (1..staged.letters.folder.len()).map(|depth| &staged.letters.folder[..depth]))
            .filter_map(|folder| names.file_of(folder))
            .filter(|at| !known.contains(at))
            .collect();
        for (number, at) in above.into_iter().enumerate() {
            let made = self.aside.join(format!("above-{number}"));
            File::create_new(&made)?;
            files.push(StagedFile { at, made, is_empty: true });
        }
        files.sort_by(|a, b| a.at.cmp(&b.at));
        Ok(AllStaged { files, letters: self.folders.into_iter().map(|staged| staged.letters).collect() })
    }

    fn now(&mut self) -> Option<&mut LettersBrought> {
        self.folders.get_mut(self.now).map(|staged| &mut staged.letters)
    }
}

impl Visitor for Staging<'_> {
    fn begin(&mut self, folder: &MailFolder) -> io::Result<bool> {
        let path: Vec<String> =
            std::iter::once(self.top.to_owned()).chain(folder.path.iter().cloned()).collect();
        self.now = match self.folders.iter().position(|staged| staged.letters.folder == path) {
            Some(known) => known,
            None => {
                let made = self.aside.join(format!("mailbox-{}", self.folders.len()));
                let letters = LettersBrought { folder: path, ..LettersBrought::default() };
                self.folders.push(Staged { made, letters, written: Vec::new() });
                self.folders.len() - 1
            }
        };
        let is_asked_for = self.choice.takes_folder(folder);
        if is_asked_for {
            let to = Counted::behind(&self.folders[self.now].made)?;
            self.open = Some((MboxWriter::new(to), self.now));
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
        let is_asked_for = self.choice.takes(letter);
        let (Some((mailbox, at)), true) = (&mut self.open, is_asked_for) else {
            self.passed_by(1);
            return Ok(());
        };
        let before = mailbox.get_mut().length_in_bytes;
        let summary = letter.summary();
        let mut printing = Printing::default();
        let envelope = Envelope { at_utc: summary.at_utc, flags: summary.flags };
        let missing = mailbox.letter(envelope, |to| letter.write(&mut Both(to, &mut printing)))?;
        let print = printing.finish();
        let staged = &mut self.folders[*at];
        staged.letters.found += 1;
        staged.letters.prints.push(print);
        if self.present.take(&print) {
            staged.letters.doubles += 1;
            mailbox.get_mut().cut_off(before)?;
        } else {
            staged.letters.written += 1;
            staged.letters.incomplete += u64::from(missing > 0);
            staged.written.push(print);
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
        match self.open.take() {
            Some((mailbox, _)) => mailbox.finish().map(drop),
            None => Ok(()),
        }
    }

    fn other(&mut self, _: &MailFolder, _: FolderKind, _: u64) {}

    fn flaw(&mut self, flaw: String) {
        self.flaws.push(flaw);
    }
}

/// Writes into both.
struct Both<'w>(&'w mut dyn Write, &'w mut Printing);

impl Write for Both<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write_all(bytes)?;
        self.1.add(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

/// A file that knows how long it is, and can be made shorter again.
struct Counted {
    to: BufWriter<File>,
    length_in_bytes: u64,
}

impl Counted {
    /// At the end of a file, which is made if it is not there.
    fn behind(path: &Path) -> io::Result<Self> {
        let mut file = OpenOptions::new().create(true).write(true).truncate(false).open(path)?;
        let length_in_bytes = file.seek(SeekFrom::End(0))?;
        Ok(Self { to: BufWriter::with_capacity(1 << 18, file), length_in_bytes })
    }

    fn cut_off(&mut self, length_in_bytes: u64) -> io::Result<()> {
        self.to.flush()?;
        self.to.get_ref().set_len(length_in_bytes)?;
        self.to.seek(SeekFrom::Start(length_in_bytes))?;
        self.length_in_bytes = length_in_bytes;
        Ok(())
    }
}

impl Write for Counted {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.to.write(bytes)?;
        self.length_in_bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.to.flush()
    }
}
