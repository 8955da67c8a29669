//! The letters of an item of a trunk, listed: its folders, the letters of one, and one letter.

use super::mailboxes::{MailFolder, MailLetter, Visitor, visit};
use crate::not_taken::NotTaken;
use porter_formats::mail::head::Summary;
pub use porter_formats::mail::pst::mailbox::FolderKind;
use porter_trunk::{Trunk, TrunkItem};
use std::io::{self, Write};

/// A longer letter is shown as far as this.
pub const MOST_SHOWN_IN_BYTES: usize = 64 << 20;

/// A folder, and what is in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FolderListed {
    /// The names down to it.
    pub folder: MailFolder,
    /// How many letters, or other things, there are.
    pub number: u64,
    /// The kind of what is in it.
    pub kind: FolderKind,
}

/// A letter of a list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LetterListed {
    /// Its line in the list. None if it cannot be read.
    pub summary: Option<Summary>,
    /// Its length as other programs write it.
    pub size_in_bytes: u64,
}

/// The result of a listing.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Listed {
    /// All folders.
    pub folders: Vec<FolderListed>,
    /// The letters of the folder that was asked for, in the order in which `take` numbers them.
    pub letters: Vec<LetterListed>,
    /// The letter that was asked for; as much of it as is shown.
    pub letter: Option<Vec<u8>>,
    /// Files, or parts of them, that cannot be read, in words.
    pub flaws: Vec<String>,
}

/// The part of an item that is listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wanted<'w> {
    /// Its folders.
    Folders,
    /// The letters of a folder.
    Letters(&'w MailFolder),
    /// One letter, from 1.
    Letter(&'w MailFolder, u64),
}

/// Lists what is wanted of an item's letters.
pub fn list(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    wanted: Wanted<'_>,
    go_on: &dyn Fn() -> bool,
) -> Result<Listed, NotTaken> {
    let aside = tempfile::TempDir::with_prefix("porter-")?;
    let mut listing = Listing { wanted, listed: Listed::default() };
    if visit(trunk, item, aside.path(), &mut listing, go_on)? {
        Ok(listing.listed)
    } else {
        Err(NotTaken::NotOfItem(item.id.clone()))
    }
}

struct Listing<'w> {
    wanted: Wanted<'w>,
    listed: Listed,
}

impl Listing<'_> {
    fn count(&mut self, number: u64) {
        if let Some(now) = self.listed.folders.last_mut() {
            now.number += number;
        }
    }

    /// True for the letter that comes now, if it is the one that is wanted.
    fn is_wanted(&self) -> bool {
        let number = self.listed.folders.last().map_or(0, |now| now.number);
        matches!(self.wanted, Wanted::Letter(_, wanted) if wanted == number)
    }
}

impl Visitor for Listing<'_> {
    fn begin(&mut self, folder: &MailFolder) -> io::Result<bool> {
        self.listed.folders.push(FolderListed {
            folder: folder.clone(),
            number: 0,
            kind: FolderKind::Letters,
        });
        Ok(match self.wanted {
            Wanted::Folders => false,
            Wanted::Letters(wanted) | Wanted::Letter(wanted, _) => wanted == folder,
        })
    }

    fn passed_by(&mut self, number: u64) {
        self.count(number);
    }

    fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<()> {
        self.count(1);
        match self.wanted {
            Wanted::Letters(_) => {
                let mut length = Length(0);
                letter.write(&mut length)?;
                self.listed
                    .letters
                    .push(LetterListed { summary: Some(letter.summary()), size_in_bytes: length.0 });
            }
            Wanted::Letter(..) if self.is_wanted() => {
                let mut beginning = Beginning(Vec::new());
                letter.write(&mut beginning)?;
                self.listed.letter = Some(beginning.0);
            }
            _ => {}
        }
        Ok(())
    }

    fn damaged(&mut self) {
        self.count(1);
        self.listed.letters.push(LetterListed::default());
    }

    fn end(&mut self) -> io::Result<()> {
        Ok(())
    }

    fn other(&mut self, folder: &MailFolder, kind: FolderKind, number: u64) {
        self.listed.folders.push(FolderListed { folder: folder.clone(), number, kind });
    }

    fn flaw(&mut self, flaw: String) {
        self.listed.flaws.push(flaw);
    }
}

/// Counts what is written.
struct Length(u64);

impl Write for Length {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0 += bytes.len() as u64;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Keeps the beginning of what is written.
struct Beginning(Vec<u8>);

impl Write for Beginning {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let room = MOST_SHOWN_IN_BYTES.saturating_sub(self.0.len());
        self.0.extend_from_slice(&bytes[..bytes.len().min(room)]);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
