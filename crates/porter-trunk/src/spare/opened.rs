//! A file with recovery data, and those of a folder.

use super::name::{ENDING, OF_OPEN_LIST, path_of, spare_files};
use super::other;
use super::plan::{HEAD_IN_BYTES, LARGEST_SHARD_IN_BYTES, MARK_IN_BYTES, Plan, mark_of};
use crate::host::{open_plain_file, read_exact_at};
use crate::{Damage, TrunkError};
use reed_solomon_simd::ReedSolomonDecoder;
use std::fs::File;
use std::io;
use std::path::Path;

/// A shard by its number.
pub(super) type Shard = (u64, Vec<u8>);

/// A file with recovery data, opened.
pub(super) struct Spare {
    pub(super) file: File,
    pub(super) plan: Plan,
    table: Vec<u8>,
    /// Neither copy of head and table is damaged, and the length is right.
    is_whole: bool,
}

impl Spare {
    /// None if both heads or both tables are damaged: then it is of no use. Fails with `Unsupported` for one
    /// of a later porter.
    pub(super) fn open(path: &Path) -> io::Result<Option<Self>> {
        let file = open_plain_file(path)?;
        let length_in_bytes = file.metadata()?.len();
        let read = |at: u64, length: usize| {
            let mut bytes = vec![0; length];
            read_exact_at(&file, at, &mut bytes).ok().map(|()| bytes)
        };
        let head_at = |at: u64| -> Option<[u8; HEAD_IN_BYTES]> { read(at, HEAD_IN_BYTES)?.try_into().ok() };
        let at_end = length_in_bytes.checked_sub(HEAD_IN_BYTES as u64);
        let heads = [head_at(0), at_end.and_then(head_at)];
        if let Some(version) = heads.iter().flatten().find_map(Plan::later_version) {
            let what = format!("its recovery data is of version {version}, made by a later porter");
            return Err(io::Error::new(io::ErrorKind::Unsupported, what));
        }
        let heads = heads.map(|head| Plan::from_head(&head?));
        let Some((plan, mark)) = heads.iter().flatten().next().copied() else { return Ok(None) };
        if length_in_bytes > plan.spare_file_in_bytes() + LARGEST_SHARD_IN_BYTES {
            return Ok(None);
        }
        let table_in_bytes = plan.table_in_bytes() as usize;
        let end_table_at = plan.spare_file_in_bytes() - HEAD_IN_BYTES as u64 - plan.table_in_bytes();
        let tables = [HEAD_IN_BYTES as u64, end_table_at]
            .map(|at| read(at, table_in_bytes).filter(|table| mark_of(table) == mark));
        let is_whole = length_in_bytes == plan.spare_file_in_bytes()
            && heads[0] == heads[1]
            && tables.iter().all(Option::is_some);
        let Some(table) = tables.into_iter().flatten().next() else { return Ok(None) };
        Ok(Some(Self { file, plan, table, is_whole }))
    }

    pub(super) fn is_right(&self, at: u64, shard: &[u8]) -> bool {
        let begin = at as usize * MARK_IN_BYTES;
        self.table.get(begin..begin + MARK_IN_BYTES) == Some(&mark_of(shard)[..])
    }

    /// True if no byte of the recovery data itself is damaged.
    pub(super) fn is_right_throughout(&self) -> bool {
        let Plan { groups, spare, .. } = self.plan;
        self.is_whole && (0..groups).all(|group| (0..spare).all(|at| self.spare_shard(group, at).is_some()))
    }

    /// A spare shard, if it is whole.
    fn spare_shard(&self, group: u64, at: u64) -> Option<Vec<u8>> {
        let number = group * self.plan.spare + at;
        let begin = HEAD_IN_BYTES as u64 + self.plan.table_in_bytes() + number * self.plan.shard_in_bytes;
        let mut shard = vec![0; self.plan.shard_in_bytes as usize];
        read_exact_at(&self.file, begin, &mut shard).ok()?;
        self.is_right(self.plan.shards() + number, &shard).then_some(shard)
    }

    /// The number of shards of a group that can be rebuilt.
    pub(super) fn of_use_in(&self, group: u64) -> usize {
        (0..self.plan.spare).filter(|at| self.spare_shard(group, *at).is_some()).count()
    }

    /// Rebuilds the damaged shards of a group; none if too many are damaged.
    pub(super) fn repaired(
        &self,
        file: &File,
        group: u64,
        damaged: &[u64],
    ) -> io::Result<Option<Vec<Shard>>> {
        let plan = &self.plan;
        let (in_group, length) = (plan.in_group() as usize, plan.shard_in_bytes as usize);
        let mut decoder = ReedSolomonDecoder::new(in_group, plan.spare as usize, length).map_err(other)?;
        let mut given = 0;
        for (at, number) in plan.group(group).enumerate() {
            given = at + 1;
            if !damaged.contains(&number) {
                decoder.add_original_shard(at, plan.read_shard(file, number)?).map_err(other)?;
            }
        }
        let zeros = vec![0; length];
        for at in given..in_group {
            decoder.add_original_shard(at, &zeros).map_err(other)?;
        }
        let mut spare = 0;
        for at in 0..plan.spare {
            if let Some(shard) = self.spare_shard(group, at) {
                decoder.add_recovery_shard(at as usize, shard).map_err(other)?;
                spare += 1;
            }
        }
        if spare < damaged.len() {
            return Ok(None);
        }
        let decoded = decoder.decode().map_err(other)?;
        let mut repaired = Vec::with_capacity(damaged.len());
        for (at, number) in plan.group(group).enumerate() {
            if let Some(shard) = decoded.restored_original(at).filter(|_| damaged.contains(&number)) {
                if !self.is_right(number, shard) {
                    return Ok(None);
                }
                repaired.push((number, shard.to_vec()));
            }
        }
        Ok(Some(repaired))
    }
}

/// The damage of the recovery data in a folder; for lists that were not finished, only that of `list`.
pub(crate) fn damage_in(folder: &Path, list: &str) -> Result<Vec<Damage>, TrunkError> {
    let failed = |cause| TrunkError::io("reading recovery data in", folder, cause);
    let mut damage = Vec::new();
    for (path, name) in spare_files(folder).map_err(failed)? {
        if name.ends_with(OF_OPEN_LIST) && name.strip_suffix(ENDING) != Some(list) {
            continue;
        }
        match Spare::open(&path) {
            Ok(Some(spare)) if spare.is_right_throughout() => {}
            Ok(_) => damage.push(Damage::ContentChanged(name)),
            Err(cause) => damage.push(Damage::of_reading(&cause, &name)),
        }
    }
    Ok(damage)
}

/// True if a file has recovery data that can be used, by this porter or by a later one.
pub(crate) fn is_of_use_for(file: &Path) -> bool {
    match Spare::open(&path_of(file)) {
        Ok(spare) => spare.is_some(),
        Err(cause) => cause.kind() == io::ErrorKind::Unsupported,
    }
}

/// The share that the recovery data in a folder was asked for, if it can be known; none without usable data.
/// Each file has at least this share: small files have more, as a shard is never cut.
pub(crate) fn percent_in(folder: &Path) -> io::Result<Option<f64>> {
    let mut least: Option<f64> = None;
    for (path, _) in spare_files(folder)? {
        if let Ok(Some(spare)) = Spare::open(&path) {
            let percent = spare.plan.percent();
            least = Some(least.map_or(percent, |before| before.min(percent)));
        }
    }
    Ok(least)
}
