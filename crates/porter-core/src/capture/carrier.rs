//! Carrying one thing that was seen on the machine into the trunk.

use super::CaptureError;
use crate::attributes::{attributes_of, is_cloud_only, is_encrypted};
use crate::events::{Conduct, Event, Stoppable};
use crate::walk::{Sight, Spot};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Fate;
use porter_kinds::item::Item;
use porter_kinds::kind::Instead;
use porter_kinds::part::Part;
use porter_machine::{Account, Machine};
use porter_names::{RelativePath, screen::on_screen};
use porter_source::{Details, EntryKind, Metadata, Missing, ReadTrouble, Rescue, Second, Shut};
use porter_trunk::{
    Content, Entry, EntryAddress, Extents, KeptState, LeftBehind, LeftReason, MissingStretch, NamedStream,
    StoreError, Stored, Tally, TrunkWriter,
};
use std::collections::HashMap;
use std::io;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};

/// A file that somebody writes to is read so often before it is taken as it is.
const MOST_READINGS: u32 = 3;

/// The fate of one thing that was seen.
#[derive(Default)]
pub(super) struct Done {
    pub(super) entry: Option<Entry>,
    /// The trunk's earlier entry at this address, which stays beside the new one or in place of it.
    pub(super) earlier: Option<Entry>,
    /// A folder that could not be looked into: what the trunk had below it stays.
    pub(super) keep_below: Option<EntryAddress>,
    pub(super) left: Vec<LeftBehind>,
    /// The trunk had it already, and so it was not read.
    pub(super) was_there: bool,
    /// The drive could not read it, or not all of it: it is tried again when all else is safe.
    pub(super) again: Option<Box<Again>>,
}

/// A file to be tried again.
pub(super) struct Again {
    thing: Thing,
    /// Empty if nothing could be read at all.
    missing: Missing,
}

/// A thing that is to be carried.
#[derive(Clone)]
struct Thing {
    spot: Spot,
    metadata: Metadata,
    held: Option<String>,
}

/// A file that was read into the trunk.
struct Taken {
    stored: Stored,
    was_there: bool,
    missing: Missing,
    /// Somebody wrote to it each time that it was read.
    is_torn: bool,
}

impl Taken {
    fn whole(stored: Stored, was_there: bool) -> Self {
        Self { stored, was_there, missing: Missing::default(), is_torn: false }
    }
}

/// Why one thing is not carried, or why the capture ends.
enum NotCarried {
    /// With what of it the drive could not read, where it was opened.
    Left(LeftReason, Missing),
    Ends(CaptureError),
}

/// Carries one thing into the trunk.
pub(super) struct Carrier<'a> {
    machine: &'a Machine,
    kinds: &'a Kinds,
    trunk: &'a dyn TrunkWriter,
    /// Files with several names that were stored already, by their numbers.
    linked: Mutex<HashMap<u64, Stored>>,
    /// Bytes read until now, those of unfinished files included.
    pub(super) read_in_bytes: AtomicU64,
    conduct: Conduct<'a>,
}

impl<'a> Carrier<'a> {
    pub(super) fn new(
        machine: &'a Machine,
        kinds: &'a Kinds,
        trunk: &'a dyn TrunkWriter,
        conduct: Conduct<'a>,
    ) -> Self {
        Self { machine, kinds, trunk, linked: Mutex::default(), read_in_bytes: AtomicU64::new(0), conduct }
    }

    fn note_read(&self, size_in_bytes: u64) {
        self.read_in_bytes.fetch_add(size_in_bytes, Ordering::Relaxed);
        self.conduct.send(&Event::Bytes { size_in_bytes });
    }

