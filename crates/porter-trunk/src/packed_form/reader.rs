//! Using a packed trunk.

use super::block::{Directory, Head, Kind, Proving, Unpacked};
use super::block_cache::{BlockCache, Ready};
use super::block_file::{BlockFile, NotRead, heads_of};
use super::file_frame::Role;
use super::layout::{FileName, LABEL};
use super::list::{self, List};
use super::parts::{Opener, Parts};
use super::without_spare;
use crate::form::{Depth, Rows};
use crate::lock::Lock;
use crate::sealing::TrunkKey;
use crate::{
    Audit, CaptureProof, Content, Damage, Entry, EntryRefused, Extent, Label, LeftBehind, Trunk, TrunkError,
    TrunkItem, TrunkProgram,
};
use std::collections::{HashMap, HashSet};
use std::io::{self, BufRead, Read};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// A finished packed trunk.
pub struct PackedTrunk {
    parts: Parts,
    folder: PathBuf,
    list: List,
    key: Option<TrunkKey>,
    packs: OnceLock<Packs>,
    cache: BlockCache,
    /// Read from the medium, not from what the system remembers of writing it.
    from_medium: bool,
    reads_once: AtomicBool,
    /// Whether blocks are proved when they are read, or only their contents, by the caller.
    proving: AtomicBool,
    proved: Mutex<HashSet<u32>>,
    flaws: Vec<Damage>,
}

/// The packs, and where each block of contents is.
#[derive(Default)]
struct Packs {
    files: Vec<BlockFile>,
    blocks: HashMap<u32, (usize, usize)>,
    damage: Vec<Damage>,
}

impl PackedTrunk {
    /// Opens the newest finished state of a trunk, given all folders that it lies in.
    pub fn load(folders: &[PathBuf], opener: Option<&Opener>) -> Result<Self, TrunkError> {
        let parts = Parts::load(folders)?;
        let key = parts.unlock(opener)?;
        let Some((path, number)) = list::newest(&parts)? else {
            return Err(TrunkError::Unfinished(parts.first_folder()));
        };
        let mut trunk = Self::with_list(parts, &path, number, key, false)?;
        trunk.flaws = trunk.find_flaws();
        Ok(trunk)
    }

    /// Flaws where the trunk is less than it once was: the rest of it is not damaged by that.
    fn find_flaws(&self) -> Vec<Damage> {
        let mut flaws = Vec::new();
        if self.list.contents.lacks_packs(&self.parts) {
            flaws.push(Damage::HoldsMore);
        }
        let there = self.list.file.head.number;
        if let Some(said) = self.parts.captures().filter(|said| *said > there) {
            flaws.push(Damage::CapturesMissing { said, there });
        }
        let is_listed = |name: &String| {
            self.list.contents.packs.iter().any(|row| FileName::Pack(row.number).to_string() == *name)
        };
        let gone = without_spare::names_of_files_that_are_gone(&self.parts).into_iter();
        flaws.extend(gone.filter(|name| !is_listed(name)).map(Damage::FileMissing));
        if self.list.contents.spare_in_percent.is_some() {
            let files = self.list.contents.packs.iter().filter_map(|row| {
                Some(FileName::Pack(row.number).in_folder(self.parts.folder_of(row.part)?))
            });
            let files = files.chain([self.list.path().to_path_buf()]);
            let spare = files.map(|path: PathBuf| crate::spare::path_of(&path));
            let gone = spare.filter(|path| path.symlink_metadata().is_err());
            flaws.extend(gone.map(|path| Damage::SpareMissing(super::block_file::name_of(&path))));
        }
        flaws
    }

