//! Contacts, events, tasks and notes taken out of Outlook's files in a trunk for other programs.

use super::given_names::{Names, portable};
use super::mailboxes::{MailFolder, each_data_file, each_msg_file, flaw_of, folder_of};
use crate::not_taken::NotTaken;
use porter_formats::calendar::entry::Entry;
use porter_formats::contacts::Contact;
use porter_formats::mail::mapi::thing::{Thing, ThingKind};
use porter_formats::mail::mapi::{contact, event, task};
use porter_formats::mail::pst::mailbox::{Folder, FolderKind};
use porter_trunk::{Trunk, TrunkItem};
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

/// A kind of things that is not letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Things {
    /// People, and lists of people.
    Contacts,
    /// Events.
    Events,
    /// Tasks.
    Tasks,
    /// Notes.
    Notes,
}

/// The things of one kind that were found.
#[derive(Debug)]
pub struct ThingsFound<T> {
    /// The things, in the order of the folders.
    pub things: Vec<T>,
    /// Things of which nothing could be read.
    pub damaged: u64,
    /// Files, or parts of them, that could not be read, in words.
    pub flaws: Vec<String>,
    /// The item has files that may hold such things.
    pub may_hold_them: bool,
}

impl Things {
    fn are_in(self, folder: &Folder) -> bool {
        let kind = match self {
            Self::Contacts => FolderKind::Contacts,
            Self::Events => FolderKind::Events,
            Self::Tasks => FolderKind::Tasks,
            Self::Notes => FolderKind::Notes,
        };
        folder.kind == kind
    }
}

/// The people in an item's files of Outlook.
pub fn contacts(trunk: &dyn Trunk, item: &TrunkItem, aside: &Path) -> Result<ThingsFound<Contact>, NotTaken> {
    found((trunk, item, aside), Things::Contacts, &mut |_, thing| match thing.kind() {
        ThingKind::List => Some(contact::list(thing)),
        _ => Some(contact::contact(thing)),
    })
}

/// The events or tasks in an item's files of Outlook.
pub fn entries(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    things: Things,
    aside: &Path,
) -> Result<ThingsFound<Entry>, NotTaken> {
    let mut found = found((trunk, item, aside), things, &mut |_, thing| match things {
        Things::Tasks => Some(task::task(thing)),
        _ => event::event(thing),
    })?;
    let without_files = found.things.iter().filter(|entry| entry.files_left_out > 0);
    found.flaws.extend(without_files.map(|Entry { summary, files_left_out, .. }| {
        format!("{summary}: {files_left_out} of its files are larger than 8 MB, or cannot be read: left out")
    }));
    Ok(found)
}

/// Writes each note of an item into a file of a new folder, with the time of its last change.
pub fn take_notes(trunk: &dyn Trunk, item: &TrunkItem, to: &Path) -> Result<ThingsFound<()>, NotTaken> {
    let mut names = Names::default();
    let mut failed = None;
    let found = found((trunk, item, to), Things::Notes, &mut |folder, thing| {
        if failed.is_some() {
            return None;
        }
        let within = folder.path.iter().fold(to.to_path_buf(), |at, name| at.join(portable(name)));
        let words = thing.words();
        let subject = Some(thing.subject()).filter(|subject| !subject.trim().is_empty());
        let first: String = subject.unwrap_or_else(|| words.clone()).chars().take(60).collect();
        let name = names.within(&within, &format!("{}.txt", portable(first.trim())));
        let written = fs::create_dir_all(&within).and_then(|()| {
            let mut file = File::create_new(name)?;
            file.write_all(words.as_bytes())?;
            match thing.modified_utc() {
                Some(at) => file.set_modified(at.into()),
                None => Ok(()),
            }
        });
        failed = written.err();
        Some(())
    })?;
    match failed {
        Some(cause) => Err(cause.into()),
        None => Ok(found),
    }
}

/// Data files are unpacked in `aside`, one at a time.
fn found<T>(
    (trunk, item, aside): (&dyn Trunk, &TrunkItem, &Path),
    things: Things,
    read: &mut dyn FnMut(&MailFolder, &Thing<'_>) -> Option<T>,
) -> Result<ThingsFound<T>, NotTaken> {
    let mut found = ThingsFound { things: Vec::new(), damaged: 0, flaws: Vec::new(), may_hold_them: false };
    let any_data_files = each_data_file(trunk, item, aside, &|| true, &mut |name,
                                                                            mailbox|
     -> io::Result<()> {
        let mailbox = match mailbox {
            Ok(mailbox) => mailbox,
            Err(flaw) => {
                found.flaws.push(format!("{name}: {flaw}"));
                return Ok(());
            }
        };
        found.flaws.extend(flaw_of(name, mailbox));
        for folder in mailbox.folders.iter().filter(|folder| folder.is_of_person && things.are_in(folder)) {
            let at = folder_of(name, folder);
            for row in &folder.letters {
                let thing = mailbox.thing(row).ok().and_then(|thing| read(&at, &thing));
                match thing {
                    Some(thing) => found.things.push(thing),
                    None => found.damaged += 1,
                }
            }
        }
        Ok(())
    })?;
    let any_single = each_msg_file(trunk, item, &mut |path, thing| {
        let Some(thing) = thing else {
            found.flaws.push(format!("{}: it cannot be read", path.join("/")));
            return;
        };
        let is_one = match thing.kind() {
            ThingKind::Contact | ThingKind::List => things == Things::Contacts,
            ThingKind::Event => things == Things::Events,
            ThingKind::Task => things == Things::Tasks,
            ThingKind::Note => things == Things::Notes,
            ThingKind::Letter | ThingKind::Journal => false,
        };
        if is_one {
            let at = MailFolder { path, ..MailFolder::default() };
            match read(&at, thing) {
                Some(thing) => found.things.push(thing),
                None => found.damaged += 1,
            }
        }
    })?;
    found.may_hold_them = any_data_files | any_single;
    Ok(found)
}
