//! Filling a packed trunk: a new one, one that was cut off, or one that is topped up.

use super::PackedTrunk;
use super::block::{self, Codec, ContentId, Directory, Kind};
use super::block_file::{BlockFile, Role, Run};
use super::buffers::{Buffer, Bytes};
use super::content_index::Whereabouts;
use super::cutter::{cut, is_zeros};
use super::layout::{FileName, LABEL};
use super::lines::Lines;
use super::list::{self, Contents, List, ListWriter, PartRow};
use super::pack_writer::{PackPlan, PackWriter};
use super::parts::{Opener, Parts};
use super::rebuild::set_aside;
use super::seal_files::{self, SealFiles};
use super::squeeze::{self, SHELVES, Shelf, Texture};
use super::stock::Stock;
use super::without_spare;
use crate::content_hash::{ContentHasher, PieceFailed};
use crate::lock::Lock;
use crate::outside::{Keeping, Outside};
use crate::sealing::{KeyWraps, TrunkKey, WorkshopPublicKey};
use crate::{
    ContentHash, Entry, EntryAddress, Extent, Extents, Inventory, Label, LeftBehind, StoreError, Stored,
    Trunk, TrunkError, TrunkItem, TrunkWriter, host,
};
use porter_names::NameRules;
use std::io::{self, Read};
use std::ops::RangeInclusive;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use time::OffsetDateTime;
use zeroize::Zeroizing;

/// After so much content the entries so far are written, so that a cut loses little.
const ENTRIES_EVERY_IN_BYTES: u64 = 16 << 20;

/// How large packs may be: with their index they stay below the 4 GiB of FAT, and the longest block fits into one.
pub const PACK_SIZES_IN_BYTES: RangeInclusive<u64> = 16 << 20..=(4 << 30) - (64 << 20);

/// How a packed trunk is to be made.
pub struct PackedOptions {
    /// Where a pack ends; what is not among [`PACK_SIZES_IN_BYTES`] is brought there.
    pub pack_in_bytes: u64,
    /// Spare data beside each pack, as a share of it.
    pub spare_in_percent: Option<f64>,
}

impl Default for PackedOptions {
    fn default() -> Self {
        Self { pack_in_bytes: 1 << 30, spare_in_percent: None }
    }
}

/// What a new trunk is sealed with.
pub struct Seal {
    /// The passphrase.
    pub passphrase: Zeroizing<String>,
    /// The workshop's recovery key, if it has one.
    pub workshop: Option<WorkshopPublicKey>,
}

/// A packed trunk that is being filled.
pub struct PackedTrunkWriter {
    folders: Vec<PathBuf>,
    /// The folder that is written to: the last part.
    folder: PathBuf,
    label: Label,
    key: Option<TrunkKey>,
    /// For the ids of contents, of which there are many.
    id_key: Option<Zeroizing<[u8; 32]>>,
    run: Arc<Run>,
    stock: Stock,
    packs: PackWriter,
    next_block: AtomicU32,
    open: [Mutex<OpenBlock>; SHELVES],
    lists: Mutex<Lists>,
    list_number: u32,
    spare_in_percent: Option<f64>,
    since_entries_in_bytes: AtomicU64,
    parts: Vec<PartRow>,
    _lock: Lock,
}

/// A block that contents are still put into.
struct OpenBlock {
    number: u32,
    directory: Directory,
    bytes: Buffer,
}

/// The open blocks of one long file, by shelf.
type OwnBlocks = [Option<OpenBlock>; SHELVES];

/// Consecutive dense contents, which become a block as they stand in the buffer that they were read into.
struct DenseRun {
    number: u32,
    directory: Directory,
    bytes: Bytes,
}

struct Lists {
    list: Option<ListWriter>,
    /// Entries that stand in no pack yet.
    for_pack: Lines,
}