    /// Fails only if the trunk cannot be written, the drive is gone, or somebody asked to stop.
    pub(super) fn carry(
        &self,
        item: &Item,
        part: &Part,
        sight: Sight<'_>,
        tally: Tally,
    ) -> Result<Done, CaptureError> {
        let left = |path: RelativePath, reason| LeftBehind {
            item: Some(item.id.clone()),
            volume_path: path,
            reason,
            tally: Some(tally),
            kept: None,
        };
        match sight {
            Sight::Unreadable { spot, trouble, of_folder } => {
                let reason = self.reason_for(&spot.on_volume, trouble)?;
                let address = address_of(item, part, &spot);
                let says_nothing = reason.says_nothing_of_the_content();
                let row = left(spot.on_volume, reason);
                if of_folder {
                    let keep_below = says_nothing.then_some(address);
                    return Ok(Done { left: vec![row], keep_below, ..Done::default() });
                }
                let mut done = self.not_carried(row, &address, tally);
                // A thing that could not even be looked at may be a folder.
                done.keep_below = says_nothing.then_some(address);
                Ok(done)
            }
            Sight::Entry { spot, fate: Fate::Leave(why), .. } => {
                let reason = LeftReason::Rule { why: why.to_owned() };
                Ok(Done { left: vec![left(spot.on_volume, reason)], ..Done::default() })
            }
            Sight::Entry { spot, fate: Fate::Unchosen(why), .. } => {
                let reason = LeftReason::NotChosen { why: why.to_owned() };
                Ok(Done { left: vec![left(spot.on_volume, reason)], ..Done::default() })
            }
            Sight::Entry { spot, metadata, fate } => {
                let held = if let Fate::Hold(why) = fate { Some(why.to_owned()) } else { None };
                self.carry_thing(item, part, Thing { spot, metadata, held }, tally, None)
            }
        }
    }

    /// Tries once more what the drive could not read, or not all of it. The better of both tries counts.
    pub(super) fn carry_again(
        &self,
        item: &Item,
        part: &Part,
        mut before: Done,
        tally: Tally,
    ) -> Result<Done, CaptureError> {
        let Some(again) = before.again.take() else { return Ok(before) };
        let Again { thing, missing } = *again;
        let path = &thing.spot.on_volume;
        let go_on = || !self.conduct.is_stopped() && !self.machine.volume.is_gone(path);
        let second = match self.machine.volume.open(path) {
            Ok(file) => Second::of(&*file, &missing, &go_on),
            Err(_) => Second::default(),
        };
        if self.conduct.is_stopped() {
            return Err(CaptureError::Cancelled);
        }
        if !missing.is_empty() && !second.found_any() {
            return Ok(before);
        }
        let mut after = self.carry_thing(item, part, thing, tally, Some(second))?;
        after.again = None;
        // Elsewhere the second reading took the place of the first.
        if !self.trunk.keeps_contents_once() {
            return Ok(after);
        }
        let lacks =
            |done: &Done| done.entry.as_ref().filter(|_| !kept_whole(done)).map(Entry::missing_in_bytes);
        match (lacks(&before), lacks(&after)) {
            (Some(before_in_bytes), Some(after_in_bytes)) if before_in_bytes < after_in_bytes => Ok(before),
            (Some(_), None) => Ok(before),
            _ => Ok(after),
        }
    }

