//! Letters taken out of a trunk for other programs, folder by folder: those of Outlook's data files, and
//! those that are a file each (Apple Mail, Windows Mail, Windows Live Mail).

use crate::forms::NotTaken;
use porter_formats::mail::emlx;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_formats::mail::pst::letter::Letter;
use porter_formats::mail::pst::mailbox::{Folder, Mailbox};
use porter_formats::mail::pst::{self, store};
use porter_source::{HostFolder, Volume, VolumeFile};
use porter_trunk::{Content, ContentHash, ContentHasher, Entry, PieceFailed, Trunk, TrunkItem, in_pieces};
use std::collections::HashSet;
use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

/// A form that letters can be taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LetterForm {
    /// A mailbox for each folder.
    Mbox,
    /// A file for each letter.
    Letters,
}

/// The letters of one folder, accounted for.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderTaken {
    /// The data file, and the folders down to this one.
    pub path: Vec<String>,
    /// How many are there.
    pub found: u64,
    /// How many were written, those with damaged parts too.
    pub written: u64,
    /// How many were written without all of their parts.
    pub incomplete: u64,
    /// Letters of which nothing could be read.
    pub damaged: u64,
}

/// All that was taken of an item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LettersTaken {
    /// In the order of the files and folders.
    pub folders: Vec<FolderTaken>,
    /// Folders of other things, which are not taken as letters: how many are there.
    pub others: Vec<(Vec<String>, u64)>,
    /// Data files, or parts of them, that could not be read, in words.
    pub flaws: Vec<String>,
}

/// Writes the letters of an item into a new folder. `go_on` ends it early.
pub fn take_letters(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: LetterForm,
    to: &Path,
    go_on: &dyn Fn() -> bool,
) -> Result<LettersTaken, NotTaken> {
    let mut taken = LettersTaken::default();
    let mut names = Names::default();
    let mut any = false;
    for entry in trunk.entries()?.flatten().filter(|entry| entry.item == item.id) {
        if !go_on() || !is_data_file(trunk, &entry) {
            continue;
        }
        any = true;
        let name = entry.address.path.name().unwrap_or_default();
        let name = String::from_utf8_lossy(name).into_owned();
        // Its letters are read in no order, and a trunk can only be read in one.
        let aside = tempfile::tempdir_in(to)?;
        let path = aside.path().join("mail");
        unpack(trunk, &entry, &path)?;
        let volume = HostFolder::open(aside.path()).map_err(io::Error::other)?;
        let file = volume
            .open(&porter_names::RelativePath::from_bytes(b"mail").map_err(io::Error::other)?)
            .map_err(|error| io::Error::other(error.to_string()))?;
        let out = Out { form, to: names.within(to, &name), name: &name, go_on };
        match out.mailbox(&*file, &mut taken) {
            Err(Failed::Format(flaw)) => taken.flaws.push(format!("{name}: {flaw}")),
            Err(Failed::Io(cause)) => return Err(cause.into()),
            Ok(()) => {}
        }
    }
    let single = single_letters(trunk, item)?;
    any |= !single.is_empty();
    take_single(trunk, &single, form, to, &mut names, &mut taken, go_on)?;
    if any { Ok(taken) } else { Err(NotTaken::NotOfItem(item.id.clone())) }
}

/// The letters of an item that are a file each, folder by folder.
fn single_letters(trunk: &dyn Trunk, item: &TrunkItem) -> Result<Vec<Entry>, NotTaken> {
    let is_letter = |entry: &Entry| {
        let name = entry.address.path.name().unwrap_or_default().to_ascii_lowercase();
        entry.item == item.id
            && matches!(entry.content, Content::File { .. })
            && (name.ends_with(b".emlx") || name.ends_with(b".eml"))
    };
    let mut found: Vec<Entry> = trunk.entries()?.flatten().filter(is_letter).collect();
    found.sort_by(|a, b| {
        let folder = |entry: &Entry| entry.address.path.parent().unwrap_or_default();
        (folder(a), number_in(a), &a.address.path).cmp(&(folder(b), number_in(b), &b.address.path))
    });
    Ok(found)
}

/// Letters are numbered: `9.emlx` comes before `10.emlx`.
fn number_in(entry: &Entry) -> u64 {
    let name = String::from_utf8_lossy(entry.address.path.name().unwrap_or_default()).into_owned();
    let digits: String = name.chars().take_while(char::is_ascii_digit).collect();
    digits.parse().unwrap_or(u64::MAX)
}