impl PackedTrunkWriter {
    /// Begins a trunk in `folder`, which is made if it is not there and must be empty if it is.
    pub fn create(
        folder: &Path,
        label: Label,
        seal: Option<&Seal>,
        options: &PackedOptions,
    ) -> Result<Self, TrunkError> {
        refuse_unless_free(folder)?;
        std::fs::create_dir_all(folder)
            .map_err(|cause| TrunkError::io("making the folder", folder, cause))?;
        let lock = Lock::take(folder)?;
        let random = |cause| TrunkError::io("asking for randomness", folder, cause);
        let key = seal.map(|_| TrunkKey::random()).transpose().map_err(random)?;
        if let (Some(seal), Some(key)) = (seal, &key) {
            let wraps = KeyWraps::new(key, &seal.passphrase, seal.workshop.as_ref()).map_err(random)?;
            seal_files::write_both(folder, &wraps)?;
        }
        let outside = Outside::new(&label, Keeping::Packed, key.is_some());
        write(&folder.join(LABEL), &outside.to_bytes(), key.is_some())?;
        let parts = Parts::load(&[folder.to_path_buf()])?;
        Self::begin(&parts, folder, label, key, Stock::none(), options, lock)
    }

    /// Goes on with a trunk that was cut off, or tops up a finished one: whoever captures the same machine again.
    ///
    /// `folders` are all parts so far. With `continue_on` a new part is begun there. The label's id becomes the trunk's.
    pub fn go_on(
        folders: &[PathBuf],
        continue_on: Option<&Path>,
        mut label: Label,
        opener: Option<&Opener>,
        options: &PackedOptions,
    ) -> Result<Self, TrunkError> {
        let parts = Parts::load(folders)?;
        let outside = parts.outside()?.clone();
        let last = parts.folders().last().map(|(_, folder)| folder.to_path_buf()).unwrap_or_default();
        let lock = Lock::take(&last)?;
        let key = parts.unlock(opener)?;
        let stock = Stock::take(&parts, key.as_ref())?;
        let theirs = stock.label.as_ref().map(|label| &label.machine).or(outside.machine.as_ref());
        if let Some(machine) = theirs.filter(|machine| !machine.is_same(&label.machine)) {
            return Err(TrunkError::OtherMachine { folder: last, machine: machine.name.clone() });
        }
        label.trunk_id = outside.trunk_id.clone();
        let Some(folder) = continue_on else {
            return Self::begin(&parts, &last, label, key, stock, options, lock);
        };
        host::refuse_unless_empty(folder)?;
        std::fs::create_dir_all(folder)
            .map_err(|cause| TrunkError::io("making the folder", folder, cause))?;
        let part = parts.folders().map(|(part, _)| part).max().unwrap_or(1) + 1;
        if let Some(wraps) = parts.wraps()? {
            seal_files::write_both(folder, &wraps)?;
        }
        write(&folder.join(LABEL), &outside.of_part(part).to_bytes(), key.is_some())?;
        let mut folders: Vec<PathBuf> = parts.folders().map(|(_, folder)| folder.to_path_buf()).collect();
        folders.push(folder.to_path_buf());
        drop(lock);
        let lock = Lock::take(folder)?;
        Self::begin(&Parts::load(&folders)?, folder, label, key, stock, options, lock)
    }

