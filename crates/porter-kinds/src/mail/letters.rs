//! The letters of an item: counted where it is found, and again where it landed.

use super::data_file;
use super::data_file_facts::DataFileFacts;
use crate::caution::Caution;
use crate::profiles::ProfileFolder;
use porter_formats::mail::pst::BesideLetters;
use porter_formats::mail::{dbx, emlx, maildir, mbox};
use porter_formats::mork::{self, FolderSummary};
use porter_machine::small_file;
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed, Metadata, Sequential, Volume};
use std::io::Read;

/// The names of their numbers.
pub const MESSAGES: &str = "messages";
/// Letters that nobody has read.
pub const UNREAD: &str = "unread messages";
/// Letters that are on a server, too.
pub const ON_A_SERVER: &str = "messages kept on a server";
/// Mailboxes with letters in them.
pub const FOLDERS: &str = "folders of messages";
/// People, and lists of people.
pub const CONTACTS: &str = "contacts";
/// Events in calendars.
pub const EVENTS: &str = "events";
/// Tasks.
pub const TASKS: &str = "tasks";
/// Notes.
pub const NOTES: &str = "notes";
/// The numbers of what lies in mailboxes beside letters.
pub(super) const BESIDE_LETTERS: [&str; 4] = [CONTACTS, EVENTS, TASKS, NOTES];

/// Folders of Mozilla's programs in which mailboxes are, and whether those are copies of what is on a server.
const MAILBOXES: [(&str, bool); 2] = [("Mail", false), ("ImapMail", true)];
/// Folders in folders are not deeper in any real profile.
const DEEPEST: usize = 32;

/// The letters of one item.
#[derive(Debug, Default)]
pub struct Letters {
    messages: u64,
    unread: u64,
    on_a_server: u64,
    folders: u64,
    /// In the order of [`BESIDE_LETTERS`].
    beside_letters: [u64; 4],
    /// Files that could not be counted.
    pub cautions: Vec<Caution>,
    /// The data files among them, for themselves.
    pub data_files: Vec<DataFileFacts>,
}

impl Letters {
    /// Their numbers, with names; none that is nothing.
    pub fn counts(&self) -> Vec<(String, u64)> {
        let all = [
            (MESSAGES, self.messages),
            (UNREAD, self.unread),
            (ON_A_SERVER, self.on_a_server),
            (FOLDERS, self.folders),
        ];
        let beside = BESIDE_LETTERS.into_iter().zip(self.beside_letters);
        let found = all.into_iter().chain(beside).filter(|(_, number)| *number > 0);
        found.map(|(name, number)| (name.to_owned(), number)).collect()
    }

    /// Adds all that is at a path. It ends early once `go_on` says no.
    pub fn add(&mut self, volume: &dyn Volume, at: &RelativePath, go_on: &dyn Fn() -> bool) {
        self.count_path(volume, at, None, go_on);
    }

    /// Adds the mailboxes of a folder that has none of the names that tell what is in it.
    pub fn add_mailboxes(&mut self, volume: &dyn Volume, at: &RelativePath, go_on: &dyn Fn() -> bool) {
        self.count_path(volume, at, Some(false), go_on);
    }

    /// Adds the mailboxes of a profile. Nothing else of it is looked at: a browser's has thousands of files.
    pub fn add_profile(&mut self, profile: &ProfileFolder<'_>, go_on: &dyn Fn() -> bool) {
        for name in profile.names_in("") {
            if let (Some(are_copies), Some(at)) = (mailboxes_in(name.as_bytes()), profile.path(&name)) {
                self.count_path(profile.volume, &at, Some(are_copies), go_on);
            }
        }
    }

    fn count_path(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        are_copies: Option<bool>,
        go_on: &dyn Fn() -> bool,
    ) {
        if let Ok(found) = volume.metadata(at) {
            self.count(volume, (at, &found), are_copies, 0, go_on);
        }
    }