fn take_single(
    trunk: &dyn Trunk,
    letters: &[Entry],
    form: LetterForm,
    to: &Path,
    names: &mut Names,
    taken: &mut LettersTaken,
    go_on: &dyn Fn() -> bool,
) -> Result<(), NotTaken> {
    for folder in letters.chunk_by(|a, b| a.address.path.parent() == b.address.path.parent()) {
        let path = folder.first().and_then(|entry| entry.address.path.parent()).unwrap_or_default();
        let path: Vec<String> = path.steps().map(|step| String::from_utf8_lossy(step).into_owned()).collect();
        let mut count = FolderTaken { found: folder.len() as u64, path, ..FolderTaken::default() };
        let (last, above) =
            count.path.split_last().map_or(("Letters", &[][..]), |(last, above)| (last.as_str(), above));
        let within = above.iter().fold(to.to_path_buf(), |at, name| at.join(portable(name)));
        let ending = if form == LetterForm::Mbox { ".mbox" } else { "" };
        let at = names.within(&within, &format!("{last}{ending}"));
        fs::create_dir_all(if form == LetterForm::Mbox { &within } else { &at })?;
        let mut mailbox = match form {
            LetterForm::Mbox => Some(MboxWriter::new(BufWriter::new(File::create_new(&at)?))),
            LetterForm::Letters => None,
        };
        for (number, entry) in (1..).zip(folder) {
            if !go_on() {
                return Ok(());
            }
            let Some((letter, envelope)) = letter_in(trunk, entry) else {
                count.damaged += 1;
                continue;
            };
            match &mut mailbox {
                Some(mailbox) => mailbox.letter(envelope, |to| to.write_all(&letter))?,
                None => File::create_new(at.join(format!("{number:05}.eml")))?.write_all(&letter)?,
            }
            count.written += 1;
            count.incomplete += u64::from(entry.is_incomplete());
        }
        if let Some(mailbox) = mailbox {
            mailbox.finish()?;
        }
        taken.folders.push(count);
    }
    Ok(())
}

/// The letter in a file, and the facts in front of it. None if the file is damaged, or longer than letters
/// are.
fn letter_in(trunk: &dyn Trunk, entry: &Entry) -> Option<(Vec<u8>, Envelope)> {
    const MOST_IN_BYTES: u64 = 256 << 20;
    if entry.size_in_bytes() > MOST_IN_BYTES {
        return None;
    }
    let mut file = Vec::new();
    io::Read::read_to_end(&mut trunk.open_content(entry).ok()?, &mut file).ok()?;
    let Content::File { hash, .. } = entry.content else { return None };
    if ContentHash::of(&file) != hash {
        return None;
    }
    let is_apples = entry.address.path.name()?.to_ascii_lowercase().ends_with(b".emlx");
    let (letter, is_read) = if is_apples {
        let tail = &file[file.len().saturating_sub(emlx::TAIL_IN_BYTES)..];
        (emlx::letter(&file)?.to_vec(), emlx::flags(tail).is_read)
    } else {
        (file, true)
    };
    Some((letter, Envelope { at_utc: entry.modified_utc, is_read }))
}

fn is_data_file(trunk: &dyn Trunk, entry: &Entry) -> bool {
    if !matches!(entry.content, Content::File { .. }) {
        return false;
    }
    let mut beginning = [0; 4];
    let read =
        trunk.open_content(entry).map(|mut content| io::Read::read_exact(&mut content, &mut beginning));
    matches!(read, Ok(Ok(()))) && pst::is_one(&beginning)
}

fn unpack(trunk: &dyn Trunk, entry: &Entry, to: &Path) -> Result<(), NotTaken> {
    let mut content =
        trunk.open_content(entry).map_err(|damage| NotTaken::Io(io::Error::other(damage.to_string())))?;
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
            Err(io::Error::other("the trunk is damaged: a data file is not what was captured").into())
        }
        _ => Ok(()),
    }
}

enum Failed {
    Format(porter_formats::FormatError),
    Io(io::Error),
}

impl From<io::Error> for Failed {
    fn from(cause: io::Error) -> Self {
        Self::Io(cause)
    }
}

/// Where the letters of one data file go.
struct Out<'o> {
    form: LetterForm,
    to: PathBuf,
    name: &'o str,
    go_on: &'o dyn Fn() -> bool,
}

