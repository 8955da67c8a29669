//! The parked form: for installing a new system on the volume of the old one. Nothing is copied: each
//! file is kept alive in the trunk's folder by a clone (where the file system shares data between files) or
//! by a hard link. The old tree can then be deleted.
//!
//! Label and list are those of the packed form. In place of packs there is a folder `kept` with numbered
//! files; an entry's extent names the number. The list is there twice.

mod second_copy;

pub use second_copy::mend as mend_list;

use crate::content_hash::{PieceFailed, content_in, read_all, read_in_pieces};
use crate::form::{Depth, Rows};
use crate::host::{self, open_plain_file};
use crate::lock::Lock;
use crate::outside::{Keeping, Outside};
use crate::packed_form::Parts;
use crate::packed_form::layout::KEPT;
use crate::packed_form::layout::{FileName, LABEL};
use crate::packed_form::list::{self, Contents, List, ListWriter, newest};
use crate::packed_form::{Known, Run};
use crate::{
    Audit, CaptureProof, Content, ContentHasher, Damage, Entry, EntryAddress, EntryRefused, Extent, Extents,
    Inventory, Label, LeftBehind, StoreError, Stored, Trunk, TrunkContent, TrunkError, TrunkItem,
    TrunkProgram, TrunkWriter,
};
use porter_names::NameRules;
use std::fs;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// Files of one folder: some file systems become slow with many.
const FILES_IN_FOLDER: u32 = 1000;

fn kept_path(folder: &Path, number: u32) -> PathBuf {
    folder.join(KEPT).join(format!("{:06}", number / FILES_IN_FOLDER)).join(format!("{number:09}"))
}

/// The number of the file that keeps an entry's content.
fn number_of(entry: &Entry) -> Option<u32> {
    match entry.extents.as_slice() {
        [Extent::Contents { block, .. }] => Some(*block),
        _ => None,
    }
}

/// A parked trunk that is being filled.
pub struct ParkedTrunkWriter {
    folder: PathBuf,
    label: Label,
    run: Run,
    list: Mutex<Option<ListWriter>>,
    list_number: u32,
    next: AtomicU32,
    known: Known,
    /// The items of the trunk that is topped up.
    held_items: Vec<TrunkItem>,
    _lock: Lock,
}

impl ParkedTrunkWriter {
    /// Begins a parked trunk, continues one that was cut off, or tops up a finished one of the same machine.
    /// Parked files are never taken away: a parked name may be the only one that a file has left.
    pub fn begin(folder: &Path, mut label: Label) -> Result<Self, TrunkError> {
        let failed = |cause| TrunkError::io("making the folder", folder, cause);
        let before = match Outside::load(folder) {
            Ok(outside) if outside.form == Keeping::Parked => Some(outside),
            Ok(_) => return Err(TrunkError::HoldsTrunk(folder.to_path_buf())),
            Err(_) => {
                host::refuse_unless_empty(folder)?;
                None
            }
        };
        fs::create_dir_all(folder).map_err(failed)?;
        let lock = Lock::take(folder)?;
        let mut known = Known::default();
        let mut held_items = Vec::new();
        let mut list_number = 1;
        if let Some(outside) = before {
            if let Some(machine) = outside.machine.as_ref().filter(|machine| !machine.is_same(&label.machine))
            {
                return Err(TrunkError::OtherMachine {
                    folder: folder.to_path_buf(),
                    machine: machine.name.clone(),
                });
            }
            label.trunk_id = outside.trunk_id;
            if let Some((path, number)) = newest(&Parts::load(&[folder.to_path_buf()])?)? {
                let list = List::open(&path, number, &label.trunk_id, None)?;
                held_items.clone_from(&list.contents.items);
                known.add_list(list)?;
                list_number = number + 1;
            }
        } else {
            let outside = Outside::new(&label, Keeping::Parked, false);
            host::replace(&folder.join(LABEL), &outside.to_bytes(), false)
                .map_err(|cause| TrunkError::io("writing", &folder.join(LABEL), cause))?;
        }
        fs::create_dir_all(folder.join(KEPT)).map_err(failed)?;
        prove_links(folder)?;
        let run = Run::begin(&label.trunk_id, None).map_err(failed)?;
        let list = ListWriter::create(folder, list_number, &run)?;
        let next = AtomicU32::new(highest_number(folder).map_err(failed)? + 1);
        let folder = folder.to_path_buf();
        let list = Mutex::new(Some(list));
        Ok(Self { folder, label, run, list, list_number, next, known, held_items, _lock: lock })
    }