    fn begin(
        parts: &Parts,
        folder: &Path,
        label: Label,
        key: Option<TrunkKey>,
        stock: Stock,
        options: &PackedOptions,
        lock: Lock,
    ) -> Result<Self, TrunkError> {
        let run = Run::begin(&label.trunk_id, key.as_ref())
            .map_err(|cause| TrunkError::io("asking for randomness", folder, cause))?;
        let run = Arc::new(run);
        let list = ListWriter::create(folder, stock.next_list, &run)?;
        let part = parts.folders().find(|(_, path)| *path == folder).map_or(1, |(part, _)| part);
        let plan = PackPlan {
            folder: folder.to_path_buf(),
            part,
            limit_in_bytes: options
                .pack_in_bytes
                .clamp(*PACK_SIZES_IN_BYTES.start(), *PACK_SIZES_IN_BYTES.end()),
            first_number: stock.next_pack,
            spare_in_percent: options.spare_in_percent,
        };
        let packs = PackWriter::begin(plan, Arc::clone(&run));
        let first_block = stock.next_block;
        let open = |at: u32| Mutex::new(OpenBlock::new(first_block + at, Buffer::default()));
        Ok(Self {
            folders: parts.folders().map(|(_, folder)| folder.to_path_buf()).collect(),
            folder: folder.to_path_buf(),
            label,
            id_key: key.as_ref().map(TrunkKey::id_key),
            key,
            run,
            packs,
            next_block: AtomicU32::new(first_block + SHELVES as u32),
            open: std::array::from_fn(|shelf| open(shelf as u32)),
            lists: Mutex::new(Lists { list: Some(list), for_pack: Lines::new(Kind::Entries) }),
            list_number: stock.next_list,
            spare_in_percent: options.spare_in_percent,
            since_entries_in_bytes: AtomicU64::new(0),
            parts: parts.label_rows(),
            stock,
            _lock: lock,
        })
    }

    /// The label, with the trunk's own id.
    pub fn label(&self) -> &Label {
        &self.label
    }

    /// Files that an earlier run captured, as many as need not be read again if they are unchanged.
    pub fn safe_files(&self) -> u64 {
        self.stock.known.files
    }

    /// Packs of an earlier run that are hurt: they have other names now, and what was in them is captured anew.
    pub fn set_aside(&self) -> &[String] {
        &self.stock.set_aside
    }

    /// Length of their contents.
    pub fn safe_in_bytes(&self) -> u64 {
        self.stock.known.size_in_bytes
    }

    fn number(&self) -> u32 {
        self.next_block.fetch_add(1, Ordering::Relaxed)
    }

    fn lists(&self) -> MutexGuard<'_, Lists> {
        // A list that a panicking thread left half-written would be found by the read-back.
        self.lists.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn io(&self, cause: io::Error) -> TrunkError {
        TrunkError::io("writing", &self.folder, cause)
    }

    fn id_of(&self, piece: &[u8], hash: Option<ContentHash>) -> ContentId {
        match &self.id_key {
            Some(key) => ContentHash::keyed(key, piece).into(),
            None => hash.unwrap_or_else(|| ContentHash::of(piece)).into(),
        }
    }

    /// Puts a new content into the open block of its like.
    fn append(&self, shelf: Shelf, id: ContentId, piece: &[u8]) -> Result<Whereabouts, TrunkError> {
        let mut open = self.open[shelf.0].lock().unwrap_or_else(PoisonError::into_inner);
        let (at, full) = self.put(&mut open, shelf, id, piece);
        drop(open);
        full.map_or(Ok(()), |full| self.close_block(full, shelf))?;
        Ok(at)
    }

    /// The same with the blocks of one long file. What stands together in it is mostly wanted together, and several files are stored at one time.
    fn append_to_own(
        &self,
        own: &mut OwnBlocks,
        shelf: Shelf,
        id: ContentId,
        piece: &[u8],
    ) -> Result<Whereabouts, TrunkError> {
        let open = own[shelf.0].get_or_insert_with(|| self.fresh_block(shelf));
        let (at, full) = self.put(open, shelf, id, piece);
        full.map_or(Ok(()), |full| self.close_block(full, shelf))?;
        Ok(at)
    }

    /// Gives the block back that was closed for it.
    fn put(
        &self,
        open: &mut OpenBlock,
        shelf: Shelf,
        id: ContentId,
        piece: &[u8],
    ) -> (Whereabouts, Option<OpenBlock>) {
        let is_full = !open.bytes.is_empty() && open.bytes.len() + piece.len() > shelf.block_in_bytes();
        let full = is_full.then(|| std::mem::replace(open, self.fresh_block(shelf)));
        let row = u32::try_from(open.directory.rows.len()).unwrap_or(u32::MAX);
        let length = u32::try_from(piece.len()).unwrap_or(u32::MAX);
        open.directory.rows.push((id, length));
        open.bytes.extend_from_slice(piece);
        let at = Whereabouts { block: open.number, row };
        self.stock.index.insert(id, at);
        (at, full)
    }

