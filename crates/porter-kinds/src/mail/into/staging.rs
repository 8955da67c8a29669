//! The letters of an item on their way into mailboxes, or files of their own, that wait for their names.

use super::folder_names::{FolderNames, Naming};
use super::present::{Present, each_print};
use crate::mail::given_names::Names;
use crate::mail::letter_choice::LetterChoice;
use crate::mail::letter_print::{LetterPrint, Printing};
use crate::mail::letters_out::{FolderWriter, LetterForm};
use crate::mail::mailboxes::{MailFolder, MailLetter, Visitor};
use crate::receipt::letters_brought::LettersBrought;
use porter_formats::mail::mbox_reader::without_marks;
use porter_formats::mail::mbox_writer::{Envelope, Marks, MboxWriter};
use porter_formats::mail::pst::mailbox::FolderKind;
use porter_names::RelativePath;
use std::collections::BTreeSet;
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// See the module.
pub(super) struct Staging<'s> {
    aside: &'s Path,
    choice: &'s LetterChoice,
    /// The letters that were there before, but for those that this item's were found to be.
    present: Present,
    form: StagedForm,
    /// The folder that all others come into; none if they have one already.
    top: Option<&'s str>,
    folders: Vec<Staged>,
    /// The names of letters with files of their own.
    names: Names,
    /// The mailbox that is written, and which of the folders it is.
    open: Option<(MboxWriter<Counted>, usize)>,
    now: usize,
    /// Files, or parts of them, that could not be read, in words.
    pub(super) flaws: Vec<String>,
}

/// The form of the letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum StagedForm {
    /// Mailboxes, with the marks of a program.
    Mailboxes(Naming, Marks),
    /// A file for each letter.
    Files(LetterForm),
}

/// A folder, and the mailbox of what comes into it.
struct Staged {
    made: PathBuf,
    letters: LettersBrought,
    /// The prints of the letters in it.
    written: Vec<LetterPrint>,
    /// The files of letters that have such, and who writes them.
    files: Vec<PathBuf>,
    writer: Option<FolderWriter>,
}

/// A mailbox that waits.
pub(super) struct StagedFile {
    /// Below the program's local folders.
    pub(super) at: RelativePath,
    pub(super) made: PathBuf,
    pub(super) is_empty: bool,
    /// A letter alone, and not a mailbox.
    pub(super) is_one_letter: bool,
}

/// All of it.
pub(super) struct AllStaged {
    pub(super) files: Vec<StagedFile>,
    pub(super) letters: Vec<LettersBrought>,
}

impl<'s> Staging<'s> {
    /// All is made in `aside`.
    pub(super) fn new(
        aside: &'s Path,
        choice: &'s LetterChoice,
        present: Present,
        form: StagedForm,
        top: Option<&'s str>,
    ) -> Self {
        let (folders, flaws, names) = (Vec::new(), Vec::new(), Names::default());
        Self { aside, choice, present, form, top, folders, names, open: None, now: 0, flaws }
    }

    /// Where letters with files of their own are made.
    fn letters_at(&self) -> PathBuf {
        self.aside.join("letters")
    }

    /// Reads all mailboxes again, and fails if one does not hold the letters that were written. Mailboxes of
    /// folders come before those of the folders in them.
    pub(super) fn finish(self) -> io::Result<AllStaged> {
        let StagedForm::Mailboxes(naming, _) = self.form else { return self.finish_files() };
        let mut names = FolderNames::new(naming);
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
            files.push(StagedFile {
                at: at.clone(),
                made: staged.made.clone(),
                is_empty: false,
                is_one_letter: false,
            });
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
            files.push(StagedFile { at, made, is_empty: true, is_one_letter: false });
        }
        files.sort_by(|a, b| a.at.cmp(&b.at));
        Ok(AllStaged { files, letters: self.folders.into_iter().map(|staged| staged.letters).collect() })
    }

    fn finish_files(self) -> io::Result<AllStaged> {
        let above = self.letters_at();
        let mut files = Vec::new();
        for made in self.folders.iter().flat_map(|staged| &staged.files) {
            let below = made.strip_prefix(&above).map_err(io::Error::other)?;
            let steps = below.iter().map(porter_names::host::name_from_host);
            let at = steps.into_iter().try_fold(RelativePath::root(), |at, step| at.join(&step));
            files.push(StagedFile {
                at: at.map_err(io::Error::other)?,
                made: made.clone(),
                is_empty: false,
                is_one_letter: true,
            });
        }
        Ok(AllStaged { files, letters: self.folders.into_iter().map(|staged| staged.letters).collect() })
    }

    /// Writes a letter into a file of its own.
    fn letter_in_file(&mut self, letter: &dyn MailLetter) -> io::Result<()> {
        let Some(staged) = self.folders.get_mut(self.now) else { return Ok(()) };
        let Some(writer) = &mut staged.writer else { return Ok(()) };
        let written = writer.letter(letter)?;
        let made = written.at.ok_or_else(|| io::Error::other("a letter without a file"))?;
        // As a check will read it.
        let print = LetterPrint::of(&without_marks(&fs::read(&made)?));
        staged.letters.found += 1;
        staged.letters.prints.push(print);
        if self.present.take(&print) {
            staged.letters.doubles += 1;
            return fs::remove_file(made);
        }
        staged.letters.written += 1;
        staged.letters.incomplete += u64::from(written.missing > 0);
        staged.files.push(made);
        Ok(())
    }

    fn now(&mut self) -> Option<&mut LettersBrought> {
        self.folders.get_mut(self.now).map(|staged| &mut staged.letters)
    }
}

impl Visitor for Staging<'_> {
    fn begin(&mut self, folder: &MailFolder) -> io::Result<bool> {
        let top = self.top.or_else(|| folder.path.is_empty().then_some("Letters"));
        let path: Vec<String> =
            top.map(str::to_owned).into_iter().chain(folder.path.iter().cloned()).collect();
        self.now = match self.folders.iter().position(|staged| staged.letters.folder == path) {
            Some(known) => known,
            None => {
                let made = self.aside.join(format!("mailbox-{}", self.folders.len()));
                let letters = LettersBrought { folder: path, ..LettersBrought::default() };
                let (written, files) = (Vec::new(), Vec::new());
                self.folders.push(Staged { made, letters, written, files, writer: None });
                self.folders.len() - 1
            }
        };
        let is_asked_for = self.choice.takes_folder(folder);
        let above = self.letters_at();
        let Some(staged) = self.folders.get_mut(self.now).filter(|_| is_asked_for) else { return Ok(false) };
        match self.form {
            StagedForm::Mailboxes(_, marks) => {
                let to = Counted::behind(&staged.made)?;
                self.open = Some((MboxWriter::new(to).with_marks(marks), self.now));
            }
            StagedForm::Files(form) if staged.writer.is_none() => {
                let path = &staged.letters.folder;
                staged.writer = Some(FolderWriter::begin(form, &above, &mut self.names, path)?);
            }
            StagedForm::Files(_) => {}
        }
        Ok(true)
    }

    fn passed_by(&mut self, number: u64) {
        if let Some(now) = self.now() {
            now.found += number;
            now.left_out += number;
        }
    }

    fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<()> {
        let is_asked_for = self.choice.takes(letter);
        if is_asked_for && matches!(self.form, StagedForm::Files(_)) {
            return self.letter_in_file(letter);
        }
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