impl Out<'_> {
    fn mailbox(&self, file: &dyn VolumeFile, taken: &mut LettersTaken) -> Result<(), Failed> {
        let read: store::Read<'_> = &|at, buffer| file.read_at(at, buffer);
        let mailbox = Mailbox::open(read).map_err(Failed::Format)?;
        if mailbox.damaged_pages > 0 {
            let (name, pages) = (self.name, mailbox.damaged_pages);
            taken.flaws.push(format!("{name}: {pages} pages of the list of its letters cannot be read"));
        }
        let mut names = Names::default();
        for folder in mailbox.folders.iter().filter(|folder| folder.is_of_person) {
            if folder.holds_letters() {
                taken.folders.push(self.folder(&mailbox, folder, &mut names)?);
            } else {
                taken.others.push((self.path_of(folder), folder.letters.len() as u64));
            }
        }
        Ok(())
    }

    fn path_of(&self, folder: &Folder) -> Vec<String> {
        std::iter::once(self.name.to_owned()).chain(folder.path.iter().cloned()).collect()
    }

    fn folder(
        &self,
        mailbox: &Mailbox<'_>,
        folder: &Folder,
        names: &mut Names,
    ) -> Result<FolderTaken, Failed> {
        let (last, above) =
            folder.path.split_last().map_or(("Letters", &[][..]), |(last, above)| (last, above));
        let within = above.iter().fold(self.to.clone(), |at, name| at.join(portable(name)));
        fs::create_dir_all(&within)?;
        let mut count = FolderTaken {
            path: self.path_of(folder),
            found: folder.letters.len() as u64,
            ..FolderTaken::default()
        };
        match self.form {
            LetterForm::Mbox => {
                let at = names.within(&within, &format!("{last}.mbox"));
                let mut to = MboxWriter::new(BufWriter::new(File::create_new(at)?));
                self.each(mailbox, folder, &mut count, &mut |_, letter| {
                    let facts = letter.summary();
                    let envelope = Envelope { at_utc: facts.at_utc, is_read: facts.is_read };
                    to.letter(envelope, |to| letter.write(to))
                })?;
                to.finish()?;
            }
            LetterForm::Letters => {
                let within = names.within(&within, last);
                fs::create_dir_all(&within)?;
                self.each(mailbox, folder, &mut count, &mut |number, letter| {
                    let subject: String = letter.subject().chars().take(60).collect();
                    let name = format!("{number:05} {}.eml", portable(&subject));
                    let mut to = BufWriter::new(File::create_new(within.join(name))?);
                    let incomplete = letter.write(&mut to)?;
                    to.flush()?;
                    Ok(incomplete)
                })?;
            }
        }
        Ok(count)
    }

    fn each(
        &self,
        mailbox: &Mailbox<'_>,
        folder: &Folder,
        count: &mut FolderTaken,
        write: &mut dyn FnMut(usize, &Letter<'_, '_>) -> io::Result<u64>,
    ) -> Result<(), Failed> {
        for (number, row) in (1..).zip(&folder.letters) {
            if !(self.go_on)() {
                return Ok(());
            }
            let Ok(letter) = mailbox.letter(row) else {
                count.damaged += 1;
                continue;
            };
            let incomplete = write(number, &letter)?;
            count.written += 1;
            count.incomplete += u64::from(incomplete > 0);
        }
        Ok(())
    }
}

/// Names in folders, each given once.
#[derive(Default)]
struct Names(HashSet<PathBuf>);

impl Names {
    /// A path that was not given yet.
    fn within(&mut self, folder: &Path, name: &str) -> PathBuf {
        let name = portable(name);
        let (stem, ending) = match name.rsplit_once('.') {
            Some((stem, ending)) if !stem.is_empty() => (stem.to_owned(), format!(".{ending}")),
            _ => (name.clone(), String::new()),
        };
        let names = std::iter::once(name.clone())
            .chain((2..).map(|number: u32| format!("{stem} ({number}){ending}")));
        for name in names {
            let path = folder.join(&name);
            if self.0.insert(PathBuf::from(path.to_string_lossy().to_lowercase())) {
                return path;
            }
        }
        folder.join(name)
    }
}

/// A name that every file system holds.
fn portable(name: &str) -> String {
    let held = |c: char| if c.is_control() || "/\\:*?\"<>|".contains(c) { '-' } else { c };
    let name: String = name.chars().map(held).take(100).collect();
    let name = name.trim_matches([' ', '.']).to_owned();
    let stem = name.split('.').next().unwrap_or_default().to_ascii_uppercase();
    let is_device = ["CON", "PRN", "AUX", "NUL"].contains(&&*stem)
        || (stem.len() == 4 && (stem.starts_with("COM") || stem.starts_with("LPT")));
    match (name.is_empty(), is_device) {
        (true, _) => "-".to_owned(),
        (_, true) => format!("{name} -"),
        _ => name,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_can_be_held_everywhere_and_none_is_given_twice() {
        let folder = Path::new("out");
        let mut names = Names::default();
        let given = ["Inbox.mbox", "INBOX.mbox", "a/b:c", "..", "con.mbox", ""];
        let given = given.map(|name| names.within(folder, name).to_string_lossy().replace('\\', "/"));
        assert_eq!(
            given,
            ["out/Inbox.mbox", "out/INBOX (2).mbox", "out/a-b-c", "out/-", "out/con.mbox -", "out/- (2)"]
        );
    }
}
