//! A trunk against itself.

use super::CheckError;
use super::left_behind::{leave_out, note_left_behind};
use crate::events::{Cancelled, Conduct, Event, Stage};
use crate::in_order::{in_order, in_order_by_batch, workers};
use crate::proof::Listed;
use porter_kinds::receipt::{Finding, ItemReceipt, Reason, Receipt, Verdict};
use porter_names::RelativePath;
use porter_trunk::{
    Audit, Content, ContentHash, Damage, Depth, Entry, EntryRefused, PieceFailed, Tally, Trunk, TrunkContent,
    TrunkError, hash_of,
};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::hash::{BuildHasher, RandomState};
use time::OffsetDateTime;

/// Findings of a check of a trunk.
#[derive(Debug, Default)]
pub struct Proved {
    /// Each damaged place, with the entry whose content is damaged, if there is one.
    pub damage: Vec<(Option<Entry>, Damage)>,
    /// The number of files whose content was not read.
    pub files_not_read: u64,
    listed: Listed,
}

/// Proves a trunk as deep as asked, and compares its lists with each other.
///
/// The list is read once. Files that share their blocks with others are left to the audit, which then proves
/// block after block; of files with the same contents in the same places the first is read.
pub fn prove_trunk(
    trunk: &dyn Trunk,
    depth: Depth,
    stage: Stage,
    conduct: Conduct<'_>,
) -> Result<Proved, TrunkError> {
    let mut expected = Tally::default();
    trunk.items().iter().for_each(|item| expected += item.captured);
    conduct.send(&Event::StageBegan { stage, expected });
    let mut audit = trunk.audit(depth)?;
    let mut proved = Proved::default();
    let mut copies = Copies::default();
    let entries = trunk.entries()?;
    in_order_by_batch(
        workers(),
        |hand_over| {
            let mut originals = Originals::default();
            for (row, entry) in (0_u32..).zip(entries) {
                let due = entry.map(|entry| {
                    let (way, key) = way_of(trunk, depth, &entry, &mut originals);
                    Due { row, way, key, entry }
                });
                let mut size_in_bytes = 0;
                if let Ok(Due { entry, way: Way::Read, .. }) = &due {
                    size_in_bytes = entry.size_in_bytes();
                    if depth == Depth::Full {
                        trunk.will_read(entry);
                    }
                }
                if conduct.is_stopped() || !hand_over(due, size_in_bytes) {
                    return;
                }
            }
        },
        |dues| {
            // All are opened before the first is read, so that the drive can fetch them together.
            let open = |due: &Due| match (&due.entry.content, due.way) {
                (Content::File { .. }, Way::Read) => Some(trunk.open_content(&due.entry)),
                _ => None,
            };
            let opened: Vec<_> = dues.iter().map(|due| due.as_ref().ok().and_then(open)).collect();
            let found: Vec<_> = dues
                .iter()
                .zip(opened)
                .map(|(due, content)| prove_content(content, &due.as_ref().ok()?.entry, conduct))
                .collect();
            dues.into_iter().zip(found).map(|(due, found)| due.map(|due| (found, due))).collect()
        },
        |looked_into| {
            match looked_into {
                Ok((found, Due { row, way, key, entry })) => {
                    proved.listed.see(&entry);
                    let (found, unlisted) = match way {
                        Way::ByBlock => (None, audit.see_for_block(row, &entry)),
                        Way::Read | Way::Copy | Way::NotRead => {
                            let found = copies.judge(way, key, &entry, found);
                            let is_whole = depth == Depth::Full && found.is_none();
                            let unlisted = audit.see(&entry, is_whole);
                            (found, unlisted)
                        }
                    };
                    let wrong = found.or(unlisted);
                    if let Content::File { size_in_bytes, .. } = entry.content {
                        proved.files_not_read += u64::from(way == Way::NotRead);
                        let path = &entry.address.path;
                        conduct.send(&Event::File { item: &entry.item, path, size_in_bytes });
                        if way == Way::Copy {
                            conduct.send(&Event::Bytes { size_in_bytes });
                        }
                    }
                    if let Some(wrong) = wrong {
                        proved.damage.push((Some(entry), wrong));
                    }
                }
                // A finding of the whole; the entry of this line is missing from its item.
                Err(EntryRefused { line, problem, .. }) => {
                    let file = trunk.list_name();
                    proved.damage.push((None, Damage::BadLine { file, line, problem }));
                }
            }
            true
        },
    );
    prove_blocks(trunk, &mut *audit, &mut proved, conduct)?;
    if !conduct.is_stopped() {
        proved.damage.extend(audit.finish()?.into_iter().map(|damage| (None, damage)));
    }
    conduct.send(&Event::StageEnded { stage });
    Ok(proved)
}

