//! A trunk against itself.

use super::CheckError;
use super::left_behind::{leave_out, note_left_behind};
use crate::events::{Cancelled, Conduct, Event, Stage};
use crate::in_order::in_order_by_batch;
use crate::proof::Listed;
use porter_kinds::receipt::{Finding, ItemReceipt, Reason, Receipt, Verdict};
use porter_names::RelativePath;
use porter_trunk::{
    Content, ContentHash, ContentHasher, Damage, Depth, Entry, EntryRefused, PieceFailed, Tally, Trunk,
    TrunkError, in_pieces,
};
use std::collections::HashMap;
use std::io::{self, BufRead};
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
    let entries = trunk.entries()?;
    in_order_by_batch(
        |hand_over| {
            for entry in entries {
                let size_in_bytes = entry.as_ref().map_or(0, Entry::size_in_bytes);
                if let Ok(entry) = &entry
                    && depth == Depth::Full
                {
                    trunk.will_read(entry);
                }
                if conduct.is_stopped() || !hand_over(entry, size_in_bytes) {
                    return;
                }
            }
        },
        |entries| {
            // All are opened before the first is read, so that the drive can fetch them together.
            let open = |entry: &Entry| match entry.content {
                Content::File { .. } if is_looked_into(entry, depth) => Some(trunk.open_content(entry)),
                Content::File { .. } | Content::Folder | Content::Link { .. } => None,
            };
            let opened: Vec<_> = entries.iter().map(|entry| entry.as_ref().ok().and_then(open)).collect();
            let found: Vec<_> = entries
                .iter()
                .zip(opened)
                .map(|(entry, content)| prove_content(content, entry.as_ref().ok()?, conduct))
                .collect();
            entries.into_iter().zip(found).map(|(entry, found)| entry.map(|entry| (found, entry))).collect()
        },
        |looked_into| {
            match looked_into {
                Ok((found, entry)) => {
                    proved.listed.see(&entry);
                    let is_whole = depth == Depth::Full && found.is_none();
                    let unlisted = audit.see(&entry, is_whole);
                    let wrong = found.or(unlisted);
                    if let Content::File { size_in_bytes, .. } = entry.content {
                        proved.files_not_read += u64::from(!is_looked_into(&entry, depth));
                        let path = &entry.address.path;
                        conduct.send(&Event::File { item: &entry.item, path, size_in_bytes });
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
    if !conduct.is_stopped() {
        proved.damage.extend(audit.finish()?.into_iter().map(|damage| (None, damage)));
    }
    conduct.send(&Event::StageEnded { stage });
    Ok(proved)
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
    content: Option<Result<Box<dyn BufRead + Send + '_>, Damage>>,
    entry: &Entry,
    conduct: Conduct<'_>,
) -> Option<Damage> {
    let Content::File { hash, .. } = &entry.content else { return None };
    let shown = || entry.address.path.to_string();
    let seen = |size_in_bytes| conduct.send(&Event::Bytes { size_in_bytes });
    match content? {
        Err(damage) => Some(damage),
        Ok(mut content) => match hash_of(&mut *content, &seen, conduct) {
            Ok(found) if found == *hash => None,
            Ok(_) => Some(Damage::ContentChanged(shown())),
            Err(cause) => Some(match cause.get_ref().and_then(|inner| inner.downcast_ref::<Damage>()) {
                Some(Damage::ContentChanged(_)) => Damage::ContentChanged(shown()),
                _ => Damage::FileUnreadable(shown(), cause.to_string()),
            }),
        },
    }
}

fn hash_of(content: &mut dyn BufRead, seen: &dyn Fn(u64), conduct: Conduct<'_>) -> io::Result<ContentHash> {
    let mut hasher = ContentHasher::default();
    let read = in_pieces(content, |piece| {
        hasher.update(piece);
        seen(piece.len() as u64);
        if conduct.is_stopped() { Err(Cancelled) } else { Ok(()) }
    });
    match read {
        Ok(()) => Ok(hasher.finish()),
        Err(PieceFailed::Reading(cause)) => Err(cause),
        Err(PieceFailed::Using(stopped)) => Err(io::Error::other(stopped)),
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
