//! Going through an item's files, folder by folder.
//!
//! [`look_into`] reads one folder and decides the fate of each thing in it. The survey spreads folders over
//! threads; the capture goes through them in order with [`walk`]. No link is ever followed, and a place
//! inside another place (pictures inside documents, on Windows XP) is left to its own item.

use crate::look_inside;
use porter_kinds::catalogue::{Catalogue, Fate};
use porter_kinds::choice::Unchosen;
use porter_kinds::item::Item;
use porter_kinds::part::{Part, What};
use porter_machine::{Machine, PlaceState};
use porter_names::portable::Claims;
use porter_names::{NameRules, RelativePath};
use porter_source::{EntryKind, Listed, Metadata, ReadError, ReadTrouble};
use porter_trunk::Tally;
use std::collections::HashSet;

/// Facts about a machine that a walk needs, the same for all its items.
pub struct Grounds<'m> {
    /// The machine.
    pub machine: &'m Machine,
    /// The rules.
    pub catalogue: &'m Catalogue,
    /// Which names need a safe one beside them.
    names: NameRules,
    /// The parts of the chosen items that are not chosen.
    unchosen: &'m Unchosen,
    /// All places of the machine, and what items claim in them: none is walked as part of another.
    claimed: HashSet<RelativePath>,
}

impl<'m> Grounds<'m> {
    /// Takes stock of the places.
    pub fn new<'i>(
        machine: &'m Machine,
        catalogue: &'m Catalogue,
        items: impl Iterator<Item = &'i Item>,
        unchosen: &'m Unchosen,
        names: NameRules,
    ) -> Self {
        let places = machine
            .all_places()
            .filter(|found| found.state == PlaceState::Present)
            .map(|found| found.path.clone());
        let of_item = |item: &Item| {
            let exact = item.parts.iter().filter(|part| matches!(part.what, What::At(_)));
            exact.filter_map(|part| item.path_of(part, machine)).collect::<Vec<_>>()
        };
        Self { machine, catalogue, names, unchosen, claimed: places.chain(items.flat_map(of_item)).collect() }
    }

    /// A path below a place in names that every file system can hold, where that differs: step by step, as a
    /// walk from the place would have named them.
    fn safe_path(&self, place: &porter_machine::FoundPlace, below: &RelativePath) -> Option<RelativePath> {
        if below.steps().all(|name| self.names.hold(name)) {
            return None;
        }
        let mut folder =
            Spot { on_volume: place.path.clone(), below_place: RelativePath::root(), safe: None };
        for step in below.steps() {
            let mut names: Vec<Vec<u8>> = self
                .machine
                .volume
                .list(&folder.on_volume)
                .map(|rows| rows.into_iter().flatten().map(|row| row.name).collect())
                .unwrap_or_default();
            names.sort_unstable();
            let mut claims = Claims::new(self.names);
            let safe = names.iter().map(|name| (name, claims.claim(name))).find(|(name, _)| *name == step);
            folder = spot_in(&folder, step, safe.and_then(|(_, safe)| safe))?;
        }
        folder.safe
    }
}

/// A folder still to be looked into.
#[derive(Debug, Clone)]
pub struct Pending<'m> {
    /// Where it is.
    pub spot: Spot,
    /// The item that it belongs to.
    pub item: &'m Item,
    /// The part of that item.
    pub part: &'m Part,
    fate: Fate<'m>,
    rows: Rows<'m>,
    /// The volume it is on, where the system numbers them.
    volume_id: Option<u64>,
}

/// Which rows of a folder belong to its item.
#[derive(Debug, Clone, Copy)]
enum Rows<'m> {
    All,
    Only(&'m [u8]),
    Loose,
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
        /// Its metadata.
        metadata: Metadata,
        /// Its fate.
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

/// Where the walk of an item's parts begins; none for a part whose place is not a folder any more.
pub fn beginnings<'m>(grounds: &Grounds<'m>, item: &'m Item) -> Vec<Pending<'m>> {
    item.parts.iter().filter_map(|part| beginning(grounds, item, part)).collect()
}

fn beginning<'m>(grounds: &Grounds<'m>, item: &'m Item, part: &'m Part) -> Option<Pending<'m>> {
    let found = item.place_of(part, grounds.machine)?;
    let (below_place, rows) = match &part.what {
        What::Whole => (RelativePath::root(), Rows::All),
        What::LooseFiles => (RelativePath::root(), Rows::Loose),
        What::At(path) => (path.parent()?, Rows::Only(path.name()?)),
    };
    let on_volume = found.path.join_path(&below_place).ok()?;
    let volume_id = grounds.machine.volume.metadata(&on_volume).ok().and_then(|found| found.volume_id);
    (found.state == PlaceState::Present).then(|| Pending {
        spot: Spot { on_volume, safe: grounds.safe_path(found, &below_place), below_place },
        item,
        part,
        fate: item.rule.as_ref().map_or(Fate::Carry, |rule| rule.first_fate(part)),
        rows,
        volume_id,
    })
}