/// An entry whose turn has come.
struct Due {
    /// Its number in the list.
    row: u32,
    way: Way,
    /// Known for a file that is read, or is a copy of one.
    key: Option<CopyKey>,
    entry: Entry,
}

/// How a file's content is proved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Way {
    /// It is read and hashed.
    Read,
    /// An earlier file has the same hash and the same contents in the same places: what is true of one is
    /// true of the other.
    Copy,
    /// With its block.
    ByBlock,
    /// Not at all: less was asked for, or it is not a file.
    NotRead,
}

/// A file's hash and the places of its contents, mixed with a secret of this run.
type CopyKey = (ContentHash, u64);

/// Parts of files that wait for their blocks at most: a part takes up to 2 KiB while its neighbours are not
/// there. Files that have more are read from first to last.
const WAITING_PARTS: usize = 30_000;

/// The files seen so far that are to be read.
#[derive(Default)]
struct Originals {
    secret: RandomState,
    seen: HashSet<CopyKey>,
    waiting_parts: usize,
}

fn way_of(
    trunk: &dyn Trunk,
    depth: Depth,
    entry: &Entry,
    originals: &mut Originals,
) -> (Way, Option<CopyKey>) {
    let Content::File { hash, .. } = entry.content else { return (Way::NotRead, None) };
    if !is_looked_into(entry, depth) {
        return (Way::NotRead, None);
    }
    if depth == Depth::Full && trunk.is_proved_by_block(entry) {
        let parts = entry.extents.as_slice().len();
        if parts == 1 || originals.waiting_parts + parts <= WAITING_PARTS {
            originals.waiting_parts += if parts == 1 { 0 } else { parts };
            return (Way::ByBlock, None);
        }
    }
    // A form of trunk that keeps files as files has no places to compare.
    if entry.extents.is_empty() {
        return (Way::Read, None);
    }
    let key = (hash, originals.secret.hash_one((&entry.extents, entry.size_in_bytes())));
    let way = if originals.seen.insert(key) { Way::Read } else { Way::Copy };
    (way, Some(key))
}

/// The damaged files among those that may have copies. Results come in the order of the list, so the first of
/// several is always known before the others.
#[derive(Default)]
struct Copies(HashMap<CopyKey, Damage>);

impl Copies {
    /// The damage of a file; that of a copy is the damage of the first.
    fn judge(
        &mut self,
        way: Way,
        key: Option<CopyKey>,
        entry: &Entry,
        found: Option<Damage>,
    ) -> Option<Damage> {
        match (way, key, found) {
            (Way::Copy, Some(key), _) => Some(match self.0.get(&key)?.clone() {
                Damage::FileUnreadable(_, why) => Damage::FileUnreadable(entry.address.path.to_string(), why),
                damage => of_entry(&damage, entry),
            }),
            (_, Some(key), Some(damage)) => {
                self.0.insert(key, damage.clone());
                Some(damage)
            }
            (_, _, found) => found,
        }
    }
}

/// The second half of a full proof: the blocks of files that were left to the audit.
fn prove_blocks(
    trunk: &dyn Trunk,
    audit: &mut dyn Audit,
    proved: &mut Proved,
    conduct: Conduct<'_>,
) -> Result<(), TrunkError> {
    let sizes = audit.blocks();
    let audit = &*audit;
    let mut wrong = BTreeMap::new();
    in_order(
        workers(),
        |hand_over| {
            for (number, size_in_bytes) in sizes.into_iter().enumerate() {
                if conduct.is_stopped() || !hand_over((number, size_in_bytes), size_in_bytes) {
                    return;
                }
            }
        },
        |(number, size_in_bytes)| {
            let wrong = audit.prove_block(number);
            conduct.send(&Event::Bytes { size_in_bytes });
            wrong
        },
        |of_block| {
            wrong.extend(of_block);
            true
        },
    );
    if !wrong.is_empty() {
        // The list is read again for the few that are damaged, instead of being kept for all.
        for (row, entry) in (0_u32..).zip(trunk.entries()?) {
            if let (Some(damage), Ok(entry)) = (wrong.remove(&row), entry) {
                let damage = of_entry(&damage, &entry);
                proved.damage.push((Some(entry), damage));
            }
        }
    }
    Ok(())
}

