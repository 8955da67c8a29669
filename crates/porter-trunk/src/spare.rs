//! Spare data: Reed–Solomon parity beside a file, enough to repair a share of it wherever the damage is.
//!
//! A file is cut into shards, which are dealt out to groups in turn, so that one long scratch hits every group a little. Each
//! group has spare shards; as many damaged or missing ones of the group can be made anew.
//!
//! Layout, integers little-endian: head; table (8 bytes of BLAKE3 of each shard, then of each spare shard); the spare shards,
//! group after group; the table again; the head again. Described in `docs/trunk-format.md`.

use crate::host::{create_new, open_plain_file, open_plain_file_to_write, read_exact_at, write_in_portions};
use crate::lock::Lock;
use crate::{Damage, TrunkError};
use reed_solomon_simd::{ReedSolomonDecoder, ReedSolomonEncoder};
use std::fs::{self, File};
use std::io::{self, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

const MAGIC: [u8; 8] = *b"PORTERSP";
const VERSION: u32 = 1;
const HEAD_IN_BYTES: usize = 64;
const MARK_IN_BYTES: usize = 8;
/// How the names of spare data end, after that of their file.
const ENDING: &str = ".spare";
/// The same while it is written.
const OPEN_ENDING: &str = ".spare-part";
/// Those of a list that was not finished.
const OF_OPEN_LIST: &str = ".part.spare";
/// Shards of a group, at most: what is held in memory at one time.
const GROUP: u64 = 512;
const LARGEST_SHARD_IN_BYTES: u64 = 64 << 10;

/// How a file is dealt out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Plan {
    file_in_bytes: u64,
    shard_in_bytes: u64,
    groups: u64,
    /// Spare shards of each group.
    spare: u64,
}

impl Plan {
    fn new(file_in_bytes: u64, percent: f64) -> Self {
        // A small file gets small shards, so that damage here and there does not hit all of them.
        let shard_in_bytes = (file_in_bytes / 1024).next_multiple_of(64).clamp(64, LARGEST_SHARD_IN_BYTES);
        let plan = Self { file_in_bytes, shard_in_bytes, groups: 1, spare: 1 };
        let groups = plan.shards().div_ceil(GROUP).max(1);
        let plan = Self { groups, ..plan };
        let spare = (plan.in_group() as f64 * percent / 100.0).ceil() as u64;
        Self { spare: spare.clamp(1, GROUP), ..plan }
    }

    fn shards(&self) -> u64 {
        self.file_in_bytes.div_ceil(self.shard_in_bytes)
    }

    /// How much of the file it can repair. Whoever makes spare data of this share gets as many shards.
    fn percent(&self) -> f64 {
        self.spare as f64 * 100.0 / self.in_group() as f64 - 1e-9
    }

    /// Shards of the largest group. A group that has fewer counts as filled up with zeros.
    fn in_group(&self) -> u64 {
        self.shards().div_ceil(self.groups).max(1)
    }

    fn table_in_bytes(&self) -> u64 {
        (self.shards() + self.groups * self.spare) * MARK_IN_BYTES as u64
    }

    fn spare_file_in_bytes(&self) -> u64 {
        2 * (HEAD_IN_BYTES as u64 + self.table_in_bytes()) + self.groups * self.spare * self.shard_in_bytes
    }