    pub(super) fn with_list(
        parts: Parts,
        path: &Path,
        number: u32,
        key: Option<TrunkKey>,
        from_medium: bool,
    ) -> Result<Self, TrunkError> {
        let trunk = parts.outside()?.trunk_id.clone();
        let list = List::open(path, number, &trunk, key.as_ref())?;
        if let Some(row) = list.contents.packs.iter().find(|row| parts.folder_of(row.part).is_none()) {
            return Err(TrunkError::PartMissing { part: row.part, trunk_id: trunk });
        }
        Ok(Self {
            folder: parts.first_folder(),
            parts,
            list,
            key,
            packs: OnceLock::new(),
            cache: BlockCache::default(),
            from_medium,
            reads_once: AtomicBool::new(false),
            proving: AtomicBool::new(false),
            proved: Mutex::default(),
            flaws: Vec::new(),
        })
    }

    /// The packs, opened when they are needed first: what a trunk holds stands in its list.
    fn packs(&self) -> &Packs {
        self.packs.get_or_init(|| {
            let mut packs = Packs::default();
            for row in &self.list.contents.packs {
                let folder = self.parts.folder_of(row.part).unwrap_or(&self.folder);
                let path = FileName::Pack(row.number).in_folder(folder);
                let trunk = &self.list.contents.label.trunk_id;
                let opened = BlockFile::open(&path, Role::Pack, row.number, trunk, self.key.as_ref());
                let file = match opened {
                    Ok(file) => {
                        if !row.fits(&file) {
                            packs.damage.push(Damage::ContentChanged(file.name.clone()));
                        }
                        file
                    }
                    Err(cause) => {
                        let name = FileName::Pack(row.number).to_string();
                        packs.damage.push(match cause {
                            NotRead::Damaged(damage) => damage,
                            NotRead::CutOff | NotRead::Version(_) => Damage::ContentChanged(name),
                        });
                        // Its end or its beginning is damaged; most of its blocks may still be whole.
                        let trunk = &self.list.contents.label.trunk_id;
                        let others = self.parts.files().unwrap_or_default();
                        let like = heads_of(others.iter().map(|(_, _, path)| path.as_path()));
                        match BlockFile::salvage(
                            &path,
                            Role::Pack,
                            row.number,
                            Some(trunk),
                            self.key.as_ref(),
                            &like,
                        ) {
                            Ok(file) => file,
                            Err(_) => continue,
                        }
                    }
                };
                if self.from_medium {
                    file.forget_cached();
                }
                for (at, (_, head)) in file.rows.iter().enumerate() {
                    if head.kind == Kind::Contents {
                        packs.blocks.insert(head.number, (packs.files.len(), at));
                    }
                }
                packs.files.push(file);
            }
            packs
        })
    }

    fn block(&self, number: u32) -> Result<Arc<Ready>, Damage> {
        let length_in_bytes = |number: u32| {
            let packs = self.packs();
            let row =
                packs.blocks.get(&number).and_then(|(file, row)| packs.files.get(*file)?.rows.get(*row));
            row.map_or(0, |(_, head)| u64::from(head.raw_in_bytes))
        };
        self.cache.get(number, length_in_bytes, |number| self.read_block(number))
    }

    fn read_block(&self, number: u32) -> Result<Unpacked, Damage> {
        let packs = self.packs();
        let Some((file, row)) = packs.blocks.get(&number).copied() else {
            let hurt = packs.damage.first().cloned();
            return Err(hurt.unwrap_or_else(|| Damage::FileMissing(format!("block {number}"))));
        };
        let file = &packs.files[file];
        let proving = if self.proving.load(Ordering::Relaxed) {
            Proving::AllButPlainContents
        } else {
            Proving::Nothing
        };
        let block = file.read(row, proving)?;
        if self.reads_once.load(Ordering::Relaxed) {
            file.forget_cached_block(row);
        }
        let unpacked = block.unpacked().map_err(|_| Damage::ContentChanged(file.name.clone()))?;
        if proving == Proving::AllButPlainContents {
            self.proved.lock().unwrap_or_else(PoisonError::into_inner).insert(number);
        }
        Ok(unpacked)
    }

    /// The folders that it consists of.
    pub fn parts(&self) -> &Parts {
        &self.parts
    }
}

