//! Counting all items at once: folders are spread over threads, because waiting for listings is what takes
//! long.

use crate::attributes::{is_cloud_only, is_compressed, is_encrypted};
use crate::events::{Cancelled, Conduct, Event};
use crate::in_order::workers;
use crate::look_inside;
use crate::walk::{Grounds, Pending, Sight, beginnings, look_into, tally_of};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Fate;
use porter_kinds::item::Item;
use porter_kinds::kind::Kind;
use porter_kinds::part::{ELSEWHERE, Part, What};
use porter_machine::Machine;
use porter_names::{NameRules, RelativePath};
use porter_source::{Details, EntryKind, ReadTrouble};
use porter_trunk::Tally;
use std::sync::{Condvar, Mutex, PoisonError};
use time::OffsetDateTime;

/// 4 GiB and more does not fit in one file on FAT32.
const LARGEST_ON_FAT32_IN_BYTES: u64 = u32::MAX as u64;
/// Windows' old limit of 260 counts the drive, the colon, the backslash and the end.
const LONGEST_FOR_MOST_PROGRAMS: usize = 260 - 4;

/// The kind of items of folders, among which those that somebody names are asked for whole.
const FOLDERS: &str = "folder";
const ADDED_BY_NAME: &str = "/folder/also/";

/// The files found in one item.
#[derive(Debug, Clone, Default)]
pub(super) struct Count {
    pub(super) to_capture: Tally,
    pub(super) to_leave: Tally,
    pub(super) newest_utc: Option<OffsetDateTime>,
    pub(super) unreadable: u64,
    pub(super) other_volumes: u64,
    pub(super) cloud_only: u64,
    pub(super) shut: u64,
    pub(super) encrypted: u64,
    pub(super) links: u64,
    pub(super) too_large_for_fat32: u64,
    pub(super) names_windows_cannot_hold: u64,
    pub(super) long_paths: u64,
    pub(super) compressed: u64,
    /// Folders that are trunks of porter's.
    pub(super) trunks: Vec<RelativePath>,
}

impl Count {
    pub(super) fn add(&mut self, other: &Self) {
        self.to_capture += other.to_capture;
        self.to_leave += other.to_leave;
        self.newest_utc = self.newest_utc.max(other.newest_utc);
        self.unreadable += other.unreadable;
        self.other_volumes += other.other_volumes;
        self.cloud_only += other.cloud_only;
        self.shut += other.shut;
        self.encrypted += other.encrypted;
        self.links += other.links;
        self.too_large_for_fat32 += other.too_large_for_fat32;
        self.names_windows_cannot_hold += other.names_windows_cannot_hold;
        self.long_paths += other.long_paths;
        self.compressed += other.compressed;
        self.trunks.extend_from_slice(&other.trunks);
    }

    fn see(&mut self, sight: &Sight<'_>) {
        let (spot, metadata, fate) = match sight {
            Sight::Entry { spot, metadata, fate } => (spot, metadata, fate),
            Sight::Unreadable { trouble: ReadTrouble::OtherVolume, .. } => {
                self.other_volumes += 1;
                return;
            }
            // Its own row has counted it.
            Sight::Unreadable { trouble: ReadTrouble::Shut(_), .. } => return,
            Sight::Unreadable { of_folder, .. } => {
                self.unreadable += 1;
                if !of_folder {
                    self.to_leave += Tally::file(0);
                }
                return;
            }
        };
        if *fate == Fate::Leave(look_inside::TRUNK) {
            let is_first = |name: &[u8]| name == b"label.json" || name == b"bagit.txt";
            if spot.on_volume.name().is_some_and(is_first) {
                self.trunks.extend(spot.on_volume.parent());
            }
        }
        if fate.is_left() || metadata.kind == EntryKind::Other {
            self.to_leave += tally_of(metadata);
            return;
        }
        if metadata.shut.is_some() {
            self.shut += 1;
            if metadata.kind != EntryKind::Folder {
                self.to_leave += tally_of(metadata);
                return;
            }
        }
        if is_cloud_only(metadata, &Details::default()) && metadata.kind != EntryKind::Folder {
            self.cloud_only += 1;
            self.to_leave += tally_of(metadata);
            return;
        }
        self.to_capture += tally_of(metadata);
        if metadata.kind == EntryKind::File {
            self.newest_utc = self.newest_utc.max(metadata.modified_utc);
            self.too_large_for_fat32 += u64::from(metadata.size_in_bytes > LARGEST_ON_FAT32_IN_BYTES);
        }
        self.encrypted += u64::from(metadata.kind == EntryKind::File && is_encrypted(metadata));
        self.compressed += u64::from(metadata.kind == EntryKind::File && is_compressed(metadata));
        self.links += u64::from(metadata.kind == EntryKind::Link);
        let name = spot.on_volume.name().unwrap_or_default();
        self.names_windows_cannot_hold += u64::from(!NameRules::windows(usize::MAX).hold(name));
        self.long_paths += u64::from(spot.on_volume.as_bytes().len() > LONGEST_FOR_MOST_PROGRAMS);
    }
}

/// A file that belongs to a kind although it lies in an item of folders.
pub(super) struct Elsewhere<'m> {
    pub(super) kind: &'static dyn Kind,
    pub(super) owner: Option<&'m str>,
    pub(super) part: Part,
    pub(super) count: Count,
}

