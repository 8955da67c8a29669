//! Changes of a VHDX file that its writer had noted and not carried out when it ended ([MS-VHDX] 2.3). They
//! are carried out in memory: nothing is written.

use super::has_checksum;
use crate::block_source::BlockSource;
use crate::image::{Flaw, Identifier, by_block};
use crate::numbers::{le_u32, le_u64};
use std::collections::BTreeMap;
use std::io;
use std::sync::Arc;

const PAGE_IN_BYTES: u64 = 4096;
const PAGE: usize = PAGE_IN_BYTES as usize;
/// More than real logs hold: each page costs memory.
const MOST_PAGES: u64 = 1 << 18;

/// Pages of the file that the log has a later state of.
pub(super) type Pages = BTreeMap<u64, Option<Box<[u8; PAGE]>>>;

/// The file with the log's pages in place of its own.
pub(super) struct Replayed {
    file: Arc<dyn BlockSource>,
    pages: Pages,
}

impl Replayed {
    pub(super) fn new(file: Arc<dyn BlockSource>, pages: Pages) -> Self {
        Self { file, pages }
    }

    fn read_in_page(&self, at: u64, buffer: &mut [u8]) -> io::Result<()> {
        let within = (at % PAGE_IN_BYTES) as usize;
        match self.pages.get(&(at - within as u64)) {
            Some(Some(page)) => buffer.copy_from_slice(&page[within..within + buffer.len()]),
            Some(None) => buffer.fill(0),
            None => {
                let read = self.file.read_at(at, buffer)?;
                buffer[read..].fill(0);
            }
        }
        Ok(())
    }
}

impl BlockSource for Replayed {
    fn size_in_bytes(&self) -> u64 {
        let behind_last = self.pages.keys().next_back().map_or(0, |last| last.saturating_add(PAGE_IN_BYTES));
        self.file.size_in_bytes().max(behind_last)
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let end = offset_in_bytes.saturating_add(buffer.len() as u64);
        let first_page = offset_in_bytes - offset_in_bytes % PAGE_IN_BYTES;
        if first_page < end && self.pages.range(first_page..end).next().is_none() {
            return self.file.read_at(offset_in_bytes, buffer);
        }
        by_block(self.size_in_bytes(), PAGE_IN_BYTES, offset_in_bytes, buffer, |at, piece| {
            self.read_in_page(at, piece)
        })
    }
}

struct LogEntry<'l> {
    bytes: &'l [u8],
    /// Where the first entry is that was not carried out when this one was written.
    tail: usize,
    sequence: u64,
    descriptors: usize,
}

fn entry<'l>(log: &'l [u8], at: usize, identifier: &Identifier, budget: &mut usize) -> Option<LogEntry<'l>> {
    let rest = log.get(at..)?;
    if !rest.starts_with(b"loge") || rest.get(32..48)? != identifier {
        return None;
    }
    let bytes = rest.get(..usize::try_from(le_u32(rest, 8)?).ok()?)?;
    if bytes.len() < PAGE || !bytes.len().is_multiple_of(PAGE) {
        return None;
    }
    *budget = budget.checked_sub(bytes.len())?;
    if !has_checksum(bytes) {
        return None;
    }
    let (tail, descriptors) = (le_u32(bytes, 12)?, le_u32(bytes, 24)?);
    Some(LogEntry {
        bytes,
        tail: usize::try_from(tail).ok()?,
        sequence: le_u64(bytes, 16)?,
        descriptors: usize::try_from(descriptors).ok()?,
    })
}

/// The pages of the newest sequence of entries that is whole. Fails if there is none: then the file itself
/// is in a state between two changes.
///
/// An entry that runs over the end of the log and goes on at its beginning is read from a copy behind the
/// end.
pub(super) fn pages(log: &[u8], identifier: &Identifier) -> Result<Pages, Flaw> {
    const DAMAGED: Flaw = Flaw::Damaged("its log of changes is not whole");
    let round = [log, log].concat();
    // Real entries do not overlap, so eight times the log is more than enough to prove them all.
    let mut budget = log.len().saturating_mul(8);
    let starts = (0..log.len()).step_by(PAGE);
    let entries: Vec<Option<LogEntry<'_>>> =
        starts.map(|at| entry(&round, at, identifier, &mut budget)).collect();
    // A sequence is one if its last entry says where it begins, and each follows the one before.
    let sequence_to = |last: &LogEntry<'_>| -> Option<Vec<&LogEntry<'_>>> {
        let mut at = last.tail / PAGE;
        let mut run = Vec::new();
        while run.len() < entries.len() {
            let next = entries.get(at)?.as_ref()?;
            if run
                .last()
                .is_some_and(|before: &&LogEntry<'_>| next.sequence != before.sequence.wrapping_add(1))
            {
                return None;
            }
            run.push(next);
            if next.sequence == last.sequence {
                return Some(run);
            }
            at = (at + next.bytes.len() / PAGE) % entries.len();
        }
        None
    };
    let mut newest_first: Vec<&LogEntry<'_>> = entries.iter().flatten().collect();
    newest_first.sort_by_key(|entry| std::cmp::Reverse(entry.sequence));
    // Only the newest is torn by a cut.
    let run = newest_first.into_iter().take(64).find_map(sequence_to).ok_or(DAMAGED)?;
    let mut pages = Pages::new();
    for entry in run {
        replay(entry, &mut pages).ok_or(DAMAGED)?;
    }
    Ok(pages)
}

fn replay(entry: &LogEntry<'_>, pages: &mut Pages) -> Option<()> {
    const HEADER_IN_BYTES: usize = 64;
    const DESCRIPTOR_IN_BYTES: usize = 32;
    let descriptors_end = HEADER_IN_BYTES.checked_add(entry.descriptors.checked_mul(DESCRIPTOR_IN_BYTES)?)?;
    let descriptors = entry.bytes.get(HEADER_IN_BYTES..descriptors_end)?;
    let mut data = entry.bytes.get(descriptors_end.next_multiple_of(PAGE)..)?.as_chunks::<PAGE>().0.iter();
    for descriptor in descriptors.as_chunks::<DESCRIPTOR_IN_BYTES>().0 {
        let (at, sequence) = (le_u64(descriptor, 16)?, le_u64(descriptor, 24)?);
        if sequence != entry.sequence || !at.is_multiple_of(PAGE_IN_BYTES) {
            return None;
        }
        if descriptor.starts_with(b"zero") {
            let count = le_u64(descriptor, 8)? / PAGE_IN_BYTES;
            if count > MOST_PAGES {
                return None;
            }
            for number in 0..count {
                pages.insert(at.checked_add(number * PAGE_IN_BYTES)?, None);
            }
        } else if descriptor.starts_with(b"desc") {
            let sector = data.next()?;
            let written = (le_u32(sector, 4)?, le_u32(sector, PAGE - 4)?);
            if !sector.starts_with(b"data") || written != ((sequence >> 32) as u32, sequence as u32) {
                return None;
            }
            let mut page = Box::new(*sector);
            page[..8].copy_from_slice(&descriptor[8..16]);
            page[PAGE - 4..].copy_from_slice(&descriptor[4..8]);
            pages.insert(at, Some(page));
        } else {
            return None;
        }
        if pages.len() as u64 > MOST_PAGES {
            return None;
        }
    }
    Some(())
}