    /// Counts what is at a path: a data file, or the mailboxes in a folder, which are copies or not. Nothing
    /// behind a link is looked at.
    fn count(
        &mut self,
        volume: &dyn Volume,
        (at, found): (&RelativePath, &Metadata),
        are_copies: Option<bool>,
        depth: usize,
        go_on: &dyn Fn() -> bool,
    ) {
        match (found.kind, are_copies) {
            (EntryKind::File, _) if is_data_file(volume, at, found.size_in_bytes) => {
                self.count_data_file(volume, at, found);
            }
            (EntryKind::File, _) if is_store(at) => self.count_store(volume, at),
            (EntryKind::File, Some(are_copies)) => match indexed(volume, at, found) {
                Some(summary) => self.add_folder(summary.messages, summary.unread, are_copies),
                None => self.count_mailbox(volume, at, are_copies, go_on),
            },
            (EntryKind::Folder, _) if depth < DEEPEST => {
                let Ok(rows) = volume.list(at) else { return };
                let mut rows: Vec<_> = rows.into_iter().flatten().collect();
                if is_maildir(&rows) {
                    self.count_maildir(volume, at, are_copies.unwrap_or(false), go_on);
                    rows.retain(|row| !["cur", "new", "tmp"].iter().any(|name| row.name == name.as_bytes()));
                }
                if are_copies.is_none() {
                    self.count_letter_files(volume, at, &rows, go_on);
                }
                for row in rows {
                    // The outermost counts: a person may call a folder of letters so.
                    let are_copies = are_copies.or_else(|| mailboxes_in(&row.name));
                    if let Ok(below) = at.join(&row.name) {
                        self.count(volume, (&below, &row.metadata), are_copies, depth + 1, go_on);
                    }
                }
            }
            _ => {}
        }
    }

    fn count_data_file(&mut self, volume: &dyn Volume, at: &RelativePath, found: &Metadata) {
        match data_file::count(volume, at) {
            Ok(letters) => {
                if letters.damaged_pages > 0 {
                    let detail = format!("{} pages of the list of its letters", letters.damaged_pages);
                    self.cautions.push(Caution::ProfileDamaged { file: at.to_string(), detail });
                }
                self.data_files.push(DataFileFacts::of(at, &letters, found.modified_utc));
                self.folders += letters.folders;
                let BesideLetters { contacts, events, tasks, notes } = letters.beside;
                let beside = [contacts, events, tasks, notes];
                self.beside_letters.iter_mut().zip(beside).for_each(|(sum, number)| *sum += number);
                *(if letters.is_copy { &mut self.on_a_server } else { &mut self.messages }) +=
                    letters.messages;
            }
            Err(detail) => {
                self.cautions.push(Caution::ProfileDamaged { file: at.to_string(), detail });
            }
        }
    }

    /// Counts the letters in a store of Outlook Express.
    fn count_store(&mut self, volume: &dyn Volume, at: &RelativePath) {
        let counted = volume.open(at).map_err(|error| error.to_string()).and_then(|file| {
            dbx::count(&|offset, buffer| file.read_at(offset, buffer)).map_err(|error| error.to_string())
        });
        let detail = match counted {
            Ok(found) => {
                let letters = found.unwrap_or_default();
                self.add_folder(letters.messages, 0, false);
                if letters.damaged_nodes == 0 {
                    return;
                }
                format!("{} pieces of the list of its letters", letters.damaged_nodes)
            }
            Err(detail) => detail,
        };
        self.cautions.push(Caution::ProfileDamaged { file: at.to_string(), detail });
    }

    /// Counts the letters among the files of a folder: those of Apple Mail, of the mail programs that came
    /// with Windows, and those that have numbers for names. Only the first say whether they were read.
    fn count_letter_files(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        rows: &[Listed],
        go_on: &dyn Fn() -> bool,
    ) {
        let (mut messages, mut unread) = (0, 0);
        let mut tail = vec![0; emlx::TAIL_IN_BYTES];
        for row in rows.iter().filter(|row| row.metadata.kind == EntryKind::File) {
            let name = row.name.to_ascii_lowercase();
            if name.ends_with(b".emlx") && go_on() {
                let from = row.metadata.size_in_bytes.saturating_sub(tail.len() as u64);
                let file = at.join(&row.name).ok().and_then(|path| volume.open(&path).ok());
                let read = file.and_then(|file| file.read_at(from, &mut tail).ok()).unwrap_or_default();
                let flags = emlx::flags(&tail[..read]);
                messages += u64::from(!flags.is_deleted);
                unread += u64::from(!flags.is_deleted && !flags.of_letter.is_read);
            } else if name.ends_with(b".eml") {
                messages += 1;
            }
        }
        if is_mh(rows) {
            let is_letter = |row: &&Listed| {
                row.metadata.kind == EntryKind::File && row.name.iter().all(u8::is_ascii_digit)
            };
            messages += rows.iter().filter(is_letter).count() as u64;
        }
        // As Apple Mail names the folders of accounts.
        let is_copy = |step: &[u8]| [&b"IMAP-"[..], b"EWS-"].iter().any(|begin| step.starts_with(begin));
        self.add_folder(messages, unread, at.steps().any(is_copy));
    }