impl Trunk for PackedTrunk {
    fn label(&self) -> &Label {
        &self.list.contents.label
    }

    fn folder(&self) -> &Path {
        &self.folder
    }

    fn items(&self) -> &[TrunkItem] {
        &self.list.contents.items
    }

    fn programs(&self) -> &[TrunkProgram] {
        &self.list.contents.programs
    }

    fn entries(&self) -> Result<Rows<'_, Entry, EntryRefused>, TrunkError> {
        Ok(Box::new(self.list.entries()))
    }

    fn left(&self) -> Result<Rows<'_, LeftBehind, EntryRefused>, TrunkError> {
        Ok(Box::new(self.list.left()))
    }

    fn holds_more(&self) -> bool {
        self.list.contents.lacks_packs(&self.parts)
    }

    fn complete_spare(&self, told: &mut dyn FnMut(&str, io::Result<()>)) -> Result<(), TrunkError> {
        let mut told = |file: &str, made| {
            told(file, made);
            Ok(())
        };
        for (_, folder) in self.parts.folders() {
            let percent = crate::spare::percent_in(folder)
                .map_err(|cause| TrunkError::io("reading recovery data in", folder, cause))?;
            if let Some(percent) = percent {
                let _lock = Lock::take(folder)?;
                let trunk = &self.list.contents.label.trunk_id;
                without_spare::complete(folder, trunk, self.key.as_ref(), percent, &mut told)?;
            }
        }
        Ok(())
    }

    fn list_name(&self) -> String {
        self.list.file.name.clone()
    }

    fn proof(&self) -> Result<CaptureProof, TrunkError> {
        Ok(self.list.proof())
    }

    fn flaws(&self) -> &[Damage] {
        &self.flaws
    }

    fn open_content(&self, entry: &Entry) -> Result<Box<dyn BufRead + Send + '_>, Damage> {
        // A length that a line only claims must not make anybody read for ever, and no file is longer than
        // its system counts.
        if zeros_in_bytes(entry) > entry.size_in_bytes() || entry.size_in_bytes() > i64::MAX as u64 / 2 {
            return Err(Damage::ListsDisagree(entry.address.path.to_string()));
        }
        let rest_in_bytes = entry.size_in_bytes();
        let extents = entry.extents.as_slice().to_vec().into_iter();
        Ok(Box::new(Reading { trunk: self, extents, now: Now::Nothing, rest_in_bytes }))
    }

    fn will_read(&self, entry: &Entry) {
        if let Some(Extent::Contents { block, .. }) = entry.extents.as_slice().first() {
            self.cache.will_get(*block);
        }
    }

    fn will_read_in_all(&self, size_in_bytes: u64) {
        let rows = self.packs().files.iter().flat_map(|file| &file.rows);
        let of_contents = rows.filter(|(_, head)| head.kind == Kind::Contents);
        let kept_in_bytes: u64 = of_contents.map(|(_, head)| u64::from(head.raw_in_bytes)).sum();
        // A little comes again in every trunk. Attachments of mails come again and again, long after their
        // block was last asked for.
        let once = size_in_bytes <= kept_in_bytes.saturating_add(kept_in_bytes / 20);
        self.reads_once.store(once, Ordering::Relaxed);
    }

    fn audit(&self, depth: Depth) -> Result<Box<dyn Audit + '_>, TrunkError> {
        self.proving.store(depth == Depth::Full, Ordering::Relaxed);
        Ok(Box::new(PackedAudit { trunk: self, depth, used: HashMap::new(), seen: 0 }))
    }
}

/// How much of a file is nothing but zeros, by what its line says.
fn zeros_in_bytes(entry: &Entry) -> u64 {
    let zeros = entry.extents.as_slice().iter().map(|extent| match extent {
        Extent::Zeros { length_in_bytes } => *length_in_bytes,
        Extent::Contents { .. } => 0,
    });
    zeros.fold(0, u64::saturating_add)
}

