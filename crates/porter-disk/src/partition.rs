//! The partitions of a drive.

mod gpt;
mod mbr;
pub mod table;

use crate::block_source::{BlockSource, Section};
use std::sync::Arc;

/// A stretch of a drive that a table gives a purpose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Partition {
    /// As Linux counts them: in an older table 1 to 4, and from 5 those inside an extended one.
    pub number: u32,
    /// Where it begins.
    pub start_in_bytes: u64,
    /// How long it is.
    pub size_in_bytes: u64,
    /// The name in the table; mostly that of a purpose.
    pub name: Option<String>,
    /// The bytes by which a Windows notes it in its registry: the number of the drive and where the partition
    /// begins, or the number of the partition itself.
    pub noted_by_windows_as: Vec<u8>,
}

impl Partition {
    /// Its bytes.
    pub fn section(&self, drive: &Arc<dyn BlockSource>) -> Section {
        Section::new(Arc::clone(drive), self.start_in_bytes, self.size_in_bytes)
    }
}

/// A drive's table of partitions.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Table {
    /// In the order of their numbers.
    pub partitions: Vec<Partition>,
    /// Its flaws, in plain words. The readable rest of it is there nevertheless.
    pub flaws: Vec<&'static str>,
}

/// Sizes in which tables count.
const SECTORS_IN_BYTES: [u64; 2] = [512, 4096];
