//! An earlier run's stock in a trunk: contents that are safe, and entries whose files need not be read again.

use super::block::{Directory, Kind};
use super::block_file::{BlockFile, NotRead, name_of};
use super::content_index::{ContentIndex, Whereabouts};
use super::cut_off::close_cut_off;
use super::file_frame::Role;
use super::layout::{FileName, LABEL};
use super::lines::UnpackedLines;
use super::list::{self, List, PackRow, contents_of, not_read, unpacked_lines};
use super::parts::Parts;
use super::set_aside::set_aside;
use crate::sealing::TrunkKey;
use crate::{Content, Entry, EntryAddress, Extent, Label, TrunkError, TrunkItem};
use crate::{host, spare};
use porter_names::RelativePath;
use std::collections::hash_map::Entry as Slot;
use std::collections::{HashMap, HashSet, VecDeque};
use std::fs;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use time::{Duration, OffsetDateTime};

/// The stock of a trunk.
#[derive(Default)]
pub(super) struct Stock {
    pub(super) index: ContentIndex,
    pub(super) known: Known,
    /// Packs that are whole.
    pub(super) packs: Vec<PackRow>,
    pub(super) next_pack: u32,
    pub(super) next_list: u32,
    pub(super) next_block: u32,
    /// The label inside, of the newest run.
    pub(super) label: Option<Label>,
    /// The share of spare data in the newest finished list.
    pub(super) spare_in_percent: Option<f64>,
    /// The items of the newest finished list.
    pub(super) items: Vec<TrunkItem>,
    /// Packs that were damaged and that no finished list counts on: they were renamed, and their contents are
    /// captured again.
    pub(super) set_aside: Vec<String>,
}

impl Stock {
    /// The stock of a new trunk.
    pub(super) fn none() -> Self {
        Self { next_pack: 1, next_list: 1, next_block: 1, ..Self::default() }
    }

    /// Looks through all packs, and closes those that were cut off. Nothing that a finished list counts on is
    /// touched.
    pub(super) fn take(parts: &Parts, key: Option<&TrunkKey>) -> Result<Self, TrunkError> {
        let trunk = &parts.outside()?.trunk_id;
        let mut stock = Self::none();
        let mut listed: HashMap<u32, PackRow> = HashMap::new();
        if let Some((path, number)) = list::newest(parts)? {
            let list = List::open(&path, number, trunk, key)?;
            for row in &list.contents.packs {
                parts
                    .folder_of(row.part)
                    .ok_or_else(|| TrunkError::PartMissing { part: row.part, trunk_id: trunk.clone() })?;
                listed.insert(row.number, row.clone());
            }
            if !parts.have_labels(&list.contents.parts) {
                return Err(TrunkError::Damaged(crate::Damage::ContentChanged(LABEL.to_owned())));
            }
            stock.label = Some(list.contents.label.clone());
            stock.items.clone_from(&list.contents.items);
            stock.spare_in_percent = list.contents.spare_in_percent;
            stock.known.add(list.file, list.contents.label.started_utc)?;
        }
        for (_, folder) in parts.folders() {
            spare::remove_unfinished(folder);
            host::remove_asides(folder, |stem| {
                ["label", "seal", "seal-copy"].contains(&stem) || crate::signature::is_list(stem)
            });
        }
        for (name, part, path) in parts.files()? {
            let io = |cause| TrunkError::io("going on with", &path, cause);
            let read = |cause| not_read(cause, parts.first_folder(), &path);
            let (number, whole) = match name {
                FileName::List(number) | FileName::OpenList(number) => {
                    stock.next_list = stock.next_list.max(number + 1);
                    if matches!(name, FileName::OpenList(_)) {
                        // Its lines stand in the packs too, those with safe contents.
                        fs::remove_file(&path).map_err(io)?;
                    }
                    continue;
                }
                FileName::Pack(number) => (number, path.clone()),
                FileName::OpenPack(number) => {
                    stock.next_pack = stock.next_pack.max(number + 1);
                    let Some(whole) = close(&path, number, parts, key)? else { continue };
                    (number, whole)
                }
            };
            stock.next_pack = stock.next_pack.max(number + 1);
            let row = listed.remove(&number);
            let adopted =
                BlockFile::open(&whole, Role::Pack, number, trunk, key).map_err(read).and_then(|pack| {
                    if row.as_ref().is_some_and(|row| !row.fits(&pack)) {
                        return Err(TrunkError::Damaged(crate::Damage::ContentChanged(pack.name)));
                    }
                    stock.adopt(pack, part, row.is_some())
                });
            match adopted {
                Err(TrunkError::Damaged(_)) if row.is_none() => {
                    set_aside(&whole)?;
                    stock.set_aside.push(name_of(&whole));
                }
                adopted => adopted?,
            }
        }
        match listed.into_values().next() {
            Some(row) => {
                Err(TrunkError::Damaged(crate::Damage::FileMissing(FileName::Pack(row.number).to_string())))
            }
            None => Ok(stock),
        }
    }