    /// The label, with the trunk's own id.
    pub fn label(&self) -> &Label {
        &self.label
    }

    fn with_list(
        &self,
        act: impl FnOnce(&mut ListWriter) -> Result<(), TrunkError>,
    ) -> Result<(), TrunkError> {
        self.list.lock().unwrap_or_else(PoisonError::into_inner).as_mut().map_or(Ok(()), act)
    }
}

/// Finds out whether the volume can give a file a second name.
fn prove_links(folder: &Path) -> Result<(), TrunkError> {
    let probe = folder.join(KEPT).join("probe");
    let _ = fs::remove_file(&probe);
    let done = keep_alive(&folder.join(LABEL), &probe);
    let _ = fs::remove_file(&probe);
    done.map_err(|_| TrunkError::CannotPark(folder.to_path_buf()))
}

/// A clone if the volume can make one, else a hard link.
fn keep_alive(file: &Path, kept: &Path) -> io::Result<()> {
    match host::clone_file(file, kept) {
        Ok(()) => Ok(()),
        Err(_) => fs::hard_link(file, kept),
    }
}

fn highest_number(folder: &Path) -> io::Result<u32> {
    let highest_in = |folder: &Path| -> io::Result<Option<String>> {
        let names = fs::read_dir(folder)?.flatten().filter_map(|row| row.file_name().into_string().ok());
        Ok(names.filter(|name| name.bytes().all(|byte| byte.is_ascii_digit())).max())
    };
    let kept = folder.join(KEPT);
    let Some(last) = highest_in(&kept)? else { return Ok(0) };
    let number = highest_in(&kept.join(&last))?.and_then(|name| name.parse().ok());
    Ok(number.unwrap_or(0).max(last.parse::<u32>().unwrap_or(0) * FILES_IN_FOLDER))
}

impl TrunkWriter for ParkedTrunkWriter {
    fn name_rules(&self) -> NameRules {
        NameRules::ANY
    }

    fn held_items(&self) -> &[TrunkItem] {
        &self.held_items
    }

    fn already(
        &self,
        address: &EntryAddress,
        size_in_bytes: u64,
        modified_utc: Option<OffsetDateTime>,
    ) -> Option<Stored> {
        let entry = self.known.find(address, size_in_bytes, modified_utc)?;
        let kept = fs::symlink_metadata(kept_path(&self.folder, number_of(&entry)?)).ok()?;
        match entry.content {
            Content::File { hash, .. } if kept.len() == size_in_bytes => {
                Some(Stored { size_in_bytes, hash, extents: entry.extents })
            }
            _ => None,
        }
    }

    fn earlier(&self, address: &EntryAddress) -> Option<Entry> {
        self.known.earlier(address).filter(|entry| self.is_kept(entry))
    }

    fn each_earlier(
        &self,
        item: &str,
        folder: &EntryAddress,
        take: &mut dyn FnMut(Entry) -> Result<(), TrunkError>,
    ) -> Result<(), TrunkError> {
        self.known.each_earlier(item, folder, &mut |entry| {
            if self.is_kept(&entry) { take(entry) } else { Ok(()) }
        })
    }

    fn keeps_contents_once(&self) -> bool {
        true
    }

    /// A copy of its own, for what cannot be kept alive as it is: the readable part of a file, or one that
    /// others write to.
    fn store(
        &self,
        _address: &EntryAddress,
        _modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let (number, kept) = self.next_kept()?;
        let failed = |cause| StoreError::Trunk(TrunkError::io("parking in", &kept, cause));
        let mut file = fs::File::create_new(&kept).map_err(failed)?;
        let mut hasher = ContentHasher::default();
        let mut size_in_bytes = 0;
        let copied = read_in_pieces(content, |piece| {
            file.write_all(piece)?;
            hasher.update(piece);
            size_in_bytes += piece.len() as u64;
            progress(piece.len() as u64);
            Ok(())
        });
        if let Err(cause) = copied {
            let _ = fs::remove_file(&kept);
            return Err(match cause {
                PieceFailed::Reading(cause) => StoreError::Source(cause),
                PieceFailed::Using(cause) => failed(cause),
            });
        }
        Ok(stored_as(number, size_in_bytes, hasher))
    }

    fn store_file(
        &self,
        file: &dyn Fn() -> Option<PathBuf>,
        progress: &dyn Fn(u64),
    ) -> Option<Result<Stored, StoreError>> {
        Some(self.park(&file()?, progress))
    }

    fn record(&self, entry: &Entry) -> Result<(), TrunkError> {
        let line = entry.to_line().map_err(|cause| TrunkError::io("listing", &self.folder, cause.into()))?;
        self.with_list(|list| list.entry(&line, &self.run))
    }

