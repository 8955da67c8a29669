//! Transaction logs: what a crash kept from being written into the hive.
//!
//! Windows writes changes to a log first. Up to Windows 8 a log (`.LOG`, `.LOG1`, `.LOG2`) holds the newest
//! state of the pages that were being written ([`dirty_pages`]); from 8.1 on it holds one change after the
//! other ([`entries`]), and the hive itself may be hours behind.

pub mod dirty_pages;
pub mod entries;
mod marvin;

use crate::base_block::{BaseBlock, LOG_SIZE_IN_BYTES};
use entries::LogEntry;

/// The result of replaying a hive's logs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Replayed {
    /// The hive was written to its end: its logs add nothing.
    NotNeeded,
    /// The number of changes that were replayed.
    Changes(usize),
    /// The hive was being written, and no log fits it: the newest changes may be missing.
    NothingFits,
}

/// Puts into `bins` what the logs hold for a hive with this base block, and makes the block that of the
/// result.
pub(crate) fn replay(base_block: &mut BaseBlock, bins: &mut Vec<u8>, logs: &[&[u8]]) -> Replayed {
    if !base_block.is_dirty() {
        return Replayed::NotNeeded;
    }
    let mut changes = 0;
    let mut fits = false;
    let mut newest: Option<(BaseBlock, &[u8])> = None;
    let mut entries: Vec<LogEntry<'_>> = Vec::new();
    for log in logs {
        let Ok(block) = BaseBlock::from_bytes(log) else { continue };
        if !block.checksum_holds {
            continue;
        }
        let body = log.get(LOG_SIZE_IN_BYTES..).unwrap_or_default();
        if body.starts_with(b"HvLE") {
            // Where the hive's own block was cut off, the log's says what the hive was.
            let from = if base_block.checksum_holds {
                base_block.secondary_sequence
            } else {
                block.secondary_sequence
            };
            if !base_block.checksum_holds {
                *base_block = BaseBlock { checksum_holds: true, file_kind: 0, ..block };
            }
            entries.extend(
                entries::in_log(body).filter(|entry| entry.sequence.wrapping_sub(from) < u32::MAX / 2),
            );
        } else if body.starts_with(b"DIRT")
            && block.primary_sequence == block.secondary_sequence
            && (!base_block.checksum_holds || block.primary_sequence == base_block.primary_sequence)
            && newest.is_none_or(|(known, _)| known.last_written < block.last_written)
        {
            newest = Some((block, body));
        }
    }
    if let Some((block, body)) = newest
        && let Some(pages) = dirty_pages::pages_in_log(body, block.bins_size_in_bytes)
    {
        bins.resize(bins.len().max(block.bins_size_in_bytes as usize), 0);
        for (offset, page) in pages {
            changes += usize::from(put(bins, offset, page));
        }
        *base_block = BaseBlock { file_kind: 0, ..block };
        fits = true;
    }
    // Two logs take turns; together they are one row of changes without a gap.
    entries.sort_by_key(|entry| entry.sequence);
    let mut expected = None;
    for entry in entries {
        if expected.is_some_and(|expected| expected != entry.sequence) {
            break;
        }
        let size = entry.bins_size_in_bytes as usize;
        if size > bins.len() && size - bins.len() > MOST_GROWTH_IN_BYTES {
            break;
        }
        bins.resize(bins.len().max(size), 0);
        for (offset, page) in &entry.pages {
            put(bins, *offset as usize, page);
        }
        changes += 1;
        fits = true;
        base_block.bins_size_in_bytes = entry.bins_size_in_bytes;
        base_block.secondary_sequence = entry.sequence;
        base_block.primary_sequence = entry.sequence;
        expected = Some(entry.sequence.wrapping_add(1));
    }
    if fits { Replayed::Changes(changes) } else { Replayed::NothingFits }
}

/// A log is much smaller than its hive; no change makes one grow by more.
const MOST_GROWTH_IN_BYTES: usize = 256 << 20;

fn put(bins: &mut [u8], offset: usize, page: &[u8]) -> bool {
    match bins.get_mut(offset..offset.saturating_add(page.len())) {
        Some(place) => {
            place.copy_from_slice(page);
            true
        }
        None => false,
    }
}