    /// Takes in the contents of a pack, or none of them if it is damaged.
    fn adopt(&mut self, pack: BlockFile, part: u32, is_listed: bool) -> Result<(), TrunkError> {
        let last_block = pack.rows.iter().map(|(_, head)| head.number).max().unwrap_or_default();
        self.next_block = self.next_block.max(last_block.saturating_add(1));
        let of_contents = pack.rows.iter().enumerate().filter(|(_, (_, head))| head.kind == Kind::Contents);
        let directories: Vec<(u32, Directory)> = of_contents
            .map(|(row, (_, head))| Ok((head.number, pack.read_directory(row)?)))
            .collect::<Result<_, _>>()
            .map_err(TrunkError::Damaged)?;
        for (block, directory) in directories {
            for (at, (id, _)) in (0..).zip(&directory.rows) {
                self.index.insert(*id, Whereabouts { block, row: at });
            }
            self.known.blocks.insert(block);
        }
        self.packs.push(PackRow::of(&pack, part));
        if !is_listed && let Ok(contents) = contents_of(&pack) {
            self.known.add(pack, contents.label.started_utc)?;
            self.label.get_or_insert(contents.label);
        }
        Ok(())
    }
}

/// Ends a pack that was cut off, and names it. None if nothing in it can be used; it is then removed.
fn close(
    path: &Path,
    number: u32,
    parts: &Parts,
    key: Option<&TrunkKey>,
) -> Result<Option<std::path::PathBuf>, TrunkError> {
    let trunk = &parts.outside()?.trunk_id;
    let io = |cause| TrunkError::io("going on with", path, cause);
    let whole = path.parent().unwrap_or(path).join(FileName::Pack(number).to_string());
    // It may lack nothing but its name.
    let closed = match BlockFile::open(path, Role::Pack, number, trunk, key) {
        Ok(_) => Ok(()),
        Err(_) => match close_cut_off(path, Role::Pack, number, trunk, key) {
            Ok(closed) => closed.map(drop).map_err(io),
            Err(NotRead::Version(version)) => {
                return Err(not_read(NotRead::Version(version), parts.first_folder(), path));
            }
            Err(NotRead::Damaged(_) | NotRead::CutOff) => {
                fs::remove_file(path).map_err(io)?;
                return Ok(None);
            }
        },
    };
    closed?;
    fs::rename(path, &whole).map_err(io)?;
    Ok(Some(whole))
}

/// A file that was written within so much of the run's beginning may have changed again without its time
/// telling: some file systems count in steps of two seconds.
const TOO_FRESH: Duration = Duration::seconds(2);