    fn record_left(&self, left: &LeftBehind) -> Result<(), TrunkError> {
        self.with_list(|list| list.left(left, &self.run))
    }

    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError> {
        let parts = Parts::load(std::slice::from_ref(&self.folder))?.label_rows();
        let contents = Contents {
            finished_utc: Some(finished_utc),
            parts,
            ..Contents::beforehand(&self.label, inventory)
        };
        let list = self.list.lock().unwrap_or_else(PoisonError::into_inner).take();
        list.map_or(Ok(()), |list| list.finish(&contents, &self.run, self.list_number, None))?;
        let list = FileName::OpenList(self.list_number).in_folder(&self.folder);
        second_copy::make(&self.folder, self.list_number, &list)?;
        host::flush_volume(&self.folder).map_err(|cause| TrunkError::io("flushing", &self.folder, cause))
    }

    fn read_back(&self) -> Result<Box<dyn Trunk>, TrunkError> {
        let path = FileName::OpenList(self.list_number).in_folder(&self.folder);
        let list = List::open(&path, self.list_number, &self.label.trunk_id, None)?;
        let (folder, list_number) = (self.folder.clone(), self.list_number);
        Ok(Box::new(ParkedTrunk { folder, list, list_number, flaws: Vec::new() }))
    }

    /// A second name of a file follows every change of the first. Its time shows it.
    fn was_written_to(&self, entry: &Entry) -> bool {
        let Content::File { size_in_bytes, .. } = entry.content else { return false };
        let kept =
            number_of(entry).and_then(|number| fs::symlink_metadata(kept_path(&self.folder, number)).ok());
        let modified_utc = |kept: &fs::Metadata| kept.modified().ok().map(OffsetDateTime::from);
        kept.is_some_and(|kept| {
            kept.is_file() && (kept.len() != size_in_bytes || modified_utc(&kept) != entry.modified_utc)
        })
    }

    fn publish(&self) -> Result<(), TrunkError> {
        match Parts::load(std::slice::from_ref(&self.folder))?.note_capture(self.list_number) {
            Ok(()) | Err(TrunkError::Full) => {}
            Err(cause) => return Err(cause),
        }
        list::publish(&self.folder, self.list_number)
    }
}

impl ParkedTrunkWriter {
    /// A number for a further file, and where it is kept.
    fn next_kept(&self) -> Result<(u32, PathBuf), TrunkError> {
        let number = self.next.fetch_add(1, Ordering::Relaxed);
        let kept = kept_path(&self.folder, number);
        if let Some(above) = kept.parent() {
            fs::create_dir_all(above).map_err(|cause| TrunkError::io("parking in", &kept, cause))?;
        }
        Ok((number, kept))
    }

    fn is_kept(&self, entry: &Entry) -> bool {
        let Content::File { size_in_bytes, .. } = entry.content else { return true };
        let kept =
            number_of(entry).and_then(|number| fs::symlink_metadata(kept_path(&self.folder, number)).ok());
        kept.is_some_and(|kept| kept.is_file() && kept.len() == size_in_bytes)
    }

    fn park(&self, file: &Path, progress: &dyn Fn(u64)) -> Result<Stored, StoreError> {
        let (number, kept) = self.next_kept()?;
        keep_alive(file, &kept).map_err(|cause| match cause.kind() {
            io::ErrorKind::CrossesDevices => StoreError::Trunk(TrunkError::CannotPark(self.folder.clone())),
            io::ErrorKind::StorageFull => StoreError::Trunk(TrunkError::io("parking in", &kept, cause)),
            _ => StoreError::Source(cause),
        })?;
        // The parked file itself is proved, whatever happens to the name it had.
        let mut hasher = ContentHasher::default();
        let mut size_in_bytes = 0;
        let state = |file: &fs::File| file.metadata().map(|found| (found.len(), found.modified().ok()));
        let read = open_plain_file(&kept).and_then(|mut file| {
            let before = state(&file)?;
            read_all(&mut file, |piece| {
                hasher.update(piece);
                size_in_bytes += piece.len() as u64;
                progress(piece.len() as u64);
            })?;
            // A second name of a file that somebody writes to: a copy keeps at least what was read.
            if state(&file)? == before { Ok(()) } else { Err(io::Error::from(io::ErrorKind::ResourceBusy)) }
        });
        if let Err(cause) = read {
            let _ = fs::remove_file(&kept);
            return Err(StoreError::Source(cause));
        }
        Ok(stored_as(number, size_in_bytes, hasher))
    }
}