    fn fresh_block(&self, shelf: Shelf) -> OpenBlock {
        OpenBlock::new(self.number(), Buffer::empty(squeeze::longest_frame_of(shelf.block_in_bytes())))
    }

    /// Puts a new dense content into a block of those that stand beside it, without copying any of them.
    fn append_to_run(
        &self,
        run: &mut Option<DenseRun>,
        id: ContentId,
        bytes: Bytes,
    ) -> Result<Whereabouts, TrunkError> {
        let length = u32::try_from(bytes.len()).unwrap_or(u32::MAX);
        if !run.as_mut().is_some_and(|open| open.bytes.join(&bytes)) {
            self.close_run(run.take())?;
        }
        let open = run.get_or_insert_with(|| DenseRun {
            number: self.number(),
            directory: Directory::default(),
            bytes,
        });
        let row = u32::try_from(open.directory.rows.len()).unwrap_or(u32::MAX);
        open.directory.rows.push((id, length));
        let at = Whereabouts { block: open.number, row };
        self.stock.index.insert(id, at);
        Ok(at)
    }

    fn close_run(&self, run: Option<DenseRun>) -> Result<(), TrunkError> {
        let Some(DenseRun { number, directory, bytes }) = run else { return Ok(()) };
        let raw_in_bytes = bytes.len();
        self.write_block(number, &directory, Codec::Plain, bytes, raw_in_bytes)
    }

    fn close_block(&self, block: OpenBlock, shelf: Shelf) -> Result<(), TrunkError> {
        let OpenBlock { number, directory, bytes } = block;
        let raw_in_bytes = bytes.len();
        let packed =
            if shelf.is_dense() { None } else { squeeze::pack(&bytes).map_err(|cause| self.io(cause))? };
        let (codec, body) = match packed {
            Some(packed) => (Codec::Zstd, packed),
            None => (Codec::Plain, bytes),
        };
        self.write_block(number, &directory, codec, Bytes::Own(body), raw_in_bytes)
    }

    fn write_block(
        &self,
        number: u32,
        directory: &Directory,
        codec: Codec,
        body: Bytes,
        raw_in_bytes: usize,
    ) -> Result<(), TrunkError> {
        let sealed =
            block::seal(Kind::Contents, codec, number, directory, body, raw_in_bytes, self.run.key())
                .map_err(|cause| self.io(cause))?;
        self.packs.write(sealed)
    }

    fn close_open_blocks(&self) -> Result<(), TrunkError> {
        for (shelf, open) in self.open.iter().enumerate() {
            let mut open = open.lock().unwrap_or_else(PoisonError::into_inner);
            if !open.bytes.is_empty() {
                let fresh = OpenBlock::new(self.number(), Buffer::default());
                let full = std::mem::replace(&mut *open, fresh);
                drop(open);
                self.close_block(full, Shelf(shelf))?;
            }
        }
        Ok(())
    }

    fn write_entries(&self, lists: &mut Lists) -> Result<(), TrunkError> {
        self.since_entries_in_bytes.store(0, Ordering::Relaxed);
        let block = lists.for_pack.take(self.number(), self.run.key()).map_err(|cause| self.io(cause))?;
        block.map_or(Ok(()), |block| self.packs.write(block))
    }
}

impl OpenBlock {
    fn new(number: u32, bytes: Buffer) -> Self {
        Self { number, directory: Directory::default(), bytes }
    }
}

fn refuse_unless_free(folder: &Path) -> Result<(), TrunkError> {
    let Err(refused) = host::refuse_unless_empty(folder) else { return Ok(()) };
    let Ok(parts) = Parts::load(&[folder.to_path_buf()]) else { return Err(refused) };
    let shown = folder.to_path_buf();
    let is_finished = list::newest(&parts)?.is_some();
    Err(if is_finished { TrunkError::HoldsTrunk(shown) } else { TrunkError::Unfinished(shown) })
}

