//! The blocks of a trunk's packs, read and unpacked when they are asked for.

use super::block::{Codec, Directory, Kind, Proving, Unpacked};
use super::block_cache::{BlockCache, Ready};
use super::block_file::{BlockFile, NotRead, heads_of};
use super::file_frame::Role;
use super::layout::FileName;
use super::list::List;
use super::parts::Parts;
use crate::Damage;
use crate::sealing::TrunkKey;
use porter_source::look_at_file;
use porter_source::spinning::{Arm, is_spinning};
use std::collections::{HashMap, HashSet};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

/// See the module.
pub(super) struct Blocks {
    pub(super) parts: Parts,
    pub(super) list: List,
    pub(super) key: Option<TrunkKey>,
    packs: OnceLock<Packs>,
    cache: BlockCache,
    /// Read from the medium, not from what the system remembers of writing it.
    pub(super) from_medium: bool,
    reads_once: AtomicBool,
    /// Whether blocks are proved when they are read, or only their contents, by the caller.
    proving: AtomicBool,
    /// Taken for each reading, if the trunk lies on a disk that spins.
    arm: Arm,
    is_spinning: AtomicBool,
    /// Blocks that were proved so.
    pub(super) proved: Mutex<HashSet<u32>>,
}

/// The packs, and where each block of contents is.
#[derive(Default)]
pub(super) struct Packs {
    pub(super) files: Vec<BlockFile>,
    pub(super) blocks: HashMap<u32, (usize, usize)>,
    pub(super) damage: Vec<Damage>,
}

impl Blocks {
    pub(super) fn new(parts: Parts, list: List, key: Option<TrunkKey>, from_medium: bool) -> Self {
        let spins = parts.folders().any(|(_, folder)| is_spinning(folder));
        Self {
            arm: Arm::default(),
            is_spinning: AtomicBool::new(spins),
            parts,
            list,
            key,
            packs: OnceLock::new(),
            cache: BlockCache::default(),
            from_medium,
            reads_once: AtomicBool::new(false),
            proving: AtomicBool::new(false),
            proved: Mutex::default(),
        }
    }

    /// The packs, opened when they are needed first: what a trunk holds stands in its list.
    pub(super) fn packs(&self) -> &Packs {
        self.packs.get_or_init(|| {
            let mut packs = Packs::default();
            for row in &self.list.contents.packs {
                let first = self.parts.first_folder();
                let folder = self.parts.folder_of(row.part).unwrap_or(&first);
                let path = FileName::Pack(row.number).in_folder(folder);
                let trunk = &self.list.contents.label.trunk_id;
                let opened = BlockFile::open(&path, Role::Pack, row.number, trunk, self.key.as_ref());
                let mut file = match opened {
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
                    file.read_from_medium();
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

    /// True for a block that is kept unpacked, or about to be.
    pub(super) fn has(&self, number: u32) -> bool {
        self.cache.has(number)
    }

    /// Announces that a block will be asked for soon.
    pub(super) fn will_get(&self, number: u32) {
        self.cache.will_get(number);
    }

    /// Says whether each block will be asked for once: then the system need not remember it.
    pub(super) fn read_once(&self, once: bool) {
        self.reads_once.store(once, Ordering::Relaxed);
    }

    /// Says that the trunk lies on a disk that spins.
    pub(super) fn spin(&self) {
        self.is_spinning.store(true, Ordering::Relaxed);
    }

    /// True if the trunk lies on a disk that spins.
    pub(super) fn spins(&self) -> bool {
        self.is_spinning.load(Ordering::Relaxed)
    }

    /// A turn to read, if the trunk lies on a disk that spins: then it should be a long one.
    pub(super) fn turn(&self) -> Option<MutexGuard<'_, ()>> {
        self.spins().then(|| self.arm.take())
    }

    /// Says whether blocks are to be proved when they are read.
    pub(super) fn prove_when_read(&self, prove: bool) {
        self.proving.store(prove, Ordering::Relaxed);
    }

    /// True if blocks are proved when they are read.
    pub(super) fn proves_blocks(&self) -> bool {
        self.proving.load(Ordering::Relaxed)
    }

    /// Notes that a block was proved, all but the contents that stand in it as they are.
    pub(super) fn note_proved(&self, number: u32) {
        if self.proves_blocks() {
            self.proved.lock().unwrap_or_else(PoisonError::into_inner).insert(number);
        }
    }

    /// A block of a pack was read to its end, and is not kept.
    pub(super) fn done_with_block(&self, file: &BlockFile, row: usize) {
        if self.reads_once.load(Ordering::Relaxed) {
            file.forget_cached_block(row);
        }
    }

    /// The directory of a block of contents. Not proved.
    pub(super) fn directory(&self, number: u32) -> Result<Directory, Damage> {
        let (file, row) = self.place_of(number)?;
        let _turn = self.turn();
        file.read_directory(row)
    }

    fn place_of(&self, number: u32) -> Result<(&BlockFile, usize), Damage> {
        let packs = self.packs();
        match packs.blocks.get(&number) {
            Some(&(file, row)) => Ok((&packs.files[file], row)),
            None => {
                let hurt = packs.damage.first().cloned();
                Err(hurt.unwrap_or_else(|| Damage::FileMissing(format!("block {number}"))))
            }
        }
    }

    /// A block of contents, unpacked.
    pub(super) fn get(&self, number: u32) -> Result<Arc<Ready>, Damage> {
        let length_in_bytes = |number: u32| {
            let packs = self.packs();
            let row =
                packs.blocks.get(&number).and_then(|(file, row)| packs.files.get(*file)?.rows.get(*row));
            row.map_or(0, |(_, head)| u64::from(head.raw_in_bytes))
        };
        self.cache.get(number, length_in_bytes, |number| self.read_block(number))
    }

    /// Shows the contents of a block where the system keeps them, with its directory. False if the block has
    /// to be read; then nothing that was seen counts.
    pub(super) fn look_at_block(
        &self,
        number: u32,
        look: &mut dyn FnMut(&Directory, &[u8]),
    ) -> Result<bool, Damage> {
        /// A shorter block is read as quickly.
        const SHORTEST_IN_BYTES: u32 = 256 << 10;
        let (file, row) = self.place_of(number)?;
        let Some((_, head)) = file.rows.get(row) else { return Ok(false) };
        let stands_there = self.key.is_none() && head.codec == Codec::Plain;
        // A read-back reads from the medium, and a disk that spins a long stretch at a time.
        if !stands_there || head.raw_in_bytes < SHORTEST_IN_BYTES || self.from_medium || self.spins() {
            return Ok(false);
        }
        let (directory, body_at) = file.read_plain_directory(row, self.proves_blocks())?;
        let length_in_bytes = head.raw_in_bytes as usize;
        let opened = file.file()?;
        let is_seen = opened.remembered().is_some_and(|opened| {
            look_at_file(opened, body_at, length_in_bytes, &mut |body| look(&directory, body))
        });
        if is_seen {
            self.done_with_block(file, row);
            self.note_proved(number);
        }
        Ok(is_seen)
    }

    /// A block of contents, unpacked for this call alone.
    pub(super) fn read_block(&self, number: u32) -> Result<Unpacked, Damage> {
        let (file, row) = self.place_of(number)?;
        let proving = if self.proves_blocks() { Proving::AllButPlainContents } else { Proving::Nothing };
        let turn = self.turn();
        let block = file.read(row, proving)?;
        drop(turn);
        self.done_with_block(file, row);
        let unpacked = block.unpacked().map_err(|_| Damage::ContentChanged(file.name.clone()))?;
        self.note_proved(number);
        Ok(unpacked)
    }
}
