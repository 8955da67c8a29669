//! Mail: the letters that an item holds, counted where it is found and again where it landed. Carry rules
//! find the items.

use crate::catalogue::Catalogue;
use crate::caution::Caution;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::receipt::{CountReceipt, ItemReceipt};
use crate::ruled::in_one_piece;
use porter_formats::mail::{mbox, pst};
use porter_machine::Machine;
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Sequential, Volume};
use porter_trunk::TrunkItem;
use std::io::Read;

/// See the module.
pub struct Mail;

const KIND: &str = "mail";
/// The names of its numbers.
pub const MESSAGES: &str = "messages";
/// Letters that nobody has read.
pub const UNREAD: &str = "unread messages";
/// Letters that are on a server, too.
pub const ON_A_SERVER: &str = "messages that are on a server, too";

/// Folders of Mozilla's programs in which mailboxes are: those that are only here, and copies of those on a
/// server.
const MAILBOXES: [&str; 2] = ["Mail", "ImapMail"];
/// Folders in folders are not deeper in any real profile.
const DEEPEST: usize = 32;

impl Kind for Mail {
    fn name(&self) -> &'static str {
        KIND
    }

    fn find(&self, _: &Machine, _: &Catalogue) -> Vec<Item> {
        Vec::new()
    }

    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        in_one_piece(item, machine, at)
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let mut then = item.counts.iter().filter(|count| count.files.is_empty()).peekable();
        if then.peek().is_none() {
            return;
        }
        let mut now = Letters::default();
        for at in item.parts.iter().filter_map(|part| ground.folder_of(item, part)) {
            now.count(&*ground.machine.volume, &at, false, 0);
        }
        for then in then {
            row.counts.push(CountReceipt {
                name: then.name.clone(),
                captured: then.captured,
                // Letters that came since the restore are the person's.
                landed: now.of(&then.name).min(then.captured),
            });
        }
    }
}

/// Counts the letters of all items of mail.
pub(crate) fn learn(machine: &Machine, items: &mut [Item]) {
    for item in items.iter_mut().filter(|item| item.kind == KIND) {
        let mut letters = Letters::default();
        for part in &item.parts {
            if let Some(at) = item.path_of(part, machine) {
                letters.count(&*machine.volume, &at, false, 0);
            }
        }
        let counts = [MESSAGES, UNREAD, ON_A_SERVER].map(|name| (name.to_owned(), letters.of(name)));
        item.counts.extend(counts.into_iter().filter(|(_, number)| *number > 0));
        item.cautions.append(&mut letters.cautions);
    }
}

/// The letters of one item.
#[derive(Default)]
struct Letters {
    messages: u64,
    unread: u64,
    on_a_server: u64,
    cautions: Vec<Caution>,
}

impl Letters {
    fn of(&self, name: &str) -> u64 {
        match name {
            MESSAGES => self.messages,
            UNREAD => self.unread,
            ON_A_SERVER => self.on_a_server,
            _ => 0,
        }
    }

    /// Counts what is at a path: a data file, or the mailboxes in a folder. Nothing behind a link is looked
    /// at.
    fn count(&mut self, volume: &dyn Volume, at: &RelativePath, are_mailboxes: bool, depth: usize) {
        let Ok(found) = volume.metadata(at) else { return };
        match found.kind {
            EntryKind::File if is_data_file(at) => self.count_data_file(volume, at),
            EntryKind::File if are_mailboxes => self.count_mailbox(volume, at),
            EntryKind::Folder if depth < DEEPEST => {
                let Ok(rows) = volume.list(at) else { return };
                for row in rows.into_iter().flatten() {
                    let is_box = MAILBOXES.iter().any(|name| fold::same_name(name.as_bytes(), &row.name));
                    if let Ok(below) = at.join(&row.name) {
                        self.count(volume, &below, are_mailboxes || is_box, depth + 1);
                    }
                }
            }
            _ => {}
        }
    }

    fn count_data_file(&mut self, volume: &dyn Volume, at: &RelativePath) {
        let counted = volume.open(at).map_err(|error| error.to_string()).and_then(|file| {
            pst::count(&|offset, buffer| file.read_at(offset, buffer)).map_err(|error| error.to_string())
        });
        match counted {
            Ok(letters) if letters.is_copy => self.on_a_server += letters.messages,
            Ok(letters) => self.messages += letters.messages,
            Err(detail) => {
                self.cautions.push(Caution::ProfileDamaged { file: at.to_string(), detail });
            }
        }
    }

    fn count_mailbox(&mut self, volume: &dyn Volume, at: &RelativePath) {
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
        loop {
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
        let is_copy = at.steps().any(|step| fold::same_name(step, MAILBOXES[1].as_bytes()));
        if is_copy {
            self.on_a_server += letters.messages;
        } else {
            self.messages += letters.messages;
        }
        self.unread += letters.unread;
    }
}

fn is_data_file(at: &RelativePath) -> bool {
    let name = at.name().unwrap_or_default().to_ascii_lowercase();
    name.ends_with(b".pst") || name.ends_with(b".ost")
}