    fn carry_thing(
        &self,
        item: &Item,
        part: &Part,
        thing: Thing,
        tally: Tally,
        second: Option<Second>,
    ) -> Result<Done, CaptureError> {
        let Thing { spot, metadata, held } = &thing;
        let left = |path: &RelativePath, reason, tally| LeftBehind {
            item: Some(item.id.clone()),
            volume_path: path.clone(),
            reason,
            tally: Some(tally),
            kept: None,
        };
        let volume = &*self.machine.volume;
        let address = address_of(item, part, spot);
        let not_carried = |reason| self.not_carried(left(&spot.on_volume, reason, tally), &address, tally);
        let (details, unread) = match volume.details(&spot.on_volume) {
            Ok(details) => (details, None),
            Err(error) => (Details::default(), Some(self.reason_for(&spot.on_volume, error.trouble)?)),
        };
        let mut taken = None;
        let content = match metadata.kind {
            EntryKind::Folder => Content::Folder,
            EntryKind::Other => return Ok(not_carried(LeftReason::NotAFile)),
            // A driver that does not know clouds shows the stand-in of a file as a link to nowhere.
            EntryKind::Link | EntryKind::File if is_cloud_only(metadata, &details) => {
                return Ok(not_carried(LeftReason::CloudOnly));
            }
            EntryKind::Link => match volume.link_target(&spot.on_volume) {
                Ok(target) => Content::Link { target },
                Err(error) => return Ok(not_carried(self.reason_for(&spot.on_volume, error.trouble)?)),
            },
            EntryKind::File => match self.take(item, &thing, &address, second) {
                Ok(read) => {
                    let Stored { size_in_bytes, hash, .. } = taken.insert(read).stored;
                    Content::File { size_in_bytes, hash }
                }
                // Only the account that it was encrypted for is let in.
                Err(NotCarried::Left(LeftReason::PermissionDenied, _)) if is_encrypted(metadata) => {
                    return Ok(not_carried(LeftReason::Encrypted));
                }
                Err(NotCarried::Left(reason, missing)) => {
                    let is_of_medium = matches!(reason, LeftReason::Medium { .. });
                    let mut done = not_carried(reason);
                    done.again = is_of_medium.then(|| Box::new(Again { thing: thing.clone(), missing }));
                    return Ok(done);
                }
                Err(NotCarried::Ends(cause)) => return Err(cause),
            },
        };
        let mut done = Done::default();
        done.left.extend(unread.map(|reason| left(&spot.on_volume, reason, Tally::default())));
        for stream in &details.unreadable_streams {
            let name = [spot.on_volume.name().unwrap_or_default(), b":", stream.as_bytes()].concat();
            let path = spot.on_volume.parent().and_then(|folder| folder.join(&name).ok());
            let path = path.unwrap_or_else(|| spot.on_volume.clone());
            done.left.push(left(&path, LeftReason::StreamNotRead, Tally::default()));
        }
        let mut missing = Missing::default();
        let mut extents = Extents::None;
        if let Some(taken) = taken {
            done.was_there = taken.was_there;
            (missing, extents) = (taken.missing, taken.stored.extents);
            if taken.is_torn {
                done.left.push(left(&spot.on_volume, LeftReason::ChangedWhileRead, Tally::default()));
            }
            if !missing.is_empty() {
                let (missing_in_bytes, size_in_bytes) = (missing.in_bytes(), taken.stored.size_in_bytes);
                let reason = LeftReason::Incomplete { missing_in_bytes, size_in_bytes };
                let mut row = left(&spot.on_volume, reason, Tally::default());
                done.earlier = self.earlier_of(item, &address).filter(|entry| !entry.is_incomplete());
                row.kept = done.earlier.as_ref().map(kept_state);
                done.left.push(row);
                done.again = Some(Box::new(Again { thing: thing.clone(), missing: missing.clone() }));
            }
        }
        let attributes = attributes_of(metadata, &details);
        let streams = details.streams.into_iter();
        let missing = missing.stretches().iter().map(|stretch| MissingStretch {
            offset_in_bytes: stretch.start,
            length_in_bytes: stretch.end - stretch.start,
        });
        done.entry = Some(Entry {
            item: item.id.clone(),
            address,
            content,
            modified_utc: metadata.modified_utc,
            created_utc: details.created_utc,
            attributes,
            unix_mode: metadata.unix_mode,
            streams: streams.map(|s| NamedStream { name: s.name, content: s.content }).collect(),
            held: held.clone(),
            extents,
            same_file: metadata.same_file,
            sparse: metadata.sparse,
            missing: missing.collect(),
            kept_from_utc: None,
        });
        Ok(done)
    }

    fn earlier_of(&self, item: &Item, address: &EntryAddress) -> Option<Entry> {
        self.trunk.earlier(address).filter(|entry| entry.item == item.id)
    }

    /// The row of a thing that is not carried now. The trunk keeps its earlier entry, unless the reason says
    /// that the thing no longer exists.
    fn not_carried(&self, mut row: LeftBehind, address: &EntryAddress, listed: Tally) -> Done {
        let earlier = self.trunk.earlier(address).filter(|entry| Some(&entry.item) == row.item.as_ref());
        let Some(earlier) = earlier.filter(|_| row.reason.says_nothing_of_the_content()) else {
            return Done { left: vec![row], ..Done::default() };
        };
        row.kept = Some(kept_state(&earlier));
        let kind = |tally: Tally| (tally.files, tally.folders, tally.links);
        if kind(earlier.tally()) == kind(listed) {
            // It counts as captured, as it was.
            row.tally = Some(Tally::default());
            Done { entry: Some(earlier), left: vec![row], ..Done::default() }
        } else {
            Done { earlier: Some(earlier), left: vec![row], ..Done::default() }
        }
    }

