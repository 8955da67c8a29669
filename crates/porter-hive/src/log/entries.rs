//! The new logs: `HvLE`, one after the other, each a change with a number, its pages, and two hashes.

use super::marvin::hash;
use crate::bytes::{u32_at, u64_at};

/// Length of an entry before its list of pages.
const FIXED_IN_BYTES: usize = 40;
/// Entries are as long as sectors.
const SECTOR_IN_BYTES: usize = 512;

/// A change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogEntry<'l> {
    /// Its number; numbers follow each other without a gap.
    pub sequence: u32,
    /// How long the bins are after it.
    pub bins_size_in_bytes: u32,
    /// Pages with their place in the bins.
    pub pages: Vec<(u32, &'l [u8])>,
}

/// The changes in a log, up to the first that is not whole; `body` is what comes after the base block.
pub fn in_log(body: &[u8]) -> impl Iterator<Item = LogEntry<'_>> {
    let mut rest = body;
    std::iter::from_fn(move || {
        let (entry, length) = entry_at(rest)?;
        rest = rest.get(length..)?;
        Some(entry)
    })
}

fn entry_at(bytes: &[u8]) -> Option<(LogEntry<'_>, usize)> {
    let length = u32_at(bytes, 4)? as usize;
    if !bytes.starts_with(b"HvLE") || length < FIXED_IN_BYTES || !length.is_multiple_of(SECTOR_IN_BYTES) {
        return None;
    }
    let entry = bytes.get(..length)?;
    let holds =
        u64_at(entry, 24)? == hash(&entry[FIXED_IN_BYTES..]) && u64_at(entry, 32)? == hash(&entry[..32]);
    if !holds {
        return None;
    }
    let count = u32_at(entry, 20)? as usize;
    let mut at = FIXED_IN_BYTES.checked_add(count.checked_mul(8)?)?;
    let rows = entry.get(FIXED_IN_BYTES..at)?;
    let mut pages = Vec::with_capacity(count);
    for row in rows.chunks_exact(8) {
        let (offset, size) = (u32_at(row, 0)?, u32_at(row, 4)? as usize);
        pages.push((offset, entry.get(at..at.checked_add(size)?)?));
        at += size;
    }
    Some((LogEntry { sequence: u32_at(entry, 12)?, bins_size_in_bytes: u32_at(entry, 16)?, pages }, length))
}

/// Puts together what [`in_log`] takes apart.
pub fn to_bytes(entry: &LogEntry<'_>) -> Vec<u8> {
    let mut bytes = vec![0; FIXED_IN_BYTES];
    bytes[..4].copy_from_slice(b"HvLE");
    for (offset, page) in &entry.pages {
        bytes.extend(offset.to_le_bytes());
        bytes.extend((page.len() as u32).to_le_bytes());
    }
    entry.pages.iter().for_each(|(_, page)| bytes.extend_from_slice(page));
    bytes.resize(bytes.len().next_multiple_of(SECTOR_IN_BYTES), 0);
    let length = bytes.len() as u32;
    for (at, word) in
        [(4, length), (12, entry.sequence), (16, entry.bins_size_in_bytes), (20, entry.pages.len() as u32)]
    {
        bytes[at..at + 4].copy_from_slice(&word.to_le_bytes());
    }
    let of_data = hash(&bytes[FIXED_IN_BYTES..]);
    bytes[24..32].copy_from_slice(&of_data.to_le_bytes());
    let of_head = hash(&bytes[..32]);
    bytes[32..40].copy_from_slice(&of_head.to_le_bytes());
    bytes
}
