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

/// Folders of Mozilla's programs in which mailboxes are, and whether those are copies of what is on a server.
const MAILBOXES: [(&str, bool); 2] = [("Mail", false), ("ImapMail", true)];
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

    fn count(&self, item: &mut Item, machine: &Machine, go_on: &dyn Fn() -> bool) {
        let parts = item.parts.iter().filter_map(|part| item.path_of(part, machine));
        let mut letters = Letters::at(parts, &*machine.volume, go_on);
        let counts = [MESSAGES, UNREAD, ON_A_SERVER].map(|name| (name.to_owned(), letters.of(name)));
        item.counts.extend(counts.into_iter().filter(|(_, number)| *number > 0));
        item.cautions.append(&mut letters.cautions);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let mut then = item.counts.iter().filter(|count| count.files.is_empty()).peekable();
        if then.peek().is_none() {
            return;
        }
        let parts = item.parts.iter().filter_map(|part| ground.folder_of(item, part));
        let now = Letters::at(parts, &*ground.machine.volume, &|| true);
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

    /// All that is at some paths.
    fn at(paths: impl Iterator<Item = RelativePath>, volume: &dyn Volume, go_on: &dyn Fn() -> bool) -> Self {
        let mut letters = Self::default();
        paths.for_each(|at| letters.count(volume, &at, None, 0, go_on));
        letters
    }

    /// Counts what is at a path: a data file, or the mailboxes in a folder, which are copies or not. Nothing
    /// behind a link is looked at.
    fn count(
        &mut self,
        volume: &dyn Volume,
        at: &RelativePath,
        are_copies: Option<bool>,
        depth: usize,
        go_on: &dyn Fn() -> bool,
    ) {
        let Ok(found) = volume.metadata(at) else { return };
        match (found.kind, are_copies) {
            (EntryKind::File, _) if is_data_file(at) => self.count_data_file(volume, at),
            (EntryKind::File, Some(are_copies)) => self.count_mailbox(volume, at, are_copies, go_on),
            (EntryKind::Folder, _) if depth < DEEPEST => {
                let Ok(rows) = volume.list(at) else { return };
                for row in rows.into_iter().flatten() {
                    // The outermost counts: a person may call a folder of letters so.
                    let are_copies = are_copies.or_else(|| {
                        let mut boxes = MAILBOXES.iter();
                        let named = boxes.find(|(name, _)| fold::same_name(name.as_bytes(), &row.name));
                        named.map(|(_, are_copies)| *are_copies)
                    });
                    if let Ok(below) = at.join(&row.name) {
                        self.count(volume, &below, are_copies, depth + 1, go_on);
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
