//! Filling a packed trunk: a new one, one that was cut off, or one that is topped up.

use super::PackedTrunk;
use super::block::Kind;
use super::block_file::BlockFile;
use super::block_file_writer::Run;
use super::content_writer::ContentWriter;
use super::file_frame::Role;
use super::layout::{FileName, LABEL};
use super::lines::Lines;
use super::list::{self, Contents, List, ListWriter};
use super::pack_writer::{PackPlan, PackWriter};
use super::part_row::PartRow;
use super::parts::{Opener, Parts};
use super::seal_files::{self, SealFiles};
use super::set_aside::set_aside;
use super::stock::Stock;
use super::without_spare;
use crate::lock::Lock;
use crate::outside::{Keeping, Outside};
use crate::sealing::{KeyWraps, TrunkKey, WorkshopPublicKey};
use crate::{
    Entry, EntryAddress, Inventory, Label, LeftBehind, StoreError, Stored, Trunk, TrunkError, TrunkItem,
    TrunkWriter, host, spare,
};
use porter_names::NameRules;
use std::io::{self, Read};
use std::ops::RangeInclusive;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use time::OffsetDateTime;
use zeroize::Zeroizing;

/// After so much content the entries so far are written, so that a cut loses little.
const ENTRIES_EVERY_IN_BYTES: u64 = 16 << 20;

/// How large packs may be: with their index they stay below the 4 GiB of FAT, and the longest block fits into
/// one.
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

/// The seal of a new trunk.
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
    run: Arc<Run>,
    stock: Stock,
    contents: ContentWriter,
    lists: Mutex<Lists>,
    list_number: u32,
    spare_in_percent: Option<f64>,
    since_entries_in_bytes: AtomicU64,
    /// The bytes that this run has added to the trunk, once it is closed.
    closed_in_bytes: OnceLock<u64>,
    parts: Vec<PartRow>,
    _lock: Lock,
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

    /// Continues a trunk that was cut off, or tops up a finished one, when the same machine is captured
    /// again.
    ///
    /// `folders` are all parts so far. With `continue_on` a new part is begun there. The label's id becomes
    /// the trunk's.
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
        mut stock: Stock,
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
        let contents = ContentWriter::begin(
            folder.to_path_buf(),
            Arc::clone(&run),
            key.as_ref().map(TrunkKey::id_key),
            std::mem::take(&mut stock.index),
            packs,
            stock.next_block,
        );
        Ok(Self {
            folders: parts.folders().map(|(_, folder)| folder.to_path_buf()).collect(),
            folder: folder.to_path_buf(),
            label,
            key,
            run,
            contents,
            lists: Mutex::new(Lists { list: Some(list), for_pack: Lines::new(Kind::Entries) }),
            list_number: stock.next_list,
            spare_in_percent: options.spare_in_percent,
            since_entries_in_bytes: AtomicU64::new(0),
            closed_in_bytes: OnceLock::new(),
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

    /// Packs of an earlier run that are damaged: they were renamed, and their contents are captured again.
    pub fn set_aside(&self) -> &[String] {
        &self.stock.set_aside
    }

    /// Length of their contents.
    pub fn safe_in_bytes(&self) -> u64 {
        self.stock.known.size_in_bytes
    }

    fn lists(&self) -> MutexGuard<'_, Lists> {
        // A list that a panicking thread left half-written would be found by the read-back.
        self.lists.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn io(&self, cause: io::Error) -> TrunkError {
        TrunkError::io("writing", &self.folder, cause)
    }

    fn write_entries(&self, lists: &mut Lists) -> Result<(), TrunkError> {
        self.since_entries_in_bytes.store(0, Ordering::Relaxed);
        let block =
            lists.for_pack.take(self.contents.number(), self.run.key()).map_err(|cause| self.io(cause))?;
        block.map_or(Ok(()), |block| self.contents.packs.write(block))
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
        self.contents.packs.announce(Contents::beforehand(&self.label, inventory))
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

    fn earlier(&self, address: &EntryAddress) -> Option<Entry> {
        self.stock.known.earlier(address)
    }

    fn each_earlier(
        &self,
        item: &str,
        folder: &EntryAddress,
        take: &mut dyn FnMut(Entry) -> Result<(), TrunkError>,
    ) -> Result<(), TrunkError> {
        self.stock.known.each_earlier(item, folder, take)
    }

    fn store(
        &self,
        address: &EntryAddress,
        _modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let stored = self.contents.store(&address.path, content, progress)?;
        self.since_entries_in_bytes.fetch_add(stored.size_in_bytes, Ordering::Relaxed);
        Ok(stored)
    }

    fn written_in_bytes(&self) -> Option<u64> {
        Some(self.closed_in_bytes.get().copied().unwrap_or_else(|| self.contents.packs.written_in_bytes()))
    }

    fn record(&self, entry: &Entry) -> Result<(), TrunkError> {
        if entry.size_in_bytes() > 0 && entry.extents.is_empty() {
            let cause = io::Error::other("an entry was recorded whose content was not stored");
            return Err(TrunkError::io("listing", &self.folder, cause));
        }
        let line = entry.to_line().map_err(|cause| TrunkError::io("listing", &self.folder, cause.into()))?;
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
        let _ = self.contents.close_open_blocks();
        let _ = self.write_entries(&mut self.lists());
        let _ = self.contents.packs.end();
    }

    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError> {
        self.contents.close_open_blocks()?;
        let mut lists = self.lists();
        self.write_entries(&mut lists)?;
        let (written, done) = self.contents.packs.end();
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
        let mut own: Vec<FileName> = written.iter().map(|row| FileName::Pack(row.number)).collect();
        own.push(FileName::OpenList(self.list_number));
        let mut packs = self.stock.packs.clone();
        packs.extend(written);
        let contents = Contents {
            finished_utc: Some(finished_utc),
            packs,
            parts: self.parts.clone(),
            spare_in_percent: self.spare_in_percent.or(self.stock.spare_in_percent),
            ..Contents::beforehand(&self.label, inventory)
        };
        if let Some(list) = lists.list.take() {
            list.finish(&contents, &self.run, self.list_number, self.spare_in_percent)?;
        }
        let own = own.iter().map(|name| name.in_folder(&self.folder));
        let lengths =
            own.flat_map(|path| [spare::path_of(&path), path]).filter_map(|path| path.metadata().ok());
        let _ = self.closed_in_bytes.set(lengths.map(|found| found.len()).sum());
        Ok(())
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
        // The labels first. If there is no room for that, the list still counts.
        match Parts::load(&self.folders)?.note_capture(self.list_number) {
            Ok(()) | Err(TrunkError::Full) => {}
            Err(cause) => return Err(cause),
        }
        list::publish(&self.folder, self.list_number)
    }
}