    /// Reads a file into the trunk, if the trunk does not have it already.
    fn take(
        &self,
        item: &Item,
        thing: &Thing,
        address: &EntryAddress,
        second: Option<Second>,
    ) -> Result<Taken, NotCarried> {
        let Thing { spot, metadata, .. } = thing;
        let at = &spot.on_volume;
        let progress = |size_in_bytes| self.note_read(size_in_bytes);
        match self.kinds.of(item).instead(item, self.machine, at) {
            Instead::Nothing => {}
            Instead::Content(mut content) => {
                let stored = self.trunk.store(address, metadata.modified_utc, &mut content, &progress);
                return stored
                    .map(|stored| Taken::whole(stored, false))
                    .map_err(|cause| self.sorted(at, cause));
            }
            Instead::Left(reason) => return Err(NotCarried::Left(reason, Missing::default())),
        }
        let linked = || self.linked.lock().unwrap_or_else(PoisonError::into_inner);
        let under_other_name = metadata.same_file.and_then(|number| linked().get(&number).cloned());
        let known = || self.trunk.already(address, metadata.size_in_bytes, metadata.modified_utc);
        if let Some(stored) = under_other_name.filter(|_| self.trunk.keeps_contents_once()).or_else(known) {
            self.conduct.send(&Event::Bytes { size_in_bytes: stored.size_in_bytes });
            return Ok(Taken::whole(stored, true));
        }
        let taken = self.read(thing, address, second)?;
        if let (true, false, Some(number)) = (taken.missing.is_empty(), taken.is_torn, metadata.same_file) {
            linked().insert(number, taken.stored.clone());
        }
        Ok(taken)
    }

    /// Reads a file round its unreadable stretches, and again if somebody wrote to it at the same time.
    fn read(
        &self,
        thing: &Thing,
        address: &EntryAddress,
        mut second: Option<Second>,
    ) -> Result<Taken, NotCarried> {
        let Thing { spot, metadata, .. } = thing;
        let at = &spot.on_volume;
        let progress = |size_in_bytes| self.note_read(size_in_bytes);
        let shown = || self.machine.volume.host_tree()?.host_path(at).ok();
        match self.trunk.store_file(&shown, &progress) {
            // Only a copy can be made of what cannot all be read, or is written to.
            None | Some(Err(StoreError::Source(_))) => {}
            Some(stored) => {
                let stored = stored.map_err(|cause| self.sorted(at, cause))?;
                return Ok(Taken::whole(stored, false));
            }
        }
        let mut reading = 1;
        loop {
            let file = self.machine.volume.open(at).map_err(|error| self.left(at, error.trouble))?;
            let before = file.state();
            let rescue = match second.take() {
                Some(second) => Rescue::second(file, metadata.size_in_bytes, second),
                None => Rescue::new(file, metadata.size_in_bytes),
            };
            let rescue = rescue.with_holes(metadata.sparse);
            let mut content = Stoppable { content: rescue, conduct: self.conduct };
            let stored = self
                .trunk
                .store(address, metadata.modified_utc, &mut content, &progress)
                .map_err(|cause| self.sorted(at, cause))?;
            let missing = content.content.missing().clone();
            if !missing.is_empty() && missing.in_bytes() >= stored.size_in_bytes {
                self.trunk.discard(address).map_err(|cause| NotCarried::Ends(cause.into()))?;
                let cause = io::Error::other("no sector of it could be read");
                return Err(match self.reason_for(at, ReadTrouble::Medium(cause)) {
                    Ok(reason) => NotCarried::Left(reason, missing),
                    Err(gone) => NotCarried::Ends(gone),
                });
            }
            let is_torn = before.is_some() && content.content.file().state() != before;
            if !is_torn || reading == MOST_READINGS {
                return Ok(Taken { stored, was_there: false, missing, is_torn });
            }
            reading += 1;
        }
    }

