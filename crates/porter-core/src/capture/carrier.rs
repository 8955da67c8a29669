//! Carrying one thing that was seen on the machine into the trunk.

use crate::attributes::{attributes_of, is_cloud_only, is_encrypted};
use crate::catalogue::Fate;
use crate::events::{Conduct, Event};
use crate::item::{Item, Part};
use crate::kinds::browser::database::{BESIDE, NoSnapshot, Snapshot, snapshot};
use crate::machine::Machine;
use crate::walk::{Sight, Spot};
use porter_names::RelativePath;
use porter_source::{Details, EntryKind, Metadata, ReadTrouble, Sequential, Volume};
use porter_trunk::{
    Content, Entry, EntryAddress, Extents, LeftBehind, LeftReason, NamedStream, StoreError, Stored, Tally,
    TrunkError, TrunkWriter,
};
use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};

/// What became of one thing that was seen.
pub(super) struct Done {
    pub(super) entry: Option<Entry>,
    pub(super) left: Vec<LeftBehind>,
    /// The trunk had it already, and so it was not read.
    pub(super) was_there: bool,
}

/// Carries one thing into the trunk.
pub(super) struct Carrier<'a> {
    machine: &'a Machine,
    trunk: &'a dyn TrunkWriter,
    /// Files with several names that were stored already, by their numbers.
    linked: Mutex<HashMap<u64, Stored>>,
    /// What was read until now, also of files that are not done.
    pub(super) read_in_bytes: AtomicU64,
    conduct: Conduct<'a>,
}

impl<'a> Carrier<'a> {
    pub(super) fn new(machine: &'a Machine, trunk: &'a dyn TrunkWriter, conduct: Conduct<'a>) -> Self {
        Self { machine, trunk, linked: Mutex::default(), read_in_bytes: AtomicU64::new(0), conduct }
    }

    fn note_read(&self, size_in_bytes: u64) {
        self.read_in_bytes.fetch_add(size_in_bytes, Ordering::Relaxed);
        self.conduct.send(&Event::Bytes { size_in_bytes });
    }

    /// Fails only if the trunk cannot be written.
    pub(super) fn carry(
        &self,
        item: &Item,
        part: &Part,
        sight: Sight<'_>,
        tally: Tally,
    ) -> Result<Done, TrunkError> {
        let left = |path: &RelativePath, reason, tally| LeftBehind {
            item: Some(item.id.clone()),
            volume_path: path.clone(),
            reason,
            tally: Some(tally),
        };
        let nothing_but = |row| Ok(Done { entry: None, left: vec![row], was_there: false });
        let (spot, metadata, held) = match sight {
            Sight::Unreadable { spot, trouble, .. } => {
                return nothing_but(left(&spot.on_volume, reason_for(trouble), tally));
            }
            Sight::Entry { spot, fate: Fate::Leave(why), .. } => {
                return nothing_but(left(&spot.on_volume, LeftReason::Rule { why: why.to_owned() }, tally));
            }
            Sight::Entry { spot, fate: Fate::Unchosen(why), .. } => {
                return nothing_but(left(
                    &spot.on_volume,
                    LeftReason::NotChosen { why: why.to_owned() },
                    tally,
                ));
            }
            Sight::Entry { spot, metadata, fate } => {
                let held = if let Fate::Hold(why) = fate { Some(why.to_owned()) } else { None };
                (spot, metadata, held)
            }
        };
        let mut rows = Vec::new();
        let volume = &*self.machine.volume;
        let address = EntryAddress {
            owner: item.owner.clone(),
            place: part.place.name().to_owned(),
            path: spot.below_place.clone(),
            safe_path: spot.safe.clone(),
        };
        let (details, unread) = match volume.details(&spot.on_volume) {
            Ok(details) => (details, None),
            Err(error) => (Details::default(), Some(error.trouble)),
        };
        let (mut extents, mut was_there) = (Extents::None, false);
        let content = match metadata.kind {
            EntryKind::Folder => Content::Folder,
            EntryKind::Other => return nothing_but(left(&spot.on_volume, LeftReason::NotAFile, tally)),
            // A driver that does not know clouds shows the stand-in of a file as a link to nowhere.
            EntryKind::Link | EntryKind::File if is_cloud_only(&metadata, &details) => {
                return nothing_but(left(&spot.on_volume, LeftReason::CloudOnly, tally));
            }
            EntryKind::Link => match volume.link_target(&spot.on_volume) {
                Ok(target) => Content::Link { target },
                Err(error) => return nothing_but(left(&spot.on_volume, reason_for(error.trouble), tally)),
            },
            EntryKind::File if item.is_open && is_beside_database(volume, &spot.on_volume) => {
                let why = "its changes are in the copy of the database that it stands beside".to_owned();
                return nothing_but(left(&spot.on_volume, LeftReason::Rule { why }, tally));
            }
            EntryKind::File => match self.store(item, &spot, &metadata, &address)? {
                Ok((stored, known)) => {
                    (extents, was_there) = (stored.extents, known);
                    Content::File { size_in_bytes: stored.size_in_bytes, hash: stored.hash }
                }
                // Only the account that it was encrypted for is let in.
                Err(LeftReason::PermissionDenied) if is_encrypted(&metadata) => {
                    return nothing_but(left(&spot.on_volume, LeftReason::Encrypted, tally));
                }
                Err(reason) => return nothing_but(left(&spot.on_volume, reason, tally)),
            },
        };
        if let Some(trouble) = unread {
            rows.push(left(&spot.on_volume, reason_for(trouble), Tally::default()));
        }
        for stream in &details.unreadable_streams {
            let name = [spot.on_volume.name().unwrap_or_default(), b":", stream.as_bytes()].concat();
            let path = spot.on_volume.parent().and_then(|folder| folder.join(&name).ok());
            let path = path.unwrap_or_else(|| spot.on_volume.clone());
            rows.push(left(&path, LeftReason::StreamNotRead, Tally::default()));
        }
        let attributes = attributes_of(&metadata, &details);
        let streams = details.streams.into_iter();
        let entry = Entry {
            item: item.id.clone(),
            address,
            content,
            modified_utc: metadata.modified_utc,
            created_utc: details.created_utc,
            attributes,
            unix_mode: metadata.unix_mode,
            streams: streams.map(|s| NamedStream { name: s.name, content: s.content }).collect(),
            held,
            extents,
            same_file: metadata.same_file,
            sparse: metadata.sparse,
        };
        Ok(Done { entry: Some(entry), left: rows, was_there })
    }