fn write(path: &Path, content: &[u8], private: bool) -> Result<(), TrunkError> {
    host::replace(path, content, private).map_err(|cause| TrunkError::io("writing", path, cause))
}

impl TrunkWriter for PackedTrunkWriter {
    /// A packed trunk makes no files with the names that it keeps.
    fn name_rules(&self) -> NameRules {
        NameRules::ANY
    }

    fn keeps_contents_once(&self) -> bool {
        true
    }

    fn announce(&self, inventory: &Inventory<'_>) -> Result<(), TrunkError> {
        self.packs.announce(Contents::beforehand(&self.label, inventory))
    }

    fn already(
        &self,
        address: &EntryAddress,
        size_in_bytes: u64,
        modified_utc: Option<OffsetDateTime>,
    ) -> Option<Stored> {
        let entry = self.stock.known.find(address, size_in_bytes, modified_utc)?;
        match entry.content {
            crate::Content::File { hash, .. } => Some(Stored { size_in_bytes, hash, extents: entry.extents }),
            _ => None,
        }
    }

    fn store(
        &self,
        address: &EntryAddress,
        _modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let mut extents: Vec<Extent> = Vec::new();
        let mut size_in_bytes = 0;
        let mut whole = ContentHasher::default();
        let mut only = None;
        let mut run = None;
        let mut own: OwnBlocks = std::array::from_fn(|_| None);
        let name = address.path.name().unwrap_or_default();
        let done = cut(content, name, |cut_piece, is_all| {
            let piece = cut_piece.bytes;
            size_in_bytes += piece.len() as u64;
            progress(piece.len() as u64);
            let mut hash = None;
            if is_all {
                hash = Some(ContentHash::of(piece));
                only = hash;
            } else {
                whole.update(piece);
            }
            if is_zeros(piece) {
                extents.push(Extent::Zeros { length_in_bytes: piece.len() as u64 });
                return Ok(());
            }
            let id = self.id_of(piece, hash);
            let at = match self.stock.index.find(&id) {
                Some(at) => at,
                None => {
                    let shelf = Shelf::of(Texture::of(piece), name, is_all);
                    match cut_piece.shared() {
                        Some(bytes) if shelf.is_dense() && piece.len() >= shelf.block_in_bytes() / 4 => {
                            self.append_to_run(&mut run, id, bytes)?
                        }
                        _ if cut_piece.of_long_file => self.append_to_own(&mut own, shelf, id, piece)?,
                        _ => self.append(shelf, id, piece)?,
                    }
                }
            };
            extents.push(Extent::Contents { block: at.block, first: at.row, count: 1 });
            Ok(())
        });
        // Also of a file that broke off: other files may count on what is known of it.
        let closed = self.close_run(run).and_then(|()| {
            let open = own.into_iter().enumerate();
            open.filter_map(|(shelf, block)| Some((block?, Shelf(shelf))))
                .try_for_each(|(block, shelf)| self.close_block(block, shelf))
        });
        done.map_err(|failed| match failed {
            PieceFailed::Reading(cause) => StoreError::Source(cause),
            PieceFailed::Using(cause) => StoreError::Trunk(cause),
        })?;
        closed.map_err(StoreError::Trunk)?;
        self.since_entries_in_bytes.fetch_add(size_in_bytes, Ordering::Relaxed);
        let hash = only.unwrap_or_else(|| whole.finish());
        Ok(Stored { size_in_bytes, hash, extents: Extents::from_iter(extents) })
    }

    fn written_in_bytes(&self) -> Option<u64> {
        Some(self.packs.written_in_bytes())
    }

