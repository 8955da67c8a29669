//! Where each content of a trunk is: what makes a content that comes again cost nothing.

use super::block::ContentId;
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// A content, by the block it is in and its row there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Whereabouts {
    pub(super) block: u32,
    pub(super) row: u32,
}

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
    known: Mutex<HashMap<ContentId, Whereabouts, BuildHasherDefault<FirstBytes>>>,
}

impl ContentIndex {
    fn known(&self) -> MutexGuard<'_, HashMap<ContentId, Whereabouts, BuildHasherDefault<FirstBytes>>> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn find(&self, id: &ContentId) -> Option<Whereabouts> {
        self.known().get(id).copied()
    }

    pub(super) fn insert(&self, id: ContentId, at: Whereabouts) {
        self.known().insert(id, at);
    }
}
