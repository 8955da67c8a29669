//! Where each content of a trunk is: what makes a content that comes again cost nothing.

use crate::ContentHash;
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// A content, by the block it is in and its row there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Whereabouts {
    pub(super) block: u32,
    pub(super) row: u32,
}

/// Half of an id. The index of a million contents has to fit into memory many times over, and nobody finds two contents
/// that share 128 bits of BLAKE3.
type ShortId = [u8; 16];

/// Ids are random already, so their first bytes do as a hash.
#[derive(Default)]
struct FirstBytes(u64);

impl Hasher for FirstBytes {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        if let Some(first) = bytes.first_chunk::<8>() {
            self.0 = u64::from_le_bytes(*first);
        }
    }

    fn write_usize(&mut self, _length: usize) {}
}

/// All contents of a trunk.
#[derive(Default)]
pub(super) struct ContentIndex {
    known: Mutex<HashMap<ShortId, Whereabouts, BuildHasherDefault<FirstBytes>>>,
}

impl ContentIndex {
    fn known(&self) -> MutexGuard<'_, HashMap<ShortId, Whereabouts, BuildHasherDefault<FirstBytes>>> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn find(&self, id: &ContentHash) -> Option<Whereabouts> {
        self.known().get(&short(id)).copied()
    }

    pub(super) fn insert(&self, id: &ContentHash, at: Whereabouts) {
        self.known().insert(short(id), at);
    }
}

fn short(id: &ContentHash) -> ShortId {
    let mut short = [0; 16];
    short.copy_from_slice(&id.as_bytes()[..16]);
    short
}