    fn record(&self, entry: &Entry) -> Result<(), TrunkError> {
        if entry.size_in_bytes() > 0 && entry.extents.is_empty() {
            let cause = io::Error::other("an entry was recorded whose content was not stored");
            return Err(TrunkError::io("listing", &self.folder, cause));
        }
        let line = entry.to_line();
        let is_new = !self.stock.known.holds(entry);
        let mut lists = self.lists();
        if let Some(list) = &mut lists.list {
            list.entry(&line, &self.run)?;
        }
        if is_new {
            let is_full = lists.for_pack.push(line.as_bytes());
            if is_full || self.since_entries_in_bytes.load(Ordering::Relaxed) >= ENTRIES_EVERY_IN_BYTES {
                self.write_entries(&mut lists)?;
            }
        }
        Ok(())
    }

    fn record_left(&self, left: &LeftBehind) -> Result<(), TrunkError> {
        self.lists().list.as_mut().map_or(Ok(()), |list| list.left(left, &self.run))
    }

    fn held_items(&self) -> &[TrunkItem] {
        &self.stock.items
    }

    fn pause(&self) {
        // The unfinished list is of no use to the next run, and its room may be what the packs still need.
        drop(self.lists().list.take());
        let _ = std::fs::remove_file(FileName::OpenList(self.list_number).in_folder(&self.folder));
        let _ = self.close_open_blocks();
        let _ = self.write_entries(&mut self.lists());
        let _ = self.packs.end();
    }

    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError> {
        self.close_open_blocks()?;
        let mut lists = self.lists();
        self.write_entries(&mut lists)?;
        let (written, done) = self.packs.end();
        done?;
        if let Some(percent) = self.spare_in_percent {
            // Packs that were cut off have none yet. On the sticks before there may be no room for it.
            let (trunk, key) = (&self.label.trunk_id, self.key.as_ref());
            for folder in self.folders.iter().filter(|folder| **folder != self.folder) {
                let _ = without_spare::complete(folder, trunk, key, percent, &mut |_, made| made);
            }
            without_spare::complete(&self.folder, trunk, key, percent, &mut |_, made| made)?;
        }
        if self.key.is_some() {
            SealFiles::read(self.folders.iter().map(PathBuf::as_path)).renew_copy(&self.folder)?;
        }
        let mut packs = self.stock.packs.clone();
        packs.extend(written);
        let contents = Contents {
            finished_utc: Some(finished_utc),
            packs,
            parts: self.parts.clone(),
            ..Contents::beforehand(&self.label, inventory)
        };
        lists
            .list
            .take()
            .map_or(Ok(()), |list| list.finish(&contents, &self.run, self.list_number, self.spare_in_percent))
    }

    fn read_back(&self) -> Result<Box<dyn Trunk>, TrunkError> {
        let path = FileName::OpenList(self.list_number).in_folder(&self.folder);
        let parts = Parts::load(&self.folders)?;
        let key = self.key.as_ref().and_then(|key| TrunkKey::from_bytes(key.as_bytes()));
        Ok(Box::new(PackedTrunk::with_list(parts, &path, self.list_number, key, true)?))
    }

    fn distrust(&self) -> Result<Vec<String>, TrunkError> {
        let parts = Parts::load(&self.folders)?;
        let counted_on = match list::newest(&parts)? {
            Some((path, number)) => {
                List::open(&path, number, &self.label.trunk_id, self.key.as_ref())?.contents.packs
            }
            None => Vec::new(),
        };
        let mut distrusted = Vec::new();
        for (name, _, path) in parts.files()? {
            let FileName::Pack(number) = name else { continue };
            if counted_on.iter().any(|row| row.number == number) {
                continue;
            }
            let pack = BlockFile::open(&path, Role::Pack, number, &self.label.trunk_id, self.key.as_ref());
            if !pack.is_ok_and(|pack| pack.damage().is_empty()) {
                set_aside(&path)?;
                distrusted.push(name.to_string());
            }
        }
        Ok(distrusted)
    }

    fn packs_without_spare(&self) -> Vec<String> {
        let folders = self.folders.iter().filter(|_| self.spare_in_percent.is_some());
        folders.flat_map(|folder| without_spare::packs_without(folder)).collect()
    }

    fn publish(&self) -> Result<(), TrunkError> {
        list::publish(&self.folder, self.list_number)
    }
}