/// Entries of earlier runs, found by their addresses. Only where they stand is kept in memory.
#[derive(Default)]
pub(crate) struct Known {
    sources: Vec<(BlockFile, OffsetDateTime)>,
    /// The range of each block of lines.
    spans: Vec<Span>,
    by_address: HashMap<[u8; 16], Line>,
    /// The caller looks for the contents.
    contents_are_files: bool,
    /// Blocks that are safe.
    blocks: HashSet<u32>,
    pub(super) files: u64,
    pub(super) size_in_bytes: u64,
    recent: Mutex<VecDeque<(u32, u32, Arc<UnpackedLines>)>>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
struct Line {
    source: u32,
    row: u32,
    line: u32,
}

type PathBytes = Box<[u8]>;

/// The range of one block of lines: enough to know that it need not be read to find the entries below a
/// folder.
struct Span {
    source: u32,
    row: u32,
    items: Vec<String>,
    /// The first and the last of their paths, as bytes.
    paths: Option<(PathBytes, PathBytes)>,
}

impl Span {
    fn see(&mut self, entry: &Entry) {
        if self.items.last() != Some(&entry.item) && !self.items.contains(&entry.item) {
            self.items.push(entry.item.clone());
        }
        let path = entry.address.path.as_bytes();
        match &mut self.paths {
            None => self.paths = Some((path.into(), path.into())),
            Some((first, last)) => {
                if path < &**first {
                    *first = path.into();
                }
                if path > &**last {
                    *last = path.into();
                }
            }
        }
    }

    fn may_tell_of(&self, item: &str, folder: &RelativePath) -> bool {
        // All paths below a folder lie, as bytes, between it and what would follow its last step.
        let end = [folder.as_bytes(), b"0"].concat();
        let meets = |(first, last): &(PathBytes, PathBytes)| {
            folder.is_root() || (**last > *folder.as_bytes() && **first < *end)
        };
        self.items.iter().any(|known| known == item) && self.paths.as_ref().is_some_and(meets)
    }
}

impl Known {
    /// Entries of a finished list whose contents are files of their own.
    pub(crate) fn add_list(&mut self, list: List) -> Result<(), TrunkError> {
        self.contents_are_files = true;
        self.add(list.file, list.contents.label.started_utc)
    }

    fn add(&mut self, file: BlockFile, began_utc: OffsetDateTime) -> Result<(), TrunkError> {
        let source = u32::try_from(self.sources.len()).unwrap_or(u32::MAX);
        for (row, (_, head)) in (0..).zip(&file.rows) {
            if head.kind != Kind::Entries {
                continue;
            }
            let lines = unpacked_lines(&file, row as usize).map_err(TrunkError::Damaged)?;
            let mut span = Span { source, row, items: Vec::new(), paths: None };
            for (line, text) in (0..).zip(lines.iter()) {
                if let Ok(entry) = Entry::from_line(text, 1) {
                    span.see(&entry);
                    let here = Line { source, row, line };
                    let slot = match self.by_address.entry(key_of(&entry.address)) {
                        Slot::Occupied(slot) => {
                            // Beside a whole file that is kept from earlier there may be what of it could be
                            // read later.
                            let is_lesser = entry.is_incomplete() && slot.get().source == source;
                            Some(slot).filter(|_| !is_lesser)
                        }
                        Slot::Vacant(slot) => {
                            if matches!(entry.content, Content::File { .. }) {
                                self.files += 1;
                                self.size_in_bytes += entry.size_in_bytes();
                            }
                            slot.insert(here);
                            None
                        }
                    };
                    if let Some(mut slot) = slot {
                        slot.insert(here);
                    }
                }
            }
            self.spans.push(span);
        }
        self.sources.push((file, began_utc));
        Ok(())
    }

    /// The entry that an earlier run stored for a file, if all of it is safe and the file is the same by size
    /// and time.
    pub(crate) fn find(
        &self,
        address: &EntryAddress,
        size_in_bytes: u64,
        modified_utc: Option<OffsetDateTime>,
    ) -> Option<Entry> {
        let entry = self.entry(address)?;
        let began_utc = self.sources.get(self.by_address.get(&key_of(address))?.source as usize)?.1;
        let same = matches!(entry.content, Content::File { size_in_bytes: size, .. } if size == size_in_bytes)
            && !entry.is_incomplete()
            && modified_utc
                .is_some_and(|time| entry.modified_utc == Some(time) && time + TOO_FRESH < began_utc);
        same.then_some(entry)
    }

