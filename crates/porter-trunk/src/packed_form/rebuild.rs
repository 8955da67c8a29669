//! A list rebuilt from the packs, where the list was lost: every pack names its contents, the entries they
//! belong to, and the items these are parts of.

use super::block::{Kind, Proving};
use super::block_file::{BlockFile, NotRead, heads_of};
use super::block_file_writer::Run;
use super::file_frame::Role;
use super::layout::FileName;
use super::list::{self, Contents, List, ListWriter, PackRow, contents_of, unpacked_lines};
use super::parts::{Opener, Parts};
use super::relabel::relabel_hurt;
use super::set_aside::set_aside;
use crate::lock::Lock;
use crate::{Damage, Entry, EntryAddress, Extent, Tally, TrunkError};
use std::collections::{HashMap, HashSet};
use std::path::PathBuf;
use time::OffsetDateTime;

/// The state of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Rebuilt {
    /// It is whole: nothing was done.
    NotNeeded,
    /// It is whole, and a label that differed from it was rebuilt.
    Label,
    /// That of a parked trunk was rewritten from its second copy.
    FromSecondCopy,
    /// It is whole, and its second copy was rewritten.
    SecondCopy,
    /// It was rebuilt.
    FromPacks {
        /// Entries that were found in packs.
        entries: u64,
        /// Entries whose contents are in packs that are damaged or gone.
        lost: Vec<EntryAddress>,
        /// Packs that could be read.
        packs: u64,
        /// Entries that were to be captured and are in none of the packs: the capture was cut off, or packs
        /// are elsewhere.
        unheard_of: u64,
    },
}

/// Rebuilds the list of a packed trunk if it cannot be used, or is that of the state before. Facts that no
/// pack repeats are missing from it: the files left behind, and why; entries in damaged packs only; and which
/// entries were gone from the machine at the last capture.
pub fn rebuild(
    folders: &[PathBuf],
    opener: Option<&Opener>,
    now_utc: OffsetDateTime,
) -> Result<Rebuilt, TrunkError> {
    let mut parts = Parts::load(folders)?;
    let key = parts.unlock(opener)?;
    let _locks = Lock::take_all(folders.iter().map(PathBuf::as_path))?;
    let trunk = parts.outside()?.trunk_id.clone();
    let newest = list::newest(&parts)?;
    let whole =
        newest.as_ref().and_then(|(path, number)| List::open_whole(path, *number, &trunk, key.as_ref()));
    let pinned = whole.as_ref().map(|list| list.contents.parts.as_slice());
    let relabelled = relabel_hurt(&parts, key.as_ref(), pinned)?;
    if whole.as_ref().is_some_and(|list| !list.contents.lacks_packs(&parts)) {
        return Ok(if relabelled { Rebuilt::Label } else { Rebuilt::NotNeeded });
    }
    if relabelled {
        parts = Parts::load(folders)?;
    }

    let mut gathered = Gathered::default();
    let mut rows = Vec::new();
    let mut newest_contents: Option<Contents> = None;
    let files = parts.files()?;
    let like = heads_of(files.iter().map(|(_, _, path)| path.as_path()));
    for (name, part, path) in files {
        let FileName::Pack(number) = name else { continue };
        let pack = match BlockFile::open(&path, Role::Pack, number, &trunk, key.as_ref()) {
            Ok(pack) => pack,
            Err(NotRead::Version(version)) => {
                let folder = parts.first_folder();
                return Err(list::not_read(NotRead::Version(version), folder, &path));
            }
            Err(_) => {
                let salvaged =
                    BlockFile::salvage(&path, Role::Pack, number, Some(&trunk), key.as_ref(), &like);
                let Ok(pack) = salvaged else { continue };
                pack
            }
        };
        gathered.see(&pack);
        if let Ok(contents) = contents_of(&pack) {
            newest_contents = Some(contents);
        }
        rows.push(PackRow::of(&pack, part));
    }
    let Some(mut contents) = newest_contents else {
        return Err(TrunkError::Damaged(Damage::FileMissing("every pack".to_owned())));
    };
    let packs = rows.len() as u64;
    let expected: u64 = contents.items.iter().map(|item| item.captured.entries()).sum();
    let (entries, lost) = gathered.finish(&contents);
    let unheard_of = expected.saturating_sub((entries.len() + lost.len()) as u64);
    count(&mut contents, &entries);
    contents.finished_utc = Some(now_utc);
    contents.packs = rows;
    contents.parts = parts.label_rows();

    let folder = parts.folders().last().map(|(_, folder)| folder.to_path_buf()).unwrap_or_default();
    let run = Run::begin(&trunk, key.as_ref())
        .map_err(|cause| TrunkError::io("asking for randomness", &folder, cause))?;
    let number = newest.as_ref().map_or(1, |(_, number)| number + 1);
    let mut list = ListWriter::create(&folder, number, &run)?;
    for entry in &entries {
        let line = entry.to_line().map_err(|cause| TrunkError::io("listing", &folder, cause.into()))?;
        list.entry(&line, &run)?;
    }
    let spare_in_percent = crate::spare::percent_in(&folder)
        .map_err(|cause| TrunkError::io("reading recovery data in", &folder, cause))?;
    contents.spare_in_percent = spare_in_percent;
    list.finish(&contents, &run, number, spare_in_percent)?;
    // A whole one is that of the state before, and stays.
    if let Some((path, _)) = newest.filter(|_| whole.is_none()) {
        set_aside(&path)?;
    }
    list::publish(&folder, number)?;
    Ok(Rebuilt::FromPacks { entries: entries.len() as u64, lost, packs, unheard_of })
}