    /// Separates errors of one file from those that end the capture.
    fn sorted(&self, at: &RelativePath, failed: StoreError) -> NotCarried {
        match failed {
            StoreError::Source(_) if self.conduct.is_stopped() => NotCarried::Ends(CaptureError::Cancelled),
            StoreError::Source(cause) => self.left(at, ReadTrouble::from(cause)),
            StoreError::TooLarge => NotCarried::Left(LeftReason::TooLargeForTrunk, Missing::default()),
            StoreError::Trunk(cause) => NotCarried::Ends(cause.into()),
        }
    }

    fn left(&self, at: &RelativePath, trouble: ReadTrouble) -> NotCarried {
        match self.reason_for(at, trouble) {
            Ok(reason) => NotCarried::Left(reason, Missing::default()),
            Err(cause) => NotCarried::Ends(cause),
        }
    }

    /// Fails if the drive is gone: then nothing else can be read either.
    fn reason_for(&self, at: &RelativePath, trouble: ReadTrouble) -> Result<LeftReason, CaptureError> {
        match trouble {
            ReadTrouble::DriveGone(_) => Err(CaptureError::DriveGone),
            ReadTrouble::Medium(_) if self.machine.volume.is_gone(at) => Err(CaptureError::DriveGone),
            ReadTrouble::Shut(Shut::Cloud) => Ok(LeftReason::CloudNotEntered { holds: self.places_in(at) }),
            trouble => Ok(reason_for(trouble)),
        }
    }

    /// Whose folders are in a folder, in words: `desktop and documents of odile`.
    fn places_in(&self, folder: &RelativePath) -> String {
        let of_account = |account: &Account| {
            let inside = account.places.iter().filter(|(_, found)| found.path.is_within(folder));
            let names: Vec<_> = inside.map(|(place, _)| place.name()).collect();
            let of_whom = on_screen(&account.name);
            (!names.is_empty()).then(|| format!("{} of {of_whom}", names.join(", ")))
        };
        self.machine.accounts.iter().filter_map(of_account).collect::<Vec<_>>().join("; ")
    }
}

fn address_of(item: &Item, part: &Part, spot: &Spot) -> EntryAddress {
    EntryAddress {
        owner: item.owner.clone(),
        place: part.place.name().to_owned(),
        path: spot.below_place.clone(),
        safe_path: spot.safe.clone(),
    }
}

/// True if what counts as captured is what the trunk had before.
fn kept_whole(done: &Done) -> bool {
    done.entry.as_ref().is_some_and(|entry| entry.kept_from_utc.is_some())
}

fn kept_state(entry: &Entry) -> KeptState {
    let from_utc = entry.kept_from_utc.unwrap_or(time::OffsetDateTime::UNIX_EPOCH);
    KeptState { from_utc, tally: entry.tally() }
}

fn reason_for(trouble: ReadTrouble) -> LeftReason {
    match trouble {
        ReadTrouble::PermissionDenied => LeftReason::PermissionDenied,
        ReadTrouble::Gone => LeftReason::Gone,
        ReadTrouble::InUse => LeftReason::InUse,
        ReadTrouble::CloudOnly => LeftReason::CloudOnly,
        ReadTrouble::Shut(Shut::Cloud) => LeftReason::CloudNotEntered { holds: String::new() },
        ReadTrouble::Shut(Shut::Tag(tag)) => LeftReason::NotKnownToDriver { tag: format!("{tag:#010x}") },
        ReadTrouble::OtherVolume => LeftReason::OtherVolume,
        ReadTrouble::Medium(cause) | ReadTrouble::DriveGone(cause) => {
            LeftReason::Medium { detail: cause.to_string() }
        }
        ReadTrouble::NameNotHeld => LeftReason::NameNotHeld,
        ReadTrouble::IsLink => LeftReason::IsLink,
        ReadTrouble::Other(cause) => LeftReason::Unreadable { detail: cause.to_string() },
    }
}