    /// The entry at an address, marked with when the run began that read it.
    pub(crate) fn earlier(&self, address: &EntryAddress) -> Option<Entry> {
        let at = self.by_address.get(&key_of(address))?;
        self.entry(address).map(|entry| self.marked(entry, at.source))
    }

    fn marked(&self, mut entry: Entry, source: u32) -> Entry {
        let began_utc = self.sources.get(source as usize).map(|(_, began_utc)| *began_utc);
        entry.kept_from_utc = entry.kept_from_utc.or(began_utc);
        entry
    }

    /// Passes on each entry of an item below a folder, as [`Self::earlier`] does. Reads only the blocks that
    /// may hold them.
    pub(crate) fn each_earlier(
        &self,
        item: &str,
        folder: &EntryAddress,
        take: &mut dyn FnMut(Entry) -> Result<(), TrunkError>,
    ) -> Result<(), TrunkError> {
        for span in self.spans.iter().filter(|span| span.may_tell_of(item, &folder.path)) {
            let Some((file, _)) = self.sources.get(span.source as usize) else { continue };
            let lines = unpacked_lines(file, span.row as usize).map_err(TrunkError::Damaged)?;
            for (line, text) in (0..).zip(lines.iter()) {
                let Ok(entry) = Entry::from_line(text, 1) else { continue };
                let EntryAddress { owner, place, path, .. } = &entry.address;
                let is_below = entry.item == item
                    && (owner, place) == (&folder.owner, &folder.place)
                    && *path != folder.path
                    && path.is_within(&folder.path);
                let here = Line { source: span.source, row: span.row, line };
                let is_latest = || self.by_address.get(&key_of(&entry.address)) == Some(&here);
                if is_below && is_latest() && self.is_safe(&entry) {
                    take(self.marked(entry, span.source))?;
                }
            }
        }
        Ok(())
    }

    /// True if exactly this entry stands in a pack or list already.
    pub(super) fn holds(&self, entry: &Entry) -> bool {
        !self.sources.is_empty() && self.entry(&entry.address).as_ref() == Some(entry)
    }

    fn entry(&self, address: &EntryAddress) -> Option<Entry> {
        let at = *self.by_address.get(&key_of(address))?;
        let lines = self.lines(at)?;
        let entry = Entry::from_line(lines.get(at.line as usize)?, 1).ok()?;
        (entry.address == *address && self.is_safe(&entry)).then_some(entry)
    }

    fn is_safe(&self, entry: &Entry) -> bool {
        entry.extents.as_slice().iter().all(|extent| match extent {
            Extent::Contents { block, .. } => self.contents_are_files || self.blocks.contains(block),
            Extent::Zeros { .. } => true,
        })
    }

    fn lines(&self, at: Line) -> Option<Arc<UnpackedLines>> {
        /// Workers are never further apart than a few blocks.
        const RECENT: usize = 6;
        let mut recent = self.recent.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((.., lines)) =
            recent.iter().find(|(source, row, _)| (*source, *row) == (at.source, at.row))
        {
            return Some(Arc::clone(lines));
        }
        let (file, _) = self.sources.get(at.source as usize)?;
        let lines = Arc::new(unpacked_lines(file, at.row as usize).ok()?);
        if recent.len() >= RECENT {
            recent.pop_front();
        }
        recent.push_back((at.source, at.row, Arc::clone(&lines)));
        Some(lines)
    }
}

fn key_of(address: &EntryAddress) -> [u8; 16] {
    let mut hasher = blake3::Hasher::new();
    for step in [address.owner.as_deref().unwrap_or_default(), &address.place] {
        hasher.update(step.as_bytes());
        hasher.update(&[0]);
    }
    hasher.update(address.path.as_bytes());
    let hash: [u8; 32] = hasher.finalize().into();
    let mut key = [0; 16];
    key.copy_from_slice(&hash[..16]);
    key
}
