//! The blocks of contents that were read last: neighbours in a folder mostly share one.

use super::begins::Begins;
use super::block::Unpacked;
use crate::Damage;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// So much is kept, of blocks of all sizes: enough for all threads and kinds of content, and bounded. Many
/// small files of many kinds need 48 MiB; with less, blocks are read again and again. Attachments that come
/// again in later mails gain by the rest.
const KEPT_IN_BYTES: u64 = 96 << 20;
/// The number of blocks read before they are asked for.
const BLOCKS_AHEAD: usize = 6;

/// An unpacked block, with the beginning of each content in it.
pub(super) struct Ready {
    unpacked: Unpacked,
    begins: Begins,
}

impl Ready {
    pub(super) fn new(unpacked: Unpacked) -> Self {
        let begins = Begins::of(&unpacked.directory);
        Self { unpacked, begins }
    }

    /// The range of some consecutive contents in the body; none if it has fewer.
    pub(super) fn range(&self, first: u32, count: u32) -> Option<std::ops::Range<usize>> {
        self.begins.range(first, count).filter(|range| range.end <= self.unpacked.body().len())
    }

    pub(super) fn body(&self) -> &[u8] {
        self.unpacked.body()
    }
}

/// A block that is wanted: the thread that claims it reads it, and the others wait.
#[derive(Default)]
struct Slot {
    claimed: AtomicBool,
    value: OnceLock<Result<Arc<Ready>, Damage>>,
}

#[derive(Default)]
struct Slots {
    /// By the number of the block, with its length; the last asked for at the end.
    rows: VecDeque<(u32, u64, Arc<Slot>)>,
    size_in_bytes: u64,
}

#[derive(Default)]
pub(super) struct BlockCache {
    slots: Mutex<Slots>,
    /// Blocks that will be asked for soon.
    ahead: Mutex<VecDeque<u32>>,
}

impl BlockCache {
    /// Notes that a block will be asked for soon.
    pub(super) fn will_get(&self, block: u32) {
        let mut ahead = self.ahead.lock().unwrap_or_else(PoisonError::into_inner);
        if ahead.len() < BLOCKS_AHEAD && !ahead.contains(&block) && self.slot_if_there(block).is_none() {
            ahead.push_back(block);
        }
    }

    /// The block of a number, with its length beforehand. `read` is called once for each block, as long as it
    /// is kept. A thread that would wait for a block which another one reads goes and reads one that will be
    /// asked for soon.
    pub(super) fn get(
        &self,
        block: u32,
        length_in_bytes: impl Fn(u32) -> u64,
        read: impl Fn(u32) -> Result<Unpacked, Damage>,
    ) -> Result<Arc<Ready>, Damage> {
        let fill = |block: u32, slot: &Slot| {
            if !slot.claimed.swap(true, Ordering::Relaxed) {
                let _ = slot.value.set(read(block).map(|unpacked| Arc::new(Ready::new(unpacked))));
            }
        };
        let slot = self.slot(block, length_in_bytes(block));
        fill(block, &slot);
        while slot.value.get().is_none() {
            let next = self.ahead.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
            match next {
                Some(next) => fill(next, &self.slot(next, length_in_bytes(next))),
                None => break,
            }
        }
        slot.value.wait().clone()
    }

    /// True for a block that is kept, or about to be.
    pub(super) fn has(&self, block: u32) -> bool {
        self.slot_if_there(block).is_some()
    }

    fn slot_if_there(&self, block: u32) -> Option<Arc<Slot>> {
        let slots = self.slots.lock().unwrap_or_else(PoisonError::into_inner);
        slots.rows.iter().find(|(number, ..)| *number == block).map(|(.., slot)| Arc::clone(slot))
    }

    /// The slot of a block; it becomes the last to be forgotten.
    fn slot(&self, block: u32, length_in_bytes: u64) -> Arc<Slot> {
        let mut slots = self.slots.lock().unwrap_or_else(PoisonError::into_inner);
        let found = slots.rows.iter().rposition(|(number, ..)| *number == block);
        let slot = match found.and_then(|at| slots.rows.remove(at)) {
            Some((.., slot)) => slot,
            None => {
                slots.size_in_bytes += length_in_bytes;
                while slots.size_in_bytes > KEPT_IN_BYTES
                    && let Some((_, forgotten_in_bytes, _)) = slots.rows.pop_front()
                {
                    slots.size_in_bytes -= forgotten_in_bytes;
                }
                Arc::default()
            }
        };
        slots.rows.push_back((block, length_in_bytes, Arc::clone(&slot)));
        slot
    }
}