fn stored_as(number: u32, size_in_bytes: u64, hasher: ContentHasher) -> Stored {
    let extents = Extents::One(Extent::Contents { block: number, first: 0, count: 1 });
    Stored { size_in_bytes, hash: hasher.finish(), extents }
}

/// A finished parked trunk.
pub struct ParkedTrunk {
    folder: PathBuf,
    list: List,
    list_number: u32,
    flaws: Vec<Damage>,
}

impl ParkedTrunk {
    /// Opens its newest finished state.
    pub fn load(folder: &Path) -> Result<Self, TrunkError> {
        let parts = Parts::load(&[folder.to_path_buf()])?;
        let Some((path, number)) = newest(&parts)? else {
            return Err(TrunkError::Unfinished(folder.to_path_buf()));
        };
        let list = List::open(&path, number, &parts.outside()?.trunk_id, None)?;
        if !list.contents.packs.is_empty() {
            // That of a packed trunk: its label says otherwise than it did.
            return Err(TrunkError::Damaged(Damage::ContentChanged(LABEL.to_owned())));
        }
        let mut flaws = Vec::new();
        if second_copy::highest(folder).is_some_and(|copied| copied > number) {
            flaws.push(Damage::HoldsMore);
        }
        if let Some(said) = parts.captures().filter(|said| *said > number) {
            flaws.push(Damage::CapturesMissing { said, there: number });
        }
        Ok(Self { folder: folder.to_path_buf(), list, list_number: number, flaws })
    }
}

impl Trunk for ParkedTrunk {
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
        second_copy::highest(&self.folder).is_some_and(|copied| copied > self.list_number)
    }

    fn list_name(&self) -> String {
        self.list.name().to_owned()
    }

    fn proof(&self) -> Result<CaptureProof, TrunkError> {
        Ok(self.list.proof())
    }

    fn flaws(&self) -> &[Damage] {
        &self.flaws
    }

    fn open_content(&self, entry: &Entry) -> Result<Box<dyn TrunkContent + Send + '_>, Damage> {
        let shown = || entry.address.path.to_string();
        let path = self.content_file(entry).ok_or_else(|| Damage::ListsDisagree(shown()))?;
        let file = open_plain_file(&path).map_err(|cause| Damage::of_reading(&cause, &shown()))?;
        Ok(Box::new(content_in(file, entry.size_in_bytes())))
    }

    fn content_file(&self, entry: &Entry) -> Option<PathBuf> {
        Some(kept_path(&self.folder, number_of(entry)?))
    }

    fn audit(&self, depth: Depth) -> Result<Box<dyn Audit + '_>, TrunkError> {
        Ok(Box::new(ParkedAudit { trunk: self, depth, seen: 0 }))
    }
}

struct ParkedAudit<'t> {
    trunk: &'t ParkedTrunk,
    depth: Depth,
    seen: u64,
}

impl Audit for ParkedAudit<'_> {
    fn see(&mut self, entry: &Entry, is_whole: bool) -> Option<Damage> {
        self.seen += 1;
        let Content::File { size_in_bytes, .. } = entry.content else { return None };
        if is_whole {
            return None;
        }
        let shown = || entry.address.path.to_string();
        let found = self.trunk.content_file(entry).and_then(|path| fs::symlink_metadata(path).ok());
        match found {
            None => Some(Damage::FileMissing(shown())),
            Some(found) if !found.is_file() => Some(Damage::NotAPlainFile(shown())),
            Some(found) if found.len() != size_in_bytes => Some(Damage::ContentChanged(shown())),
            Some(_) => None,
        }
    }

    fn finish(self: Box<Self>) -> Result<Vec<Damage>, TrunkError> {
        let trunk = self.trunk;
        let mut damage = trunk.flaws.clone();
        let captured: u64 = trunk.items().iter().map(|item| item.captured.entries()).sum();
        if captured != self.seen {
            damage.push(Damage::ListsDisagree(trunk.list_name()));
        }
        let parts = Parts::load(std::slice::from_ref(&trunk.folder))?;
        if !parts.have_labels(&trunk.list.contents.parts) {
            damage.push(Damage::ContentChanged(LABEL.to_owned()));
        }
        let is_thorough = self.depth == Depth::Full;
        if is_thorough {
            damage.extend(trunk.list.damage());
        }
        let (number, trunk_id) = (trunk.list_number, &trunk.label().trunk_id);
        damage.extend(second_copy::damage(&trunk.folder, number, trunk_id, is_thorough));
        Ok(damage)
    }
}
