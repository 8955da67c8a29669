//! The first 4096 bytes of a hive; of a log, the first 512.

use crate::HiveError;
use crate::bytes::{u32_at, u64_at};

/// How long the base block of a hive is.
pub const SIZE_IN_BYTES: usize = 4096;
/// How much of it counts, and how long that of a log is.
pub const LOG_SIZE_IN_BYTES: usize = 512;
/// Where the checksum of what stands before it is.
const CHECKSUM_AT: usize = 508;

/// The beginning of a hive or a log.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BaseBlock {
    /// Counts up when a write begins.
    pub primary_sequence: u32,
    /// Becomes the same when the write is done: a hive in which they differ is dirty.
    pub secondary_sequence: u32,
    /// When it was last written, as a `FILETIME`.
    pub last_written: u64,
    /// Minor version; the major one is always 1.
    pub minor_version: u32,
    /// 0 for a hive, 1 and 2 for old logs, 6 for new ones.
    pub file_kind: u32,
    /// Where the root key is.
    pub root_offset: u32,
    /// How long all bins are together.
    pub bins_size_in_bytes: u32,
    /// False if the checksum is not that of the block: it was being written when the power went.
    pub checksum_holds: bool,
}

impl BaseBlock {
    /// Decodes the block of a hive or a log.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, HiveError> {
        if !bytes.starts_with(b"regf") {
            return Err(HiveError::NotAHive);
        }
        let short = || HiveError::TooShort { size_in_bytes: bytes.len(), needed_in_bytes: LOG_SIZE_IN_BYTES };
        let word = |at| u32_at(bytes, at).ok_or_else(short);
        let (major, minor) = (word(20)?, word(24)?);
        if major != 1 || !(3..=6).contains(&minor) {
            return Err(HiveError::UnsupportedVersion { major, minor });
        }
        Ok(Self {
            primary_sequence: word(4)?,
            secondary_sequence: word(8)?,
            last_written: u64_at(bytes, 12).ok_or_else(short)?,
            minor_version: minor,
            file_kind: word(28)?,
            root_offset: word(36)?,
            bins_size_in_bytes: word(40)?,
            checksum_holds: word(CHECKSUM_AT)? == checksum(bytes.get(..CHECKSUM_AT).ok_or_else(short)?),
        })
    }

    /// True if a write was begun and not finished.
    pub fn is_dirty(&self) -> bool {
        self.primary_sequence != self.secondary_sequence || !self.checksum_holds
    }

    /// Puts the block into the first bytes of a hive or a log, with its checksum.
    pub(crate) fn write_to(&self, block: &mut [u8], file_name: &str) {
        let mut put = |at: usize, bytes: &[u8]| block[at..at + bytes.len()].copy_from_slice(bytes);
        put(0, b"regf");
        for (at, word) in [
            (4, self.primary_sequence),
            (8, self.secondary_sequence),
            (20, 1),
            (24, self.minor_version),
            (28, self.file_kind),
            // Loaded into memory as it is.
            (32, 1),
            (36, self.root_offset),
            (40, self.bins_size_in_bytes),
            // Sectors of 512 bytes.
            (44, 1),
        ] {
            put(at, &word.to_le_bytes());
        }
        put(12, &self.last_written.to_le_bytes());
        // The end of the name, if there is room for it.
        let units: Vec<u16> = file_name.encode_utf16().collect();
        let from = units.len().saturating_sub(31);
        for (at, unit) in units[from..].iter().enumerate() {
            put(48 + 2 * at, &unit.to_le_bytes());
        }
        let sum = checksum(&block[..CHECKSUM_AT]);
        block[CHECKSUM_AT..CHECKSUM_AT + 4].copy_from_slice(&sum.to_le_bytes());
    }
}

/// Makes a hive look as if the power had gone while it was written: its first sequence number is one ahead.
pub fn mark_dirty(hive: &mut [u8]) {
    let Some(primary) = u32_at(hive, 4) else { return };
    if hive.len() >= LOG_SIZE_IN_BYTES {
        hive[4..8].copy_from_slice(&primary.wrapping_add(1).to_le_bytes());
        let sum = checksum(&hive[..CHECKSUM_AT]);
        hive[CHECKSUM_AT..CHECKSUM_AT + 4].copy_from_slice(&sum.to_le_bytes());
    }
}

/// All words, exclusive-or; neither 0 nor all ones is used.
fn checksum(words: &[u8]) -> u32 {
    let sum = words.chunks_exact(4).fold(0, |sum, word| sum ^ u32_at(word, 0).unwrap_or(0));
    match sum {
        0 => 1,
        u32::MAX => u32::MAX - 1,
        sum => sum,
    }
}