/// Damage of a trunk's file, in words about an entry whose content is in it.
fn of_entry(damage: &Damage, entry: &Entry) -> Damage {
    let shown = entry.address.path.to_string();
    match damage {
        Damage::ContentChanged(_) => Damage::ContentChanged(shown),
        other => Damage::FileUnreadable(shown, other.to_string()),
    }
}

/// True if a check of this depth reads the entry's content. A sample is the same each time, and spread over
/// all folders.
fn is_looked_into(entry: &Entry, depth: Depth) -> bool {
    /// One file in this many.
    const SAMPLE: u64 = 20;
    match depth {
        Depth::Listing => false,
        Depth::Full => true,
        // FNV-1a, which spreads names well enough.
        Depth::Sample => {
            let mix = |hash: u64, byte: &u8| (hash ^ u64::from(*byte)).wrapping_mul(0x0000_0100_0000_01b3);
            entry.address.path.as_bytes().iter().fold(0xcbf2_9ce4_8422_2325, mix).is_multiple_of(SAMPLE)
        }
    }
}

fn prove_content(
    content: Option<Result<Box<dyn TrunkContent + Send + '_>, Damage>>,
    entry: &Entry,
    conduct: Conduct<'_>,
) -> Option<Damage> {
    let Content::File { hash, .. } = &entry.content else { return None };
    let seen = |size_in_bytes| {
        conduct.send(&Event::Bytes { size_in_bytes });
        if conduct.is_stopped() { Err(Cancelled) } else { Ok(()) }
    };
    let shown = || entry.address.path.to_string();
    match content? {
        Err(damage) => Some(damage),
        Ok(mut content) => match hash_of(&mut *content, seen) {
            Ok(found) if found == *hash => None,
            Ok(_) => Some(Damage::ContentChanged(shown())),
            Err(PieceFailed::Reading(cause)) => {
                Some(match cause.get_ref().and_then(|inner| inner.downcast_ref::<Damage>()) {
                    Some(damage) => of_entry(damage, entry),
                    None => Damage::FileUnreadable(shown(), cause.to_string()),
                })
            }
            // The whole check is over; nobody reads this.
            Err(PieceFailed::Using(Cancelled)) => {
                Some(Damage::FileUnreadable(shown(), Cancelled.to_string()))
            }
        },
    }
}

/// Checks a trunk alone: whether all that was captured is in it, and nothing of it has changed, as deep as
/// asked.
pub fn check_trunk(
    trunk: &dyn Trunk,
    depth: Depth,
    checked_utc: OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<Receipt, CheckError> {
    let Proved { damage, files_not_read, listed } = prove_trunk(trunk, depth, Stage::Check, conduct)?;
    if conduct.is_stopped() {
        return Err(CheckError::Cancelled);
    }
    let mut items: Vec<ItemReceipt> = trunk.items().iter().map(ItemReceipt::new).collect();
    for (row, item) in items.iter_mut().zip(trunk.items()) {
        if item.chosen {
            let (files, size_in_bytes) = listed.files_of(item);
            row.count(Verdict::Landed, files, size_in_bytes);
            listed.note_missing(item, row);
        } else {
            leave_out(row, item);
        }
    }
    let at: HashMap<&str, usize> =
        trunk.items().iter().enumerate().map(|(at, item)| (item.id.as_str(), at)).collect();
    let mut general = Vec::new();
    for (entry, damage) in damage {
        let verdict =
            if matches!(damage, Damage::FileMissing(_)) { Verdict::Missing } else { Verdict::Changed };
        let path = entry.as_ref().map_or_else(RelativePath::root, |entry| entry.address.path.clone());
        let finding = Finding {
            path,
            verdict,
            reason: Reason::TrunkDamaged { detail: damage.to_string() },
            needs_attention: true,
            expected_at: None,
        };
        let row = entry.as_ref().and_then(|entry| at.get(entry.item.as_str())).map(|at| &mut items[*at]);
        match (row, entry.as_ref().map(|entry| &entry.content)) {
            (Some(row), Some(Content::File { size_in_bytes, .. })) => {
                row.files.subtract(Verdict::Landed, 1);
                row.bytes.subtract(Verdict::Landed, *size_in_bytes);
                row.count(verdict, 1, *size_in_bytes);
                row.find(finding);
            }
            _ => general.push(finding),
        }
    }
    note_left_behind(trunk, &mut items, &mut general, false)?;
    Ok(Receipt {
        trunk: trunk.label().clone(),
        proof: Some(trunk.proof()?),
        signed_by: None,
        machine: None,
        accounts: Vec::new(),
        checked_utc,
        balances: true,
        files_not_read,
        items,
        general,
        programs: super::programs::compared(trunk.programs(), None),
    })
}
