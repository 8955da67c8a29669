//! The letters that a program of Mozilla's has in its own folders, by their prints.

use crate::mail::letter_print::{LetterPrint, Printing};
use porter_formats::mail::mbox_reader::{MboxReader, without_marks};
use porter_formats::mail::{maildir, mbox};
use porter_names::RelativePath;
use porter_source::{EntryKind, ReadError, Sequential, Volume, VolumeFile};
use std::collections::HashMap;
use std::io::{self, BufReader, Read};

/// Folders in folders: more than programs make.
const DEEPEST: usize = 64;
/// A letter of a file of its own is read as one.
const LONGEST_LETTER_IN_BYTES: u64 = 256 << 20;

/// How often each letter is there.
#[derive(Debug, Default)]
pub(in crate::mail) struct Present(HashMap<LetterPrint, u64>);

impl Present {
    /// All letters in the mailboxes and Maildirs below a folder. A folder that is not there has none; one
    /// that cannot be read is an error: nobody may take it for empty.
    pub(in crate::mail) fn below(
        volume: &dyn Volume,
        at: &RelativePath,
        go_on: &dyn Fn() -> bool,
    ) -> Result<Self, ReadError> {
        let mut present = Self::default();
        if volume.metadata(at).is_ok() {
            present.look(volume, at, 0, go_on)?;
        }
        Ok(present)
    }

    /// True for one more letter that was there.
    pub(in crate::mail) fn take(&mut self, print: &LetterPrint) -> bool {
        match self.0.get_mut(print) {
            Some(number) if *number > 0 => {
                *number -= 1;
                true
            }
            _ => false,
        }
    }

    fn look(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        depth: usize,
        go_on: &dyn Fn() -> bool,
    ) -> Result<(), ReadError> {
        let holds_letters =
            at.name().is_some_and(|name| maildir::FOLDERS.iter().any(|own| own.as_bytes() == name));
        for row in volume.list(at)? {
            let row = row?;
            let Ok(below) = at.join(&row.name) else { continue };
            let failed = |cause: io::Error| ReadError::new(&below, cause);
            match row.metadata.kind {
                EntryKind::Folder if depth < DEEPEST => self.look(volume, &below, depth + 1, go_on)?,
                EntryKind::File if !go_on() => return Ok(()),
                EntryKind::File if holds_letters || is_one_letter(&row.name) => {
                    let mut letter = Vec::new();
                    let file = Sequential::new(volume.open(&below)?);
                    file.take(LONGEST_LETTER_IN_BYTES).read_to_end(&mut letter).map_err(failed)?;
                    self.add(LetterPrint::of(&without_marks(&letter)));
                }
                EntryKind::File if row.metadata.size_in_bytes > 0 => {
                    let file = volume.open(&below)?;
                    if is_mailbox(&*file).map_err(failed)? {
                        each_print(Sequential::new(file), &mut |print| self.add(print)).map_err(failed)?;
                    }
                }
                _ => {}
            }
        }
        Ok(())
    }

    fn add(&mut self, print: LetterPrint) {
        *self.0.entry(print).or_default() += 1;
    }
}

impl FromIterator<LetterPrint> for Present {
    fn from_iter<I: IntoIterator<Item = LetterPrint>>(prints: I) -> Self {
        let mut present = Self::default();
        prints.into_iter().for_each(|print| present.add(print));
        present
    }
}

/// True for a letter that waits to be imported.
fn is_one_letter(name: &[u8]) -> bool {
    [&b".eml"[..], b".msg"]
        .iter()
        .any(|ending| name.len() > 4 && name[name.len() - 4..].eq_ignore_ascii_case(ending))
}

fn is_mailbox(file: &dyn VolumeFile) -> io::Result<bool> {
    let mut beginning = [0; 5];
    let read = file.read_at(0, &mut beginning)?;
    Ok(mbox::is_one(&beginning[..read]))
}

/// Passes the print of each letter of a mailbox on.
pub(super) fn each_print(from: impl Read, found: &mut dyn FnMut(LetterPrint)) -> io::Result<()> {
    let mut reader = MboxReader::new(BufReader::with_capacity(1 << 18, from));
    while let Some(letter) = reader.next_letter()? {
        let mut printing = Printing::default();
        printing.add(&letter.head);
        printing.add(b"\r\n");
        reader.body(&mut printing)?;
        found(printing.finish());
    }
    Ok(())
}
