//! How a file is dealt out to shards and groups, and how a spare file says so.

use crate::host::read_exact_at;
use std::fs::File;
use std::io;

const MAGIC: [u8; 8] = *b"PORTERSP";
const VERSION: u32 = 1;
pub(super) const HEAD_IN_BYTES: usize = 64;
pub(super) const MARK_IN_BYTES: usize = 8;
/// Shards of a group, at most: what is held in memory at one time.
const GROUP: u64 = 512;
pub(super) const LARGEST_SHARD_IN_BYTES: u64 = 64 << 10;

/// How a file is dealt out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Plan {
    pub(super) file_in_bytes: u64,
    pub(super) shard_in_bytes: u64,
    pub(super) groups: u64,
    /// Spare shards of each group.
    pub(super) spare: u64,
}

impl Plan {
    pub(super) fn new(file_in_bytes: u64, percent: f64) -> Self {
        // A small file gets small shards, so that damage here and there does not hit all of them.
        let shard_in_bytes = (file_in_bytes / 1024).next_multiple_of(64).clamp(64, LARGEST_SHARD_IN_BYTES);
        let plan = Self { file_in_bytes, shard_in_bytes, groups: 1, spare: 1 };
        let groups = plan.shards().div_ceil(GROUP).max(1);
        let plan = Self { groups, ..plan };
        let spare = (plan.in_group() as f64 * percent / 100.0).ceil() as u64;
        Self { spare: spare.clamp(1, GROUP), ..plan }
    }

    pub(super) fn shards(&self) -> u64 {
        self.file_in_bytes.div_ceil(self.shard_in_bytes)
    }

    /// How much of the file it can repair. Spare data made of this share gets as many shards.
    pub(super) fn percent(&self) -> f64 {
        self.spare as f64 * 100.0 / self.in_group() as f64 - 1e-9
    }

    /// Shards of the largest group. A group that has fewer counts as filled up with zeros.
    pub(super) fn in_group(&self) -> u64 {
        self.shards().div_ceil(self.groups).max(1)
    }

    pub(super) fn table_in_bytes(&self) -> u64 {
        (self.shards() + self.groups * self.spare) * MARK_IN_BYTES as u64
    }

    pub(super) fn spare_file_in_bytes(&self) -> u64 {
        2 * (HEAD_IN_BYTES as u64 + self.table_in_bytes()) + self.groups * self.spare * self.shard_in_bytes
    }

    pub(super) fn head(&self, table: &[u8]) -> [u8; HEAD_IN_BYTES] {
        let mut head = [0; HEAD_IN_BYTES];
        head[..8].copy_from_slice(&MAGIC);
        head[8..12].copy_from_slice(&VERSION.to_le_bytes());
        for (at, number) in
            [self.file_in_bytes, self.shard_in_bytes, self.groups, self.spare].iter().enumerate()
        {
            head[12 + at * 8..20 + at * 8].copy_from_slice(&number.to_le_bytes());
        }
        head[44..52].copy_from_slice(&mark_of(table));
        let check = mark_of(&head[..52]);
        head[52..60].copy_from_slice(&check);
        head
    }

    /// The plan, and the mark of the table.
    pub(super) fn from_head(head: &[u8; HEAD_IN_BYTES]) -> Option<(Self, [u8; MARK_IN_BYTES])> {
        let number = |at: usize| {
            let mut bytes = [0; 8];
            bytes.copy_from_slice(&head[12 + at * 8..20 + at * 8]);
            u64::from_le_bytes(bytes)
        };
        let plan =
            Self { file_in_bytes: number(0), shard_in_bytes: number(1), groups: number(2), spare: number(3) };
        let mut mark = [0; MARK_IN_BYTES];
        mark.copy_from_slice(&head[44..52]);
        let believable = head[..8] == MAGIC
            && head[8..12] == VERSION.to_le_bytes()
            && head[52..60] == mark_of(&head[..52])
            && head[60..] == [0; 4]
            && (64..=LARGEST_SHARD_IN_BYTES).contains(&plan.shard_in_bytes)
            && plan.shard_in_bytes.is_multiple_of(64)
            && (1..=GROUP).contains(&plan.spare)
            && plan.file_in_bytes < 1 << 40
            && plan.groups == plan.shards().div_ceil(GROUP).max(1);
        believable.then_some((plan, mark))
    }

    /// The version that a whole head of a later porter names.
    pub(super) fn later_version(head: &[u8; HEAD_IN_BYTES]) -> Option<u32> {
        let version = u32::from_le_bytes([head[8], head[9], head[10], head[11]]);
        let is_whole = head[..8] == MAGIC && head[52..60] == mark_of(&head[..52]);
        (is_whole && version > VERSION).then_some(version)
    }

    pub(super) fn read_shard(&self, file: &File, number: u64) -> io::Result<Vec<u8>> {
        let begin = number * self.shard_in_bytes;
        let length = self.shard_in_bytes.min(self.file_in_bytes.saturating_sub(begin));
        let mut shard = vec![0; self.shard_in_bytes as usize];
        read_exact_at(file, begin, &mut shard[..length as usize])?;
        Ok(shard)
    }

    /// Numbers of the shards of a group.
    pub(super) fn group(&self, group: u64) -> impl Iterator<Item = u64> + use<> {
        (group..self.shards()).step_by(usize::try_from(self.groups).unwrap_or(usize::MAX))
    }
}

/// The mark that identifies a shard or a table: the beginning of its BLAKE3.
pub(super) fn mark_of(bytes: &[u8]) -> [u8; MARK_IN_BYTES] {
    let hash: [u8; 32] = blake3::hash(bytes).into();
    let mut mark = [0; MARK_IN_BYTES];
    mark.copy_from_slice(&hash[..MARK_IN_BYTES]);
    mark
}
