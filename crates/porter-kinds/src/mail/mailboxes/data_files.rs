//! Letters in Outlook's data files.

use super::visitor::{MailFolder, MailLetter, Visitor, with_file_aside};
use crate::mail::data_file;
use crate::not_taken::NotTaken;
use crate::trunk_file::files_of;
use porter_formats::FormatError;
use porter_formats::mail::head::Summary;
use porter_formats::mail::mapi::letter::Letter;
use porter_formats::mail::pst::header::Read as ReadAt;
use porter_formats::mail::pst::mailbox::{Folder, FolderKind, Mailbox};
use porter_trunk::{Entry, Trunk, TrunkItem};
use std::io::{self, Read, Write};
use std::path::Path;

impl MailLetter for Letter<'_> {
    fn summary(&self) -> Summary {
        Letter::summary(self)
    }

    fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        Letter::write(self, to)
    }
}

/// Looks at a data file by its name, or hears why it cannot be opened.
pub(in crate::mail) type Look<'l> = dyn FnMut(&str, Result<&Mailbox<'_>, FormatError>) -> io::Result<()> + 'l;

/// Passes each data file of an item on, by its name. Its letters are read in no order, and a trunk can only
/// be read in one: it is unpacked in `aside`. False if the item has none.
pub(in crate::mail) fn each_data_file(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    aside: &Path,
    go_on: &dyn Fn() -> bool,
    look: &mut Look<'_>,
) -> Result<bool, NotTaken> {
    let mut any = false;
    for entry in files_of(trunk, item)? {
        if !go_on() || !is_data_file(trunk, &entry) {
            continue;
        }
        any = true;
        let name = entry.address.path.name().unwrap_or_default();
        let name = String::from_utf8_lossy(name).into_owned();
        with_file_aside(trunk, &entry, aside, &mut |file| {
            let read: ReadAt<'_> = &|at, buffer| file.read_at(at, buffer);
            match Mailbox::open(read) {
                Ok(mailbox) => look(&name, Ok(&mailbox)),
                Err(flaw) => look(&name, Err(flaw)),
            }
        })?;
    }
    Ok(any)
}

pub(super) fn visit(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    aside: &Path,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> Result<bool, NotTaken> {
    each_data_file(trunk, item, aside, go_on, &mut |name, mailbox| match mailbox {
        Ok(mailbox) => visit_mailbox(name, mailbox, visitor, go_on),
        Err(flaw) => {
            visitor.flaw(format!("{name}: {flaw}"));
            Ok(())
        }
    })
}

fn visit_mailbox(
    name: &str,
    mailbox: &Mailbox<'_>,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> io::Result<()> {
    if let Some(flaw) = flaw_of(name, mailbox) {
        visitor.flaw(flaw);
    }
    for folder in mailbox.folders.iter().filter(|folder| folder.is_of_person) {
        let found = folder_of(name, folder);
        if folder.kind != FolderKind::Letters {
            visitor.other(&found, folder.kind, folder.letters.len() as u64);
            continue;
        }
        if visitor.begin(&found)? {
            for row in folder.letters.iter().take_while(|_| go_on()) {
                match mailbox.thing(row) {
                    Ok(thing) => visitor.letter(&Letter::from(thing))?,
                    Err(_) => visitor.damaged(),
                }
            }
        } else {
            visitor.passed_by(folder.letters.len() as u64);
        }
        visitor.end()?;
    }
    Ok(())
}

/// The words for a mailbox whose tree is damaged.
pub(in crate::mail) fn flaw_of(name: &str, mailbox: &Mailbox<'_>) -> Option<String> {
    let pages = mailbox.damaged_pages;
    (pages > 0).then(|| {
        format!(
            "{name}: {pages} pages of the list of its letters cannot be read; what was found without them is in it"
        )
    })
}

/// The folder of a data file.
pub(in crate::mail) fn folder_of(name: &str, folder: &Folder) -> MailFolder {
    let path = std::iter::once(name.to_owned()).chain(folder.path.iter().cloned()).collect();
    MailFolder { path, role: folder.role }
}

fn is_data_file(trunk: &dyn Trunk, entry: &Entry) -> bool {
    let begins = |buffer: &mut [u8]| {
        let read = trunk.open_content(entry).map(|mut content| content.read_exact(buffer));
        if matches!(read, Ok(Ok(()))) { buffer.len() } else { 0 }
    };
    let name = entry.address.path.name().unwrap_or_default();
    data_file::is_one(name, entry.size_in_bytes(), &begins)
}
