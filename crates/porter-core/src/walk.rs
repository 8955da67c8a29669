//! Going through an item's files, folder by folder.
//!
//! [`look_into`] reads one folder and says what becomes of each thing in it. The survey spreads folders over
//! threads; the capture goes through them in order with [`walk`]. No link is ever followed, and a place inside
//! another place (pictures inside documents, on Windows XP) is left to its own item.

use crate::catalogue::{Catalogue, Fate};
use crate::item::{Item, Part};
use crate::machine::{Machine, Place, PlaceState};
use porter_names::portable::Claims;
use porter_names::{NameRules, RelativePath};
use porter_source::{EntryKind, Metadata, ReadError, ReadTrouble};
use porter_trunk::Tally;
use std::collections::HashSet;

/// What a walk needs to know of a machine, the same for all its items.
pub struct Grounds<'m> {
    /// The machine.
    pub machine: &'m Machine,
    /// The rules.
    pub catalogue: &'m Catalogue,
    /// Which names need a safe one beside them.
    names: NameRules,
    /// All places of the machine: none is walked as part of another.
    places: HashSet<RelativePath>,
}

impl<'m> Grounds<'m> {
    /// Takes stock of the places.
    pub fn new(machine: &'m Machine, catalogue: &'m Catalogue, names: NameRules) -> Self {
        let of_accounts = machine.accounts.iter().flat_map(|account| account.places.values());
        let places = of_accounts
            .chain(machine.places.values())
            .filter(|found| found.state == PlaceState::Present)
            .map(|found| found.path.clone())
            .collect();
        Self { machine, catalogue, names, places }
    }
}

/// A folder still to be looked into.
#[derive(Debug, Clone)]
pub struct Pending<'m> {
    /// Where it is.
    pub spot: Spot,
    place: Place,
    fate: Fate<'m>,
    part: Part,
    /// The volume it is on, where the system numbers them.
    volume_id: Option<u64>,
}

/// Where something is: on the volume, and below its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Spot {
    /// Below the root of the volume.
    pub on_volume: RelativePath,
    /// Below the place.
    pub below_place: RelativePath,
    /// The same in names that every file system can hold, where that differs.
    pub safe: Option<RelativePath>,
}

/// Something seen on the way.
pub enum Sight<'m> {
    /// A file, folder, link or device.
    Entry {
        /// Where.
        spot: Spot,
        /// What is known of it.
        metadata: Metadata,
        /// What becomes of it.
        fate: Fate<'m>,
    },
    /// Something that could not be looked at; a folder's content if `of_folder`.
    Unreadable {
        /// Where.
        spot: Spot,
        /// Why.
        trouble: ReadTrouble,
        /// True if the folder itself was seen already and only its content could not be listed.
        of_folder: bool,
    },
}

/// Where an item's walk begins; none if its place is not a folder any more.
pub fn beginning<'m>(grounds: &Grounds<'m>, item: &Item) -> Option<Pending<'m>> {
    let owner = match &item.owner {
        Some(id) => Some(grounds.machine.account(id)?),
        None => None,
    };
    let found = grounds.machine.place(owner, item.extent.place)?;
    let volume_id = grounds.machine.volume.metadata(&found.path).ok().and_then(|found| found.volume_id);
    (found.state == PlaceState::Present).then(|| Pending {
        spot: Spot { on_volume: found.path.clone(), below_place: RelativePath::root(), safe: None },
        place: item.extent.place,
        fate: Fate::Carry,
        part: item.extent.part.clone(),
        volume_id,
    })
}

