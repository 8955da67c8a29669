//! Large buffers that are used again: a fresh one costs a fault of the memory for each 4 KiB of it.

use std::ops::{Deref, DerefMut};
use std::sync::{Mutex, PoisonError};

/// So many wait for their next use at most.
const MOST_WAITING: usize = 12;
/// Longer ones are given back to the system.
const LONGEST_KEPT_IN_BYTES: usize = 8 << 20;
/// Shorter ones cost nothing.
const SHORTEST_KEPT_IN_BYTES: usize = 64 << 10;

static WAITING: Mutex<Vec<Vec<u8>>> = Mutex::new(Vec::new());

/// Bytes whose memory is used again when they are dropped.
#[derive(Debug, Default)]
pub(super) struct Buffer(Vec<u8>);

impl Buffer {
    /// With room for so many bytes. What is in it is left over from earlier.
    pub(super) fn with_room(length_in_bytes: usize) -> Self {
        let mut bytes = if length_in_bytes < SHORTEST_KEPT_IN_BYTES {
            Vec::new()
        } else {
            WAITING.lock().unwrap_or_else(PoisonError::into_inner).pop().unwrap_or_default()
        };
        if bytes.capacity() < length_in_bytes {
            // Nothing of it is worth copying.
            bytes = Vec::with_capacity(length_in_bytes);
        }
        Self(bytes)
    }
}

impl Drop for Buffer {
    fn drop(&mut self) {
        if !(SHORTEST_KEPT_IN_BYTES..=LONGEST_KEPT_IN_BYTES).contains(&self.0.capacity()) {
            return;
        }
        let mut waiting = WAITING.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.len() < MOST_WAITING {
            waiting.push(std::mem::take(&mut self.0));
        }
    }
}

impl Deref for Buffer {
    type Target = Vec<u8>;
    fn deref(&self) -> &Vec<u8> {
        &self.0
    }
}

impl DerefMut for Buffer {
    fn deref_mut(&mut self) -> &mut Vec<u8> {
        &mut self.0
    }
}

impl From<Vec<u8>> for Buffer {
    fn from(bytes: Vec<u8>) -> Self {
        Self(bytes)
    }
}