/// Reads one folder. Returns its entries, sorted by name, each folder with the next step into it.
pub fn look_into<'m>(grounds: &Grounds<'m>, folder: &Pending<'m>) -> Vec<(Sight<'m>, Option<Pending<'m>>)> {
    let rows = match patiently_listed(grounds.machine, &folder.spot.on_volume) {
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
    let is_trunk =
        !is_asked_for(folder) && look_inside::is_trunk(grounds.machine, &folder.spot.on_volume, &listed);
    // Safe names depend on all the names of a folder, so they are given out before any is passed over.
    let mut claims = Claims::new(grounds.names);
    for row in listed {
        let safe_name = claims.claim(&row.name);
        let is_folder = row.metadata.kind == EntryKind::Folder;
        let is_ours = match folder.rows {
            Rows::All => true,
            Rows::Only(name) => row.name == name,
            Rows::Loose => {
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
        if !matches!(folder.rows, Rows::Only(_)) && grounds.claimed.contains(&spot.on_volume) {
            continue;
        }
        let unchosen = || grounds.unchosen.why(folder.item, folder.part, &spot.below_place, &row.metadata);
        let fate = match folder.fate {
            Fate::Carry => {
                let path = &spot.below_place;
                match grounds.catalogue.fate(
                    folder.item.rule.as_deref(),
                    folder.part,
                    path,
                    row.metadata.kind,
                ) {
                    _ if is_trunk => Fate::Leave(look_inside::TRUNK),
                    Fate::Leave(_) if look_inside::has_own_looks(grounds.machine, &spot.on_volume, &row) => {
                        Fate::Carry
                    }
                    Fate::Leave(why) => Fate::Leave(why),
                    fate => unchosen().map_or(fate, Fate::Unchosen),
                }
            }
            // Entries that their own rule leaves are of no use in the trunk either.
            Fate::Hold(why) => match folder
                .item
                .rule
                .as_ref()
                .and_then(|rule| rule.fate(folder.part, &spot.below_place, row.metadata.kind))
            {
                Some(Fate::Leave(why)) => Fate::Leave(why),
                _ => unchosen().map_or(Fate::Hold(why), Fate::Unchosen),
            },
            decided => decided,
        };
        // A volume mounted in a folder may be a stick, a server, or the trunk's own drive.
        let is_other_volume = is_folder && row.metadata.volume_id != folder.volume_id;
        let next = (is_folder && !is_other_volume).then(|| Pending {
            spot: spot.clone(),
            item: folder.item,
            part: folder.part,
            fate,
            rows: Rows::All,
            volume_id: folder.volume_id,
        });
        let beyond = (is_other_volume && !fate.is_left()).then(|| spot.clone());
        sights.push((Sight::Entry { spot, metadata: row.metadata, fate }, next));
        if let Some(spot) = beyond {
            let trouble = ReadTrouble::OtherVolume;
            sights.push((Sight::Unreadable { spot, trouble, of_folder: true }, None));
        }
    }
    sights
}

/// True for the very folder that an item is: a person who names a trunk with `--also` wants it.
fn is_asked_for(folder: &Pending<'_>) -> bool {
    matches!(&folder.part.what, What::At(path) if *path == folder.spot.below_place)
}

/// Lists a folder. A drive that fails may read at the second try what it could not at the first.
fn patiently_listed(
    machine: &Machine,
    folder: &RelativePath,
) -> Result<Vec<Result<Listed, ReadError>>, ReadError> {
    const TRIES: u32 = 3;
    let mut tries = 1;
    loop {
        match machine.volume.list(folder) {
            Err(ReadError { trouble: ReadTrouble::Medium(_), .. }) if tries < TRIES => tries += 1,
            listed => return listed,
        }
    }
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

/// Goes through an item in order, part by part, folders before what is in them. `visit` says whether to go
/// on.
///
/// A folder that a rule leaves is visited once, with all that is below it counted, and not entered.
pub fn walk<'m>(
    grounds: &Grounds<'m>,
    item: &'m Item,
    mut visit: impl FnMut(&'m Part, Sight<'m>, Tally) -> bool,
) {
    for start in beginnings(grounds, item) {
        if !walk_part(grounds, &start, &mut |sight, tally| visit(start.part, sight, tally)) {
            return;
        }
    }
}

fn walk_part<'m>(
    grounds: &Grounds<'m>,
    start: &Pending<'m>,
    visit: &mut dyn FnMut(Sight<'m>, Tally) -> bool,
) -> bool {
    // Per open folder, what is still to be visited in it, last first.
    let mut open = vec![reversed(look_into(grounds, start))];
    while let Some(rows) = open.last_mut() {
        let Some((sight, next)) = rows.pop() else {
            open.pop();
            continue;
        };
        let tally = match (&sight, &next) {
            (Sight::Entry { fate, .. }, Some(folder)) if fate.is_left() => {
                Tally::FOLDER + count_below(grounds, folder)
            }
            (Sight::Entry { metadata, .. }, _) => tally_of(metadata),
            (Sight::Unreadable { of_folder: true, .. }, _) => Tally::default(),
            (Sight::Unreadable { .. }, _) => Tally::file(0),
        };
        let enters = !matches!(&sight, Sight::Entry { fate, .. } if fate.is_left());
        if !visit(sight, tally) {
            return false;
        }
        if let (true, Some(folder)) = (enters, next) {
            open.push(reversed(look_into(grounds, &folder)));
        }
    }
    true
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

/// The tally of one entry.
pub fn tally_of(metadata: &Metadata) -> Tally {
    match metadata.kind {
        EntryKind::File | EntryKind::Other => Tally::file(metadata.size_in_bytes),
        EntryKind::Folder => Tally::FOLDER,
        EntryKind::Link => Tally::LINK,
    }
}