/// Reads one folder. Gives what is in it, sorted by name, each folder with what to look into next.
pub fn look_into<'m>(grounds: &Grounds<'m>, folder: &Pending<'m>) -> Vec<(Sight<'m>, Option<Pending<'m>>)> {
    let rows = match grounds.machine.volume.list(&folder.spot.on_volume) {
        Ok(rows) => rows,
        Err(error) => {
            let spot = folder.spot.clone();
            return vec![(Sight::Unreadable { spot, trouble: error.trouble, of_folder: true }, None)];
        }
    };
    let mut listed = Vec::with_capacity(rows.len());
    let mut sights = Vec::new();
    for row in rows {
        match row {
            Ok(row) => listed.push(row),
            Err(ReadError { path, trouble }) => {
                let below_place = folder
                    .spot
                    .below_place
                    .join(path.name().unwrap_or_default())
                    .unwrap_or_else(|_| folder.spot.below_place.clone());
                let spot = Spot { on_volume: path, below_place, safe: None };
                sights.push((Sight::Unreadable { spot, trouble, of_folder: false }, None));
            }
        }
    }
    listed.sort_unstable_by(|a, b| a.name.cmp(&b.name));
    // Safe names depend on all the names of a folder, so they are given out before any is passed over.
    let mut claims = Claims::new(grounds.names);
    for row in listed {
        let safe_name = claims.claim(&row.name);
        let is_folder = row.metadata.kind == EntryKind::Folder;
        let is_ours = match &folder.part {
            Part::Whole => true,
            Part::Folder(name) => is_folder && row.name == *name,
            Part::LooseFiles => {
                !is_folder && grounds.catalogue.not_covered_at_root(grounds.machine, &row).is_none()
            }
        };
        if !is_ours {
            continue;
        }
        let Some(spot) = spot_in(&folder.spot, &row.name, safe_name) else {
            let spot = folder.spot.clone();
            sights.push((
                Sight::Unreadable { spot, trouble: ReadTrouble::NameNotHeld, of_folder: false },
                None,
            ));
            continue;
        };
        if is_folder && grounds.places.contains(&spot.on_volume) {
            continue;
        }
        let fate = match folder.fate {
            Fate::Carry => grounds.catalogue.fate(folder.place, &spot.below_place, row.metadata.kind),
            decided => decided,
        };
        // What is mounted in a folder may be a stick, a server, or the trunk's own drive.
        let is_other_volume = is_folder && row.metadata.volume_id != folder.volume_id;
        let next = (is_folder && !is_other_volume).then(|| Pending {
            spot: spot.clone(),
            place: folder.place,
            fate,
            part: Part::Whole,
            volume_id: folder.volume_id,
        });
        let beyond = (is_other_volume && !matches!(fate, Fate::Leave(_))).then(|| spot.clone());
        sights.push((Sight::Entry { spot, metadata: row.metadata, fate }, next));
        if let Some(spot) = beyond {
            let trouble = ReadTrouble::OtherVolume;
            sights.push((Sight::Unreadable { spot, trouble, of_folder: true }, None));
        }
    }
    sights
}

fn spot_in(folder: &Spot, name: &[u8], safe_name: Option<String>) -> Option<Spot> {
    let below_place = folder.below_place.join(name).ok()?;
    let safe = match (&folder.safe, safe_name) {
        (None, None) => None,
        (above, safe_name) => {
            let above = above.as_ref().unwrap_or(&folder.below_place);
            Some(above.join(safe_name.as_deref().map_or(name, str::as_bytes)).ok()?)
        }
    };
    Some(Spot { on_volume: folder.on_volume.join(name).ok()?, below_place, safe })
}

/// Goes through an item in order, folders before what is in them. `visit` says whether to go on.
///
/// A folder that a rule leaves is visited once, with all that is below it counted, and not entered.
pub fn walk<'m>(grounds: &Grounds<'m>, item: &Item, mut visit: impl FnMut(Sight<'m>, Tally) -> bool) {
    let Some(start) = beginning(grounds, item) else { return };
    // Per open folder, what is still to be visited in it, last first.
    let mut open = vec![reversed(look_into(grounds, &start))];
    while let Some(rows) = open.last_mut() {
        let Some((sight, next)) = rows.pop() else {
            open.pop();
            continue;
        };
        let tally = match (&sight, &next) {
            (Sight::Entry { fate: Fate::Leave(_), .. }, Some(folder)) => {
                Tally::FOLDER + count_below(grounds, folder)
            }
            (Sight::Entry { metadata, .. }, _) => tally_of(metadata),
            (Sight::Unreadable { of_folder: true, .. }, _) => Tally::default(),
            (Sight::Unreadable { .. }, _) => Tally::file(0),
        };
        let enters = !matches!(&sight, Sight::Entry { fate: Fate::Leave(_), .. });
        if !visit(sight, tally) {
            return;
        }
        if let (true, Some(folder)) = (enters, next) {
            open.push(reversed(look_into(grounds, &folder)));
        }
    }
}

fn reversed<T>(mut rows: Vec<T>) -> Vec<T> {
    rows.reverse();
    rows
}

fn count_below<'m>(grounds: &Grounds<'m>, folder: &Pending<'m>) -> Tally {
    let mut tally = Tally::default();
    let mut pending = vec![folder.clone()];
    while let Some(folder) = pending.pop() {
        for (sight, next) in look_into(grounds, &folder) {
            if let Sight::Entry { metadata, .. } = &sight {
                tally += tally_of(metadata);
            }
            pending.extend(next);
        }
    }
    tally
}

/// What one entry adds to a count.
pub fn tally_of(metadata: &Metadata) -> Tally {
    match metadata.kind {
        EntryKind::File | EntryKind::Other => Tally::file(metadata.size_in_bytes),
        EntryKind::Folder => Tally::FOLDER,
        EntryKind::Link => Tally::LINK,
    }
}