/// Reads a file's content, extent by extent.
struct Reading<'t> {
    trunk: &'t PackedTrunk,
    extents: std::vec::IntoIter<Extent>,
    now: Now,
    rest_in_bytes: u64,
}

enum Now {
    Nothing,
    Block(Arc<Ready>, std::ops::Range<usize>),
    Zeros(u64),
}

impl Now {
    fn is_used_up(&self) -> bool {
        match self {
            Self::Nothing => true,
            Self::Block(_, range) => range.is_empty(),
            Self::Zeros(left) => *left == 0,
        }
    }
}

/// A stretch of what a hole reads as.
static ZEROS: [u8; 64 << 10] = [0; 64 << 10];

impl Read for Reading<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let piece = self.fill_buf()?;
        let length_in_bytes = piece.len().min(buffer.len());
        buffer[..length_in_bytes].copy_from_slice(&piece[..length_in_bytes]);
        self.consume(length_in_bytes);
        Ok(length_in_bytes)
    }
}

impl BufRead for Reading<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.rest_in_bytes == 0 {
            return Ok(&[]);
        }
        while self.now.is_used_up() {
            self.now = match self.extents.next() {
                None => return Ok(&[]),
                Some(Extent::Zeros { length_in_bytes }) => Now::Zeros(length_in_bytes),
                Some(Extent::Contents { block, first, count }) => {
                    let ready = self.trunk.block(block).map_err(io::Error::other)?;
                    let range = ready
                        .range(first, count)
                        .ok_or_else(|| io::Error::other(Damage::ListsDisagree(format!("block {block}"))))?;
                    Now::Block(ready, range)
                }
            };
        }
        let most = |length: u64| usize::try_from(length.min(self.rest_in_bytes)).unwrap_or(usize::MAX);
        Ok(match &self.now {
            Now::Nothing => &[],
            Now::Block(block, range) => &block.body()[range.start..range.start + most(range.len() as u64)],
            Now::Zeros(left) => &ZEROS[..most(*left).min(ZEROS.len())],
        })
    }

    fn consume(&mut self, length_in_bytes: usize) {
        self.rest_in_bytes = self.rest_in_bytes.saturating_sub(length_in_bytes as u64);
        match &mut self.now {
            Now::Nothing => {}
            Now::Block(_, range) => range.start += length_in_bytes,
            Now::Zeros(left) => *left = left.saturating_sub(length_in_bytes as u64),
        }
    }
}

/// The list against what is in the folders.
struct PackedAudit<'t> {
    trunk: &'t PackedTrunk,
    depth: Depth,
    /// For each block that an entry counts on: which of its contents are proved by entries that are whole.
    used: HashMap<u32, Vec<bool>>,
    /// Entries that were seen.
    seen: u64,
}