/// Entries of all packs; later ones take the place of earlier ones.
#[derive(Default)]
struct Gathered {
    /// None in the place of an entry that no longer counts.
    entries: Vec<Option<Entry>>,
    /// Where each is, by its address and whether it is incomplete.
    at: HashMap<(EntryAddress, bool), usize>,
    blocks: HashSet<u32>,
}

impl Gathered {
    fn see(&mut self, pack: &BlockFile) {
        for (row, (_, head)) in pack.rows.iter().enumerate() {
            match head.kind {
                Kind::Contents => {
                    if pack.read(row, Proving::Everything).is_ok() {
                        self.blocks.insert(head.number);
                    }
                }
                Kind::Entries => {
                    let Ok(lines) = unpacked_lines(pack, row) else { continue };
                    for line in lines.iter() {
                        let Ok(entry) = Entry::from_line(line, 1) else { continue };
                        self.take(entry);
                    }
                }
                Kind::Left | Kind::Inventory | Kind::Index => {}
            }
        }
    }

    /// Beside a file that is kept whole from earlier stands what of it could be read later, until it is read
    /// whole again.
    fn take(&mut self, entry: Entry) {
        let key = |entry: &Entry| (entry.address.clone(), entry.is_incomplete());
        match self.at.get(&key(&entry)) {
            Some(at) => self.entries[*at] = Some(entry.clone()),
            None => {
                self.at.insert(key(&entry), self.entries.len());
                self.entries.push(Some(entry.clone()));
            }
        }
        if !entry.is_incomplete()
            && entry.kept_from_utc.is_none()
            && let Some(lesser) = self.at.remove(&(entry.address, true))
        {
            self.entries[lesser] = None;
        }
    }

    /// Entries whose contents are there, item after item; and the others.
    fn finish(self, contents: &Contents) -> (Vec<Entry>, Vec<EntryAddress>) {
        let order: HashMap<&str, usize> =
            contents.items.iter().enumerate().map(|(at, item)| (item.id.as_str(), at)).collect();
        let is_there = |entry: &Entry| {
            entry.extents.as_slice().iter().all(|extent| match extent {
                Extent::Contents { block, .. } => self.blocks.contains(block),
                Extent::Zeros { .. } => true,
            })
        };
        let (mut entries, lost): (Vec<Entry>, Vec<Entry>) =
            self.entries.into_iter().flatten().partition(is_there);
        entries.sort_by_key(|entry| order.get(entry.item.as_str()).copied().unwrap_or(usize::MAX));
        (entries, lost.into_iter().map(|entry| entry.address).collect())
    }
}

/// Counts the items' entries again.
fn count(contents: &mut Contents, entries: &[Entry]) {
    let mut tallies: HashMap<&str, Tally> = HashMap::new();
    for entry in entries {
        *tallies.entry(&entry.item).or_default() += entry.tally();
    }
    for item in &mut contents.items {
        let captured = tallies.get(item.id.as_str()).copied().unwrap_or_default();
        (item.seen, item.captured, item.left) = (captured, captured, Tally::default());
    }
}