impl<'m> Elsewhere<'m> {
    fn of(kind: &'static dyn Kind, folder: &Pending<'m>, sight: &Sight<'_>) -> Option<Self> {
        let Sight::Entry { spot, .. } = sight else { return None };
        let mut count = Count::default();
        count.see(sight);
        let what = What::At(spot.below_place.clone());
        let part = Part { name: ELSEWHERE.to_owned(), place: folder.part.place, what };
        Some(Self { kind, owner: folder.item.owner.as_deref(), part, count })
    }
}

/// The kind that knows a file wherever it lies.
fn kind_of(
    kinds: &Kinds,
    machine: &Machine,
    folder: &Pending<'_>,
    sight: &Sight<'_>,
) -> Option<&'static dyn Kind> {
    let Sight::Entry { spot, metadata, fate: Fate::Carry | Fate::Hold(_) } = sight else { return None };
    // A folder that somebody names is wanted with all that is in it.
    if metadata.kind != EntryKind::File
        || folder.item.kind != FOLDERS
        || folder.item.id.contains(ADDED_BY_NAME)
    {
        return None;
    }
    let begins = |buffer: &mut [u8]| {
        // To read what is only in a cloud would fetch it.
        let details = machine.volume.details(&spot.on_volume).unwrap_or_default();
        if is_cloud_only(metadata, &details) || metadata.shut.is_some() {
            return 0;
        }
        let file = machine.volume.open(&spot.on_volume);
        file.ok().and_then(|file| file.read_at(0, buffer).ok()).unwrap_or_default()
    };
    let name = spot.on_volume.name()?;
    kinds.all().find(|kind| kind.knows(name, metadata.size_in_bytes, &begins))
}

struct Queue<'m> {
    pending: Vec<(usize, Pending<'m>)>,
    being_looked_into: usize,
    stopped: bool,
}

/// One count per item, in their order, and the files that belong to others.
pub(super) fn count<'m>(
    grounds: &Grounds<'m>,
    kinds: &Kinds,
    items: &'m [Item],
    conduct: Conduct<'_>,
) -> Result<(Vec<Count>, Vec<Elsewhere<'m>>), Cancelled> {
    let pending: Vec<_> = items
        .iter()
        .enumerate()
        .flat_map(|(at, item)| beginnings(grounds, item).into_iter().map(move |pending| (at, pending)))
        .collect();
    let queue = Mutex::new(Queue { pending, being_looked_into: 0, stopped: false });
    let more = Condvar::new();
    let totals = Mutex::new(vec![Count::default(); items.len()]);
    let elsewhere = Mutex::new(Vec::new());

    std::thread::scope(|scope| {
        for _ in 0..workers() {
            scope.spawn(|| {
                let mut own = vec![Count::default(); items.len()];
                while let Some((at, folder)) = next(&queue, &more) {
                    let sights = look_into(grounds, &folder);
                    let mut size_in_bytes = 0;
                    for (sight, _) in &sights {
                        match kind_of(kinds, grounds.machine, &folder, sight) {
                            Some(kind) => {
                                let mut elsewhere = elsewhere.lock().unwrap_or_else(PoisonError::into_inner);
                                elsewhere.extend(Elsewhere::of(kind, &folder, sight));
                            }
                            None => own[at].see(sight),
                        }
                        if let Sight::Entry { metadata, .. } = sight {
                            size_in_bytes += metadata.size_in_bytes;
                        }
                    }
                    let is_file =
                        |sight: &&(Sight<'_>, _)| matches!(&sight.0, Sight::Entry { metadata, .. } if metadata.kind == EntryKind::File);
                    conduct.send(&Event::Seen { files: sights.iter().filter(is_file).count() as u64 });
                    conduct.send(&Event::Bytes { size_in_bytes });
                    let mut queue = queue.lock().unwrap_or_else(PoisonError::into_inner);
                    queue.pending.extend(sights.into_iter().filter_map(|(_, next)| Some((at, next?))));
                    queue.being_looked_into -= 1;
                    queue.stopped |= conduct.is_stopped();
                    more.notify_all();
                }
                let mut totals = totals.lock().unwrap_or_else(PoisonError::into_inner);
                totals.iter_mut().zip(&own).for_each(|(total, own)| total.add(own));
            });
        }
    });
    if queue.into_inner().unwrap_or_else(PoisonError::into_inner).stopped {
        return Err(Cancelled);
    }
    let totals = totals.into_inner().unwrap_or_else(PoisonError::into_inner);
    let mut elsewhere = elsewhere.into_inner().unwrap_or_else(PoisonError::into_inner);
    // Threads find them in any order.
    elsewhere.sort_by_key(|found| format!("{:?}", found.part.what));
    Ok((totals, elsewhere))
}

/// The next folder; waits while others may still find some; none when all is done.
fn next<'m>(queue: &Mutex<Queue<'m>>, more: &Condvar) -> Option<(usize, Pending<'m>)> {
    let mut queue = queue.lock().unwrap_or_else(PoisonError::into_inner);
    loop {
        if queue.stopped {
            return None;
        }
        if let Some(folder) = queue.pending.pop() {
            queue.being_looked_into += 1;
            return Some(folder);
        }
        if queue.being_looked_into == 0 {
            return None;
        }
        queue = more.wait(queue).unwrap_or_else(PoisonError::into_inner);
    }
}