    fn head(&self, table: &[u8]) -> [u8; HEAD_IN_BYTES] {
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
    fn from_head(head: &[u8; HEAD_IN_BYTES]) -> Option<(Self, [u8; MARK_IN_BYTES])> {
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

    fn read_shard(&self, file: &File, number: u64) -> io::Result<Vec<u8>> {
        let begin = number * self.shard_in_bytes;
        let length = self.shard_in_bytes.min(self.file_in_bytes.saturating_sub(begin));
        let mut shard = vec![0; self.shard_in_bytes as usize];
        read_exact_at(file, begin, &mut shard[..length as usize])?;
        Ok(shard)
    }

    /// Numbers of the shards of a group.
    fn group(&self, group: u64) -> impl Iterator<Item = u64> + use<> {
        (group..self.shards()).step_by(usize::try_from(self.groups).unwrap_or(usize::MAX))
    }
}

fn mark_of(bytes: &[u8]) -> [u8; MARK_IN_BYTES] {
    let hash: [u8; 32] = blake3::hash(bytes).into();
    let mut mark = [0; MARK_IN_BYTES];
    mark.copy_from_slice(&hash[..MARK_IN_BYTES]);
    mark
}

fn other(cause: reed_solomon_simd::Error) -> io::Error {
    io::Error::other(cause.to_string())
}

/// True for the name of a file with spare data, and of one that was cut off while it was written.
pub(crate) fn is_spare(name: &str) -> bool {
    name.ends_with(ENDING) || name.ends_with(OPEN_ENDING)
}

/// Where the spare data of a file is.
pub(crate) fn path_of(file: &Path) -> PathBuf {
    longer(file, ENDING)
}

fn longer(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(ending);
    PathBuf::from(name)
}

/// Takes away what a run that was cut off has left of spare data.
pub(crate) fn remove_unfinished(folder: &Path) {
    for row in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = row.file_name();
        if [OPEN_ENDING, OF_OPEN_LIST].iter().any(|ending| name.to_string_lossy().ends_with(ending)) {
            // If it stays, it is in nobody's way.
            let _ = fs::remove_file(row.path());
        }
    }
}

/// Writes the spare data of the file at `path`, which is or will be called `name`, beside it.
pub(crate) fn write(path: &Path, name: &str, percent: f64, private: bool) -> io::Result<()> {
    let file = open_plain_file(path)?;
    let plan = Plan::new(file.metadata()?.len(), percent);
    let named = path.with_file_name(name);
    let aside = longer(&named, OPEN_ENDING);
    let _ = fs::remove_file(&aside);
    let done = write_to(&file, &plan, create_new(&aside, private)?)
        .and_then(|()| fs::rename(&aside, path_of(&named)));
    if done.is_err() {
        // Its room may be what something else still needs.
        let _ = fs::remove_file(&aside);
    }
    done
}

fn write_to(file: &File, plan: &Plan, mut to: File) -> io::Result<()> {
    to.seek(SeekFrom::Start(HEAD_IN_BYTES as u64 + plan.table_in_bytes()))?;
    let mut table = vec![0; plan.table_in_bytes() as usize];
    let mut put_mark = |at: u64, shard: &[u8]| {
        let begin = at as usize * MARK_IN_BYTES;
        table[begin..begin + MARK_IN_BYTES].copy_from_slice(&mark_of(shard));
    };
    let mut next_spare = plan.shards();
    for group in 0..plan.groups {
        let (in_group, spare, length) =
            (plan.in_group() as usize, plan.spare as usize, plan.shard_in_bytes as usize);
        let mut encoder = ReedSolomonEncoder::new(in_group, spare, length).map_err(other)?;
        let mut given = 0;
        for number in plan.group(group) {
            let shard = plan.read_shard(file, number)?;
            put_mark(number, &shard);
            encoder.add_original_shard(&shard).map_err(other)?;
            given += 1;
        }
        let zeros = vec![0; length];
        for _ in given..in_group {
            encoder.add_original_shard(&zeros).map_err(other)?;
        }
        for shard in encoder.encode().map_err(other)?.recovery_iter() {
            put_mark(next_spare, shard);
            next_spare += 1;
            write_in_portions(&mut to, shard)?;
        }
    }
    let head = plan.head(&table);
    to.write_all(&table)?;
    to.write_all(&head)?;
    to.seek(SeekFrom::Start(0))?;
    to.write_all(&head)?;
    to.write_all(&table)?;
    to.sync_all()
}

/// A shard by its number.
type Shard = (u64, Vec<u8>);

/// A file with spare data, opened.
struct Spare {
    file: File,
    plan: Plan,
    table: Vec<u8>,
    /// Neither copy of head and table is hurt, and the length is right.
    is_whole: bool,
}

impl Spare {
    /// None if both heads or both tables are hurt: then it is of no use.
    fn open(path: &Path) -> io::Result<Option<Self>> {
        let file = open_plain_file(path)?;
        let length_in_bytes = file.metadata()?.len();
        let read = |at: u64, length: usize| {
            let mut bytes = vec![0; length];
            read_exact_at(&file, at, &mut bytes).ok().map(|()| bytes)
        };
        let head_at = |at: u64| {
            let head: [u8; HEAD_IN_BYTES] = read(at, HEAD_IN_BYTES)?.try_into().ok()?;
            Plan::from_head(&head)
        };
        let heads = [head_at(0), length_in_bytes.checked_sub(HEAD_IN_BYTES as u64).and_then(head_at)];
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

    fn is_right(&self, at: u64, shard: &[u8]) -> bool {
        let begin = at as usize * MARK_IN_BYTES;
        self.table.get(begin..begin + MARK_IN_BYTES) == Some(&mark_of(shard)[..])
    }

    /// True if no byte of the spare data itself is hurt.
    fn is_right_throughout(&self) -> bool {
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

    /// Makes the damaged shards of a group anew; none if too many are damaged.
    fn repaired(&self, file: &File, group: u64, damaged: &[u64]) -> io::Result<Option<Vec<Shard>>> {
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

fn spare_files(folder: &Path) -> io::Result<Vec<(PathBuf, String)>> {
    let mut files = Vec::new();
    for row in fs::read_dir(folder)? {
        let row = row?;
        if let Some(name) = row.file_name().to_str().filter(|name| name.ends_with(ENDING)) {
            files.push((row.path(), name.to_owned()));
        }
    }
    files.sort();
    Ok(files)
}

/// What is wrong with the spare data in a folder itself; of lists that were not finished only with that of `list`.
pub(crate) fn damage_in(folder: &Path, list: &str) -> Result<Vec<Damage>, TrunkError> {
    let failed = |cause| TrunkError::io("reading spare data in", folder, cause);
    let mut damage = Vec::new();
    for (path, name) in spare_files(folder).map_err(failed)? {
        if name.ends_with(OF_OPEN_LIST) && name.strip_suffix(ENDING) != Some(list) {
            continue;
        }
        let is_whole = Spare::open(&path).map_err(failed)?.is_some_and(|spare| spare.is_right_throughout());
        if !is_whole {
            damage.push(Damage::ContentChanged(name));
        }
    }
    Ok(damage)
}

/// True if a file has spare data that can be used.
pub(crate) fn is_of_use_for(file: &Path) -> bool {
    Spare::open(&path_of(file)).is_ok_and(|spare| spare.is_some())
}

/// The share that the spare data in a folder was asked for, as far as it can be told; none where there is none of use. Each has at least so much:
/// of small files it is more, as a shard is never cut.
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

/// What was done with one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Mended {
    /// Nothing was wrong.
    Whole {
        /// The file.
        file: String,
    },
    /// It is again what was written.
    Repaired {
        /// The file.
        file: String,
        /// How much of it was written anew.
        repaired_in_bytes: u64,
    },
    /// More is damaged than the spare data can repair. Nothing was changed.
    TooMuch {
        /// The file.
        file: String,
        /// How much of it is damaged.
        damaged_in_bytes: u64,
    },
    /// The file was whole, and its spare data was not: that was written anew.
    SpareRenewed {
        /// The file.
        file: String,
    },
    /// The spare data is too damaged to be of use, and so nothing can be said of the file.
    SpareLost {
        /// The file.
        file: String,
    },
}

/// Repairs all files of a folder that have spare data.
///
/// Damaged places are written over, each proved before it is written; a run that is cut off can be repeated.
pub fn mend(folder: &Path) -> Result<Vec<Mended>, TrunkError> {
    let failed = |cause| TrunkError::io("mending", folder, cause);
    let mut done = Vec::new();
    let mut files = spare_files(folder).map_err(failed)?;
    files.retain(|(_, name)| !name.ends_with(OF_OPEN_LIST));
    if files.is_empty() {
        return Ok(done);
    }
    let _lock = Lock::take(folder)?;
    for (path, name) in files {
        let file = name.trim_end_matches(ENDING).to_owned();
        let original = folder.join(&file);
        done.push(match Spare::open(&path).map_err(failed)? {
            Some(spare) => mend_file(spare, &original, file)
                .map_err(|cause| TrunkError::io("mending", &original, cause))?,
            None => Mended::SpareLost { file },
        });
    }
    Ok(done)
}

fn mend_file(spare: Spare, path: &Path, name: String) -> io::Result<Mended> {
    let plan = spare.plan;
    // A file that is gone is one with nothing in it; as far as it is short it is damaged.
    let was_there = path.symlink_metadata().is_ok();
    let mut file = if was_there { open_plain_file_to_write(path)? } else { create_new(path, true)? };
    let length_before = file.metadata()?.len();
    let is_damaged = |number: &u64| match plan.read_shard(&file, *number) {
        Ok(shard) => !spare.is_right(*number, &shard),
        Err(_) => true,
    };
    let mut repaired: Vec<Shard> = Vec::new();
    let mut damaged_shards = 0;
    let mut too_much = false;
    for group in 0..plan.groups {
        let damaged: Vec<u64> = plan.group(group).filter(&is_damaged).collect();
        if damaged.is_empty() {
            continue;
        }
        damaged_shards += damaged.len() as u64;
        match spare.repaired(&file, group, &damaged)? {
            Some(mut shards) => repaired.append(&mut shards),
            None => too_much = true,
        }
    }
    if too_much {
        if !was_there {
            drop(file);
            fs::remove_file(path)?;
        }
        return Ok(Mended::TooMuch { file: name, damaged_in_bytes: damaged_shards * plan.shard_in_bytes });
    }
    let repaired_in_bytes = repaired.len() as u64 * plan.shard_in_bytes;
    for (number, shard) in &repaired {
        let begin = number * plan.shard_in_bytes;
        let length = plan.shard_in_bytes.min(plan.file_in_bytes - begin) as usize;
        file.seek(SeekFrom::Start(begin))?;
        file.write_all(&shard[..length])?;
    }
    if length_before != plan.file_in_bytes || !repaired.is_empty() {
        file.set_len(plan.file_in_bytes)?;
        if !was_there {
            file.set_permissions(spare.file.metadata()?.permissions())?;
        }
        file.sync_all()?;
        return Ok(Mended::Repaired { file: name, repaired_in_bytes });
    }
    if spare.is_right_throughout() {
        return Ok(Mended::Whole { file: name });
    }
    // Windows gives no file a name that is held open under it.
    drop(spare);
    write(path, &name, plan.percent(), true)?;
    // What is sealed stays for its owner's eyes only, and what is not is as readable as before.
    fs::set_permissions(path_of(path), fs::metadata(path)?.permissions())?;
    Ok(Mended::SpareRenewed { file: name })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with_spare(length: usize, percent: f64) -> (tempfile::TempDir, PathBuf, Vec<u8>) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("pack");
        let mut content = vec![0; length];
        crate::sealing::fill_random(&mut content).unwrap();
        fs::write(&path, &content).unwrap();
        write(&path, "pack", percent, false).unwrap();
        assert_eq!(damage_in(folder.path(), "").unwrap(), []);
        (folder, path, content)
    }

    #[test]
    fn as_much_as_was_promised_is_repaired_wherever_it_is_and_more_is_left_alone() {
        for length in [3, 5_000, 700_001, 40_000_000] {
            let (folder, path, content) = with_spare(length, 5.0);
            let hurt = |from: usize, count: usize| {
                let mut hurt = content.clone();
                hurt[from..from + count].iter_mut().for_each(|byte| *byte ^= 0x55);
                fs::write(&path, &hurt).unwrap();
                hurt
            };
            // A scratch of a little less than 5%: where it begins and ends, two shards are hit in part.
            let scratch = (length / 25).max(1);
            for from in [0, length / 3, length - scratch] {
                hurt(from, scratch);
                let done = mend(folder.path()).unwrap();
                assert!(matches!(done[..], [Mended::Repaired { .. }]), "{length} {from}: {done:?}");
                assert!(fs::read(&path).unwrap() == content, "{length} {from}");
            }
            fs::write(&path, &content[..length - scratch]).unwrap();
            assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::Repaired { .. }]), "cut off");
            assert!(fs::read(&path).unwrap() == content);
            assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::Whole { .. }]));
            if length > 1000 {
                let too_much = hurt(length / 4, length / 4);
                assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::TooMuch { .. }]));
                assert!(fs::read(&path).unwrap() == too_much, "what cannot be repaired is not touched");
            }
        }
    }

    #[test]
    fn any_changed_byte_of_the_spare_data_is_noticed_and_it_is_made_anew() {
        let (folder, path, content) = with_spare(9_000, 10.0);
        let spare = folder.path().join("pack.spare");
        let whole = fs::read(&spare).unwrap();
        for at in 0..whole.len() {
            let mut hurt = whole.clone();
            hurt[at] ^= 1;
            fs::write(&spare, &hurt).unwrap();
            assert_eq!(damage_in(folder.path(), "").unwrap().len(), 1, "byte {at}");
            if at % 97 == 0 {
                assert!(
                    matches!(mend(folder.path()).unwrap()[..], [Mended::SpareRenewed { .. }]),
                    "byte {at}"
                );
                assert!(fs::read(&spare).unwrap() == whole && fs::read(&path).unwrap() == content);
            }
        }
    }
}
