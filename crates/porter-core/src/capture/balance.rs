//! The account of a capture: `seen = captured + left`, item by item.

use super::CaptureError;
use super::carrier::Done;
use super::listed::listed;
use crate::events::{Conduct, Event};
use crate::item::Item;
use crate::meaning::Meaning;
use crate::survey::Survey;
use porter_trunk::{Content, LeftBehind, MeaningCount, Tally, TrunkError, TrunkItem, TrunkWriter};

/// What became of the entries of one item, counted where they arrive: apart from the count of what was seen.
#[derive(Debug, Clone, Default)]
pub(super) struct Account {
    captured: Tally,
    left: Tally,
    /// Files may grow or shrink between being listed and being read.
    grown_in_bytes: i128,
}

impl Account {
    /// Records what became of one thing, and counts it.
    pub(super) fn enter(
        &mut self,
        listed: Tally,
        done: Done,
        trunk: &dyn TrunkWriter,
        left_behind: &mut Vec<LeftBehind>,
        item: &Item,
        conduct: Conduct<'_>,
    ) -> Result<(), TrunkError> {
        if let Some(entry) = &done.entry {
            trunk.record(entry)?;
            self.captured += listed;
            if let Content::File { size_in_bytes, .. } = entry.content {
                self.captured.size_in_bytes += size_in_bytes;
                self.captured.size_in_bytes -= listed.size_in_bytes;
                self.grown_in_bytes += i128::from(size_in_bytes) - i128::from(listed.size_in_bytes);
                conduct.send(&Event::File { item: &item.id, path: &entry.address.path, size_in_bytes });
            }
        }
        for left in done.left {
            trunk.record_left(&left)?;
            self.left += left.tally.unwrap_or_default();
            if left.reason.needs_attention() {
                conduct.send(&Event::Trouble {
                    item: &item.id,
                    path: &left.volume_path,
                    code: left.reason.code(),
                });
            }
            left_behind.push(left);
        }
        Ok(())
    }
}

/// `seen = captured + left`, item by item, or the capture does not count.
pub(super) fn balance(
    survey: &Survey,
    chosen: &[&Item],
    seen: &[Tally],
    accounts: &[Account],
    counted: &[Option<Meaning>],
) -> Result<Vec<TrunkItem>, CaptureError> {
    let mut rows = chosen.iter().zip(seen).zip(accounts.iter().zip(counted));
    let mut items = Vec::with_capacity(survey.items.len());
    for row in &survey.items {
        let item = &row.item;
        let (seen, captured, left, meaning) = if row.chosen {
            let Some(((_, seen), (account, counted))) = rows.next() else { continue };
            let mut seen = *seen;
            let size = i128::from(seen.size_in_bytes) + account.grown_in_bytes;
            seen.size_in_bytes = u64::try_from(size).unwrap_or(u64::MAX);
            if seen != account.captured + account.left {
                return Err(CaptureError::NotAccountedFor { item: item.id.clone() });
            }
            (seen, account.captured, account.left, counted.clone())
        } else {
            (row.seen(), Tally::default(), row.seen(), Meaning::of(item))
        };
        let mut counts = meaning.map(|meaning| meaning.counts).unwrap_or_default();
        counts.extend(item.counts.iter().map(|(name, captured)| MeaningCount {
            name: name.clone(),
            files: Vec::new(),
            captured: *captured,
        }));
        items.push(TrunkItem { seen, captured, left, counts, ..listed(item, row.chosen) });
    }
    Ok(items)
}