    /// Counts letters of a file each.
    fn count_maildir(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        are_copies: bool,
        go_on: &dyn Fn() -> bool,
    ) {
        let (mut messages, mut unread) = (0, 0);
        let mut beginning = vec![0; maildir::HEAD_IN_BYTES];
        for folder in maildir::FOLDERS {
            let Ok(folder_at) = at.join(folder.as_bytes()) else { continue };
            for row in volume.list(&folder_at).into_iter().flatten().flatten() {
                if row.metadata.kind != EntryKind::File || !go_on() {
                    continue;
                }
                messages += 1;
                let Ok(letter) = folder_at.join(&row.name) else { continue };
                let read = volume
                    .open(&letter)
                    .map_err(|error| error.to_string())
                    .and_then(|file| file.read_at(0, &mut beginning).map_err(|error| error.to_string()));
                match read {
                    Ok(read) => {
                        unread += u64::from(maildir::is_unread(folder, &row.name, &beginning[..read]));
                    }
                    Err(detail) => {
                        self.cautions.push(Caution::ProfileDamaged { file: letter.to_string(), detail });
                    }
                }
            }
        }
        self.add_folder(messages, unread, are_copies);
    }

    fn add_folder(&mut self, messages: u64, unread: u64, are_copies: bool) {
        self.folders += u64::from(messages > 0);
        *(if are_copies { &mut self.on_a_server } else { &mut self.messages }) += messages;
        self.unread += unread;
    }

    fn count_mailbox(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        is_copy: bool,
        go_on: &dyn Fn() -> bool,
    ) {
        /// Enough that each piece is one question to the drive.
        const PIECE_IN_BYTES: usize = 1 << 20;
        let Ok(file) = volume.open(at) else { return };
        let mut beginning = [0; 5];
        if !file.read_at(0, &mut beginning).is_ok_and(|read| mbox::is_one(&beginning[..read])) {
            return;
        }
        let mut counter = mbox::Counter::default();
        let mut file = Sequential::new(file);
        let mut piece = vec![0; PIECE_IN_BYTES];
        while go_on() {
            match file.read(&mut piece) {
                Ok(0) => break,
                Ok(read) => counter.feed(&piece[..read]),
                Err(cause) => {
                    let detail = cause.to_string();
                    self.cautions.push(Caution::ProfileDamaged { file: at.to_string(), detail });
                    break;
                }
            }
        }
        let letters = counter.letters();
        self.add_folder(letters.messages, letters.unread, is_copy);
    }
}

/// Whether the mailboxes in a folder of this name are copies; none if its name does not promise any.
fn mailboxes_in(folder: &[u8]) -> Option<bool> {
    let named = MAILBOXES.iter().find(|(name, _)| fold::same_name(name.as_bytes(), folder));
    named.map(|(_, are_copies)| *are_copies)
}

/// The words of the index of a mailbox, if it was made of the mailbox as it is: its program shows these
/// numbers, and marks that are not in the mailbox yet are among them.
fn indexed(volume: &dyn Volume, at: &RelativePath, mailbox: &Metadata) -> Option<FolderSummary> {
    let name = [at.name()?, b".msf"].concat();
    let index = small_file::read(volume, &at.parent()?.join(&name).ok()?)?;
    let summary = mork::folder_summary(&index).ok()??;
    let modified_in_seconds = mailbox.modified_utc?.unix_timestamp();
    let is_of_it = summary.mailbox_in_bytes == mailbox.size_in_bytes
        && summary.mailbox_modified_in_seconds == modified_in_seconds;
    is_of_it.then_some(summary)
}

/// True for what is in a folder whose letters are a file each.
fn is_maildir(rows: &[Listed]) -> bool {
    let has = |name: &str| {
        rows.iter().any(|row| row.metadata.kind == EntryKind::Folder && row.name == name.as_bytes())
    };
    has(maildir::FOLDERS[0]) && (has(maildir::FOLDERS[1]) || has("tmp"))
}

/// The files that programs keep beside letters whose names are numbers.
pub(super) const BESIDE_NUMBERS: [&[u8]; 5] =
    [b".mh_sequences", b".claws_mark", b".claws_cache", b".sylpheed_mark", b".sylpheed_cache"];

/// True for a folder of letters whose names are numbers.
fn is_mh(rows: &[Listed]) -> bool {
    rows.iter().any(|row| BESIDE_NUMBERS.contains(&row.name.as_slice()))
}

/// True for a store of Outlook Express, by its name.
fn is_store(at: &RelativePath) -> bool {
    at.name().is_some_and(|name| name.to_ascii_lowercase().ends_with(b".dbx"))
}

/// By name, so that one that cannot be understood is named; or by how it begins.
fn is_data_file(volume: &dyn Volume, at: &RelativePath, size_in_bytes: u64) -> bool {
    let name = at.name().unwrap_or_default();
    let begins = |buffer: &mut [u8]| {
        volume.open(at).ok().and_then(|file| file.read_at(0, buffer).ok()).unwrap_or_default()
    };
    data_file::is_named_so(name) || data_file::is_one(name, size_in_bytes, &begins)
}