impl Audit for PackedAudit<'_> {
    fn see(&mut self, entry: &Entry, is_whole: bool) -> Option<Damage> {
        self.seen += 1;
        let Content::File { size_in_bytes, .. } = entry.content else { return None };
        let shown = || entry.address.path.to_string();
        if (entry.extents.is_empty() && size_in_bytes > 0) || zeros_in_bytes(entry) > size_in_bytes {
            return Some(Damage::ListsDisagree(shown()));
        }
        let packs = self.trunk.packs();
        for extent in entry.extents.as_slice() {
            let Extent::Contents { block, first, count } = *extent else { continue };
            let Some((file, row)) = packs.blocks.get(&block) else {
                return Some(Damage::FileMissing(shown()));
            };
            let used = self.used.entry(block).or_insert_with(|| {
                let head = &packs.files[*file].rows[*row].1;
                vec![false; Directory::rows_in(head.directory_in_bytes) as usize]
            });
            let end = (first as usize).saturating_add(count as usize);
            match used.get_mut(first as usize..end) {
                Some(rows) if is_whole => rows.fill(true),
                Some(_) => {}
                None => return Some(Damage::ListsDisagree(shown())),
            }
        }
        None
    }

    fn finish(self: Box<Self>) -> Result<Vec<Damage>, TrunkError> {
        let trunk = self.trunk;
        let packs = trunk.packs();
        let mut damage = packs.damage.clone();
        damage.extend(trunk.flaws.iter().cloned());
        if !trunk.parts.have_labels(&trunk.list.contents.parts) {
            damage.push(Damage::ContentChanged(LABEL.to_owned()));
        }
        if trunk.key.is_some() {
            damage.extend(trunk.parts.seal_files().damage());
        }
        let captured: u64 = trunk.items().iter().map(|item| item.captured.entries()).sum();
        if captured != self.seen {
            damage.push(Damage::ListsDisagree(trunk.list_name()));
        }
        damage.extend(trunk.unlisted()?);
        if self.depth == Depth::Full {
            let proved = trunk.proved.lock().unwrap_or_else(PoisonError::into_inner);
            let all_used = |number| self.used.get(&number).is_some_and(|rows| rows.iter().all(|used| *used));
            let is_open = |head: &Head| {
                head.kind != Kind::Contents || !proved.contains(&head.number) || !all_used(head.number)
            };
            for file in packs.files.iter().chain([&trunk.list.file]) {
                let rows = file.rows.iter().enumerate().filter(|(_, (_, head))| is_open(head));
                damage.extend(rows.filter_map(|(row, _)| file.read(row, Proving::Everything).err()));
            }
            drop(proved);
            damage.extend(trunk.damage_in_older_lists()?);
            for (_, folder) in trunk.parts.folders() {
                damage.extend(crate::spare::damage_in(folder, &trunk.list.file.name)?);
            }
        }
        damage.dedup();
        Ok(damage)
    }
}

impl PackedTrunk {
    /// Files that no list names. Files of an unfinished top-up are not this state's business.
    fn unlisted(&self) -> Result<Vec<Damage>, TrunkError> {
        let rows = &self.list.contents.packs;
        let last = rows.iter().map(|row| row.number).max().unwrap_or(0);
        let mut damage = Vec::new();
        for (part, folder) in self.parts.folders() {
            let failed = |cause| TrunkError::io("looking into", folder, cause);
            for row in std::fs::read_dir(folder).map_err(failed)? {
                let name = row.map_err(failed)?.file_name().to_string_lossy().into_owned();
                let is_ours = match FileName::parse(&name) {
                    Some(FileName::Pack(number)) => {
                        number > last || rows.iter().any(|row| row.number == number && row.part == part)
                    }
                    Some(FileName::OpenPack(_) | FileName::OpenList(_) | FileName::List(_)) => true,
                    None => {
                        name == LABEL
                            || name.ends_with(&format!(".list{}", crate::signature::ENDING))
                            || crate::host::BEGUN.contains(&name.as_str())
                            || crate::spare::is_spare(&name)
                            || name.ends_with(super::set_aside::SET_ASIDE)
                            || crate::host::NOT_A_PERSONS.contains(&name.as_str())
                    }
                };
                if !is_ours {
                    damage.push(Damage::FileNotListed(name));
                }
            }
        }
        Ok(damage)
    }

    /// Lists of earlier captures into the same trunk.
    fn damage_in_older_lists(&self) -> Result<Vec<Damage>, TrunkError> {
        let mut damage = Vec::new();
        for (name, _, path) in self.parts.files()? {
            let FileName::List(number) = name else { continue };
            if number == self.list.file.head.number {
                continue;
            }
            let trunk = &self.list.contents.label.trunk_id;
            match BlockFile::open(&path, Role::List, number, trunk, self.key.as_ref()) {
                Ok(file) => damage.extend(file.damage()),
                Err(NotRead::Damaged(found)) => damage.push(found),
                Err(NotRead::CutOff | NotRead::Version(_)) => {
                    damage.push(Damage::ContentChanged(name.to_string()));
                }
            }
        }
        Ok(damage)
    }
}
