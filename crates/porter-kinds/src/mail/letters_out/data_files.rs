//! Letters in Outlook's data files.

use super::{FolderTaken, LetterForm, LettersTaken, Names, Taking, portable};
use crate::forms::NotTaken;
use crate::mail::data_file;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_formats::mail::pst::letter::Letter;
use porter_formats::mail::pst::mailbox::{Folder, Mailbox};
use porter_formats::mail::pst::store;
use porter_names::RelativePath;
use porter_source::{HostFolder, Volume, VolumeFile};
use porter_trunk::{Content, ContentHasher, Entry, PieceFailed, Trunk, TrunkItem, in_pieces};
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};

impl Taking<'_> {
    /// Takes those of an item's data files. False if it has none.
    pub(super) fn data_files(&mut self, item: &TrunkItem) -> Result<bool, NotTaken> {
        let mut any = false;
        for entry in self.trunk.entries()?.flatten().filter(|entry| entry.item == item.id) {
            if !(self.go_on)() || !is_data_file(self.trunk, &entry) {
                continue;
            }
            any = true;
            let name = entry.address.path.name().unwrap_or_default();
            let name = String::from_utf8_lossy(name).into_owned();
            // Its letters are read in no order, and a trunk can only be read in one.
            let aside = tempfile::tempdir_in(self.to)?;
            unpack(self.trunk, &entry, &aside.path().join("mail"))?;
            let volume = HostFolder::open(aside.path()).map_err(io::Error::other)?;
            let file = RelativePath::from_bytes(b"mail").map_err(io::Error::other)?;
            let file = volume.open(&file).map_err(|error| io::Error::other(error.to_string()))?;
            let to = self.names.within(self.to, &name);
            let out = Out { form: self.form, to, name: &name, go_on: self.go_on };
            match out.mailbox(&*file, &mut self.taken) {
                Err(Failed::Format(flaw)) => self.taken.flaws.push(format!("{name}: {flaw}")),
                Err(Failed::Io(cause)) => return Err(cause.into()),
                Ok(()) => {}
            }
        }
        Ok(any)
    }
}

fn is_data_file(trunk: &dyn Trunk, entry: &Entry) -> bool {
    let begins = |buffer: &mut [u8]| {
        let read = trunk.open_content(entry).map(|mut content| content.read_exact(buffer));
        if matches!(read, Ok(Ok(()))) { buffer.len() } else { 0 }
    };
    let name = entry.address.path.name().unwrap_or_default();
    matches!(entry.content, Content::File { .. }) && data_file::is_one(name, entry.size_in_bytes(), &begins)
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
