//! The blocks of contents that were read last: neighbours in a folder mostly share one.

use super::block::Unpacked;
use crate::Damage;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// So many blocks are kept: enough for all threads and textures, and bounded.
const BLOCKS_KEPT: usize = 16;

/// An unpacked block, with the beginning of each content in it.
pub(super) struct Ready {
    unpacked: Unpacked,
    begins: Vec<u32>,
}

impl Ready {
    pub(super) fn new(unpacked: Unpacked) -> Self {
        let mut begin = 0_u32;
        let mut begins = vec![0];
        for (_, length) in &unpacked.directory.rows {
            // They come out even with the body: the directory was read so.
            begin = begin.saturating_add(*length);
            begins.push(begin);
        }
        Self { unpacked, begins }
    }

    /// Where some consecutive contents lie in the body; none if there are not so many.
    pub(super) fn range(&self, first: u32, count: u32) -> Option<std::ops::Range<usize>> {
        let begin = *self.begins.get(first as usize)? as usize;
        let end = *self.begins.get(first.checked_add(count)? as usize)? as usize;
        (end <= self.unpacked.body().len()).then_some(begin..end)
    }

    pub(super) fn body(&self) -> &[u8] {
        self.unpacked.body()
    }
}

type Slot = Arc<OnceLock<Result<Arc<Ready>, Damage>>>;

#[derive(Default)]
pub(super) struct BlockCache {
    slots: Mutex<VecDeque<(u32, Slot)>>,
}

impl BlockCache {
    /// The block of a number. `read` is called by one thread only, and the others wait for it.
    pub(super) fn get(
        &self,
        block: u32,
        read: impl FnOnce() -> Result<Unpacked, Damage>,
    ) -> Result<Arc<Ready>, Damage> {
        let slot = {
            let mut slots = self.slots.lock().unwrap_or_else(PoisonError::into_inner);
            let found = slots.iter().position(|(number, _)| *number == block);
            let slot = match found.and_then(|at| slots.remove(at)) {
                Some((_, slot)) => slot,
                None => {
                    if slots.len() >= BLOCKS_KEPT {
                        slots.pop_front();
                    }
                    Slot::default()
                }
            };
            slots.push_back((block, Arc::clone(&slot)));
            slot
        };
        slot.get_or_init(|| read().map(|unpacked| Arc::new(Ready::new(unpacked)))).clone()
    }
}
