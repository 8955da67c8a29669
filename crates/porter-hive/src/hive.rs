//! A hive in memory.

use crate::base_block::{self, BaseBlock};
use crate::cell::Bins;
use crate::log::{self, Replayed};
use crate::{HiveError, Key};

/// A hive in memory, with its logs replayed. The source file is never changed.
#[derive(Debug, Clone)]
pub struct Hive {
    base_block: BaseBlock,
    bins: Vec<u8>,
    replayed: Replayed,
}

impl Hive {
    /// Takes the bytes of a hive, without logs.
    pub fn from_bytes(bytes: Vec<u8>) -> Result<Self, HiveError> {
        Self::with_logs(bytes, &[])
    }

    /// Takes the bytes of a hive and of its logs, in any order. If the hive is dirty, the contents of the
    /// logs are put in their places, in memory. Logs that are damaged or belong to another state are ignored;
    /// [`Hive::replayed`] returns the result.
    ///
    /// A hive that ends too early is read as far as it goes.
    pub fn with_logs(mut bytes: Vec<u8>, logs: &[&[u8]]) -> Result<Self, HiveError> {
        let mut base_block = BaseBlock::from_bytes(&bytes)?;
        if bytes.len() < base_block::SIZE_IN_BYTES {
            return Err(HiveError::TooShort {
                size_in_bytes: bytes.len(),
                needed_in_bytes: base_block::SIZE_IN_BYTES,
            });
        }
        let mut bins = bytes.split_off(base_block::SIZE_IN_BYTES);
        let replayed = log::replay(&mut base_block, &mut bins, logs);
        bins.truncate(base_block.bins_size_in_bytes as usize);
        Ok(Self { base_block, bins, replayed })
    }

    /// Its base block.
    pub fn base_block(&self) -> &BaseBlock {
        &self.base_block
    }

    /// The changes that its logs added.
    pub fn replayed(&self) -> Replayed {
        self.replayed
    }

    /// The key that holds all others.
    pub fn root(&self) -> Result<Key<'_>, HiveError> {
        Key::at(self.bins(), self.base_block.root_offset)
    }

    /// The key at the end of a path below the root, with `\` between the names; none if it is not there or
    /// cannot be reached.
    pub fn key(&self, path: &str) -> Option<Key<'_>> {
        self.root().ok()?.descend(path)
    }

    pub(crate) fn bins(&self) -> Bins<'_> {
        Bins(&self.bins)
    }
}
