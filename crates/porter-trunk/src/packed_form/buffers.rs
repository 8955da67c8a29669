//! Large buffers that are used again: a fresh one costs a fault of the memory for each 4 KiB of it.

use std::ops::{Deref, DerefMut, Range};
use std::sync::{Arc, Mutex, PoisonError};

/// So much waits for its next use at most.
const MOST_WAITING_IN_BYTES: usize = 32 << 20;
/// Longer ones are given back to the system.
const LONGEST_KEPT_IN_BYTES: usize = 8 << 20;
/// Shorter ones cost nothing.
const SHORTEST_KEPT_IN_BYTES: usize = 64 << 10;
/// Room comes in steps, so that what was made for one block fits the next.
const STEP_IN_BYTES: usize = 1 << 20;

static WAITING: Mutex<Vec<Vec<u8>>> = Mutex::new(Vec::new());

/// The smallest that waits and has so much room.
fn waiting(length_in_bytes: usize) -> Option<Vec<u8>> {
    if length_in_bytes < SHORTEST_KEPT_IN_BYTES {
        return None;
    }
    let mut waiting = WAITING.lock().unwrap_or_else(PoisonError::into_inner);
    let fits = waiting.iter().enumerate().filter(|(_, bytes)| bytes.capacity() >= length_in_bytes);
    let smallest = fits.min_by_key(|(_, bytes)| bytes.capacity()).map(|(at, _)| at);
    smallest.map(|at| waiting.swap_remove(at))
}

/// Bytes whose memory is used again when they are dropped.
#[derive(Debug, Default)]
pub(super) struct Buffer(Vec<u8>);

impl Buffer {
    /// A buffer with room for this many bytes. Its bytes are left over from earlier.
    pub(super) fn with_room(length_in_bytes: usize) -> Self {
        let is_long = length_in_bytes > STEP_IN_BYTES / 2;
        let room = if is_long { length_in_bytes.next_multiple_of(STEP_IN_BYTES) } else { length_in_bytes };
        Self(waiting(length_in_bytes).unwrap_or_else(|| Vec::with_capacity(room)))
    }

    /// A buffer of this length. Its bytes are left over from earlier, or zeros in fresh memory.
    pub(super) fn with_length(length_in_bytes: usize) -> Self {
        let mut bytes = waiting(length_in_bytes).unwrap_or_else(|| vec![0; length_in_bytes]);
        bytes.resize(length_in_bytes, 0);
        Self(bytes)
    }

    /// The same with nothing in it.
    pub(super) fn empty(room_in_bytes: usize) -> Self {
        let mut buffer = Self::with_room(room_in_bytes);
        buffer.clear();
        buffer
    }
}

/// Bytes to be kept: a buffer of their own, or a stretch of one that others use as well.
#[derive(Debug)]
pub(super) enum Bytes {
    Own(Buffer),
    Shared(Arc<Buffer>, Range<usize>),
}

impl Bytes {
    /// Takes in what follows directly in the same shared buffer. False, and nothing taken in, if it does not.
    pub(super) fn join(&mut self, next: &Self) -> bool {
        match (self, next) {
            (Self::Shared(buffer, range), Self::Shared(its, more))
                if Arc::ptr_eq(buffer, its) && range.end == more.start =>
            {
                range.end = more.end;
                true
            }
            _ => false,
        }
    }
}

impl Deref for Bytes {
    type Target = [u8];
    fn deref(&self) -> &[u8] {
        match self {
            Self::Own(bytes) => bytes,
            Self::Shared(buffer, range) => &buffer[range.clone()],
        }
    }
}

impl Drop for Buffer {
    fn drop(&mut self) {
        if !(SHORTEST_KEPT_IN_BYTES..=LONGEST_KEPT_IN_BYTES).contains(&self.0.capacity()) {
            return;
        }
        let mut waiting = WAITING.lock().unwrap_or_else(PoisonError::into_inner);
        let waiting_in_bytes: usize = waiting.iter().map(Vec::capacity).sum();
        if waiting_in_bytes + self.0.capacity() <= MOST_WAITING_IN_BYTES {
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