    /// Gives also whether the trunk had it already.
    fn store(
        &self,
        item: &Item,
        spot: &Spot,
        metadata: &Metadata,
        address: &EntryAddress,
    ) -> Result<Result<(Stored, bool), LeftReason>, TrunkError> {
        // A database that is open may have changed though its file has not: the changes stand in a log.
        let taken = item.is_open.then(|| snapshot(&*self.machine.volume, &spot.on_volume));
        match taken {
            None | Some(Err(NoSnapshot::NotADatabase)) => {}
            Some(Ok(Snapshot { mut file, .. })) => {
                let progress = |size_in_bytes| self.note_read(size_in_bytes);
                return sorted(self.trunk.store(address, metadata.modified_utc, &mut file, &progress));
            }
            Some(Err(NoSnapshot::AlwaysBusy)) => return Ok(Err(LeftReason::InUse)),
            Some(Err(NoSnapshot::Unreadable(error))) => return Ok(Err(reason_for(error.trouble))),
        }
        let linked = || self.linked.lock().unwrap_or_else(PoisonError::into_inner);
        let under_other_name = metadata.same_file.and_then(|number| linked().get(&number).cloned());
        let known = || self.trunk.already(address, metadata.size_in_bytes, metadata.modified_utc);
        if let Some(stored) = under_other_name.filter(|_| self.trunk.keeps_contents_once()).or_else(known) {
            self.conduct.send(&Event::Bytes { size_in_bytes: stored.size_in_bytes });
            return Ok(Ok((stored, true)));
        }
        let file = match self.machine.volume.open(&spot.on_volume) {
            Ok(file) => file,
            Err(error) => return Ok(Err(reason_for(error.trouble))),
        };
        let shown = || self.machine.volume.host_tree()?.host_path(&spot.on_volume).ok();
        let progress = |size_in_bytes| self.note_read(size_in_bytes);
        let copied = || {
            let mut content = Sequential::of_listed_size(file, metadata.size_in_bytes);
            self.trunk.store(address, metadata.modified_utc, &mut content, &progress)
        };
        let stored = self.trunk.store_file(&shown, &progress).unwrap_or_else(copied);
        if let (Ok(stored), Some(number)) = (&stored, metadata.same_file) {
            linked().insert(number, stored.clone());
        }
        sorted(stored)
    }
}

/// Tells what concerns one file from what ends the capture, of what was stored now.
fn sorted(stored: Result<Stored, StoreError>) -> Result<Result<(Stored, bool), LeftReason>, TrunkError> {
    match stored {
        Ok(stored) => Ok(Ok((stored, false))),
        Err(StoreError::Source(cause)) => Ok(Err(reason_for(ReadTrouble::from(cause)))),
        Err(StoreError::TooLarge) => Ok(Err(LeftReason::TooLargeForTrunk)),
        Err(StoreError::Trunk(cause)) => Err(cause),
    }
}

/// True for the log of a database that is there.
fn is_beside_database(volume: &dyn Volume, path: &RelativePath) -> bool {
    let name = path.name().unwrap_or_default();
    let database = BESIDE.iter().find_map(|suffix| name.strip_suffix(suffix.as_bytes()));
    let database = database.and_then(|name| path.parent()?.join(name).ok());
    database.is_some_and(|database| volume.metadata(&database).is_ok())
}

fn reason_for(trouble: ReadTrouble) -> LeftReason {
    match trouble {
        ReadTrouble::PermissionDenied => LeftReason::PermissionDenied,
        ReadTrouble::Gone => LeftReason::Gone,
        ReadTrouble::InUse => LeftReason::InUse,
        ReadTrouble::CloudOnly => LeftReason::CloudOnly,
        ReadTrouble::OtherVolume => LeftReason::OtherVolume,
        ReadTrouble::Medium(cause) => LeftReason::Medium { detail: cause.to_string() },
        ReadTrouble::NameNotHeld => LeftReason::NameNotHeld,
        ReadTrouble::IsLink => LeftReason::IsLink,
        ReadTrouble::Other(cause) => LeftReason::Unreadable { detail: cause.to_string() },
    }
}
