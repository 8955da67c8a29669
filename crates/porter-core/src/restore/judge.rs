//! Which entries of a trunk land: the rules here decide, not the trunk.
//!
//! A trunk may have been written by anybody. Its entries land only within what their item's rule names, in
//! its owner's places, and what the rules hold back is held back, whatever the entry says.

use porter_kinds::catalogue::{CarryRule, Catalogue, Fate, PROFILE_PART};
use porter_kinds::choice::LandHeld;
use porter_kinds::crossing::landing_places::{LandingPlaces, NoLandingPlace};
use porter_kinds::crossing::relocate::Relocation;
use porter_kinds::part::{Part, What};
use porter_kinds::profiles::find::OUTSIDE;
use porter_kinds::receipt::Reason;
use porter_machine::{Machine, Place};
use porter_names::RelativePath;
use porter_source::EntryKind;
use porter_trunk::{Content, Entry, EntryAddress, TrunkItem, TrunkPart};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// Judges the entries of a trunk.
pub(crate) struct Judge<'a> {
    catalogue: &'a Catalogue,
    relocation: &'a Relocation,
    places: LandingPlaces<'a>,
    items: HashMap<&'a str, Judged<'a>>,
    land_held: Option<&'a LandHeld>,
    /// The decision about the folder that was asked for last: entries of one folder come together.
    last: Mutex<Option<Folder<'a>>>,
}

struct Judged<'a> {
    item: &'a TrunkItem,
    rule: Option<&'a CarryRule>,
}

struct Folder<'a> {
    item: &'a str,
    part: usize,
    path: RelativePath,
    held: Option<&'a str>,
}

impl<'a> Judge<'a> {
    pub(crate) fn new(
        items: &'a [TrunkItem],
        machine: &'a Machine,
        catalogue: &'a Catalogue,
        relocation: &'a Relocation,
    ) -> Self {
        let judged = |item: &'a TrunkItem| {
            let rule = catalogue.rule_of(item).map(|rule| &**rule);
            (item.id.as_str(), Judged { item, rule })
        };
        let items = items.iter().map(judged).collect();
        let places = LandingPlaces::new(machine, catalogue);
        Self { catalogue, relocation, places, items, land_held: None, last: Mutex::new(None) }
    }

    /// The same, letting through what somebody asked for although it is held back.
    pub(crate) fn landing(self, land_held: &'a LandHeld) -> Self {
        Self { land_held: Some(land_held), ..self }
    }

    /// Fails for an entry that does not belong where it says, and for one that is held back. `address` is
    /// where it goes, and `at` that place on the machine.
    pub(crate) fn judge(
        &self,
        entry: &Entry,
        address: &EntryAddress,
        at: &RelativePath,
    ) -> Result<(), Reason> {
        let refused = |problem: &str| Err(Reason::EntryRefused { line: 0, problem: problem.to_owned() });
        let Some((id, Judged { item, rule })) = self.items.get_key_value(entry.item.as_str()) else {
            return refused("the trunk does not list its item");
        };
        if entry.address.owner != item.account {
            return refused("it says that it is somebody else's than its item is");
        }
        let is_in = |part: &&TrunkPart| is_of_part(&entry.address, part);
        let parts = item.parts.iter().enumerate().filter(|(_, part)| is_in(part));
        // The innermost part is the most exact.
        let part = parts.max_by_key(|(_, part)| part.path.len());
        // The first trunks did not say where the parts of their items were.
        if part.is_none() && !item.parts.is_empty() {
            return refused("it lies outside of its item");
        }
        if let (Some((_, part)), Some(rule)) = (part, rule)
            && !names(rule, part)
        {
            return refused("it lies where the rule of its item has nothing");
        }
        let refusal = match rule {
            Some(_) => self.places.refuse(at),
            None => self.places.refuse_without_rule(at),
        };
        if let Err(why) = refusal {
            let is_unknown = rule.is_none() && item.rule.is_some() && why != NoLandingPlace::OwnRecords;
            let known = if is_unknown {
                "; the rule of its item is not known here: name its file with --rules"
            } else {
                ""
            };
            return refused(&format!("nothing is restored there: {why}{known}"));
        }
        let is_asked_for = self.land_held.is_some_and(|land_held| land_held.wants(entry));
        if let Some((number, part)) = part.filter(|_| !is_asked_for)
            && let Some(why) = self.held(id, number, part, *rule, entry, address)
        {
            return Err(Reason::Held { why: why.to_owned() });
        }
        Ok(())
    }

    /// Why an entry, or a folder that it is in, is kept in the trunk.
    fn held(
        &self,
        item: &'a str,
        number: usize,
        part: &'a TrunkPart,
        rule: Option<&'a CarryRule>,
        entry: &Entry,
        address: &EntryAddress,
    ) -> Option<&'a str> {
        let part = part_of(part)?;
        if let Some(Fate::Hold(why)) = rule.map(|rule| rule.first_fate(&part)) {
            return Some(why);
        }
        let to = Place::from_name(&address.place)?;
        let fate = |path: &RelativePath, kind| {
            // By its rule as it was on the old machine, by what holds for the system as it will be on this
            // one.
            let own = rule.and_then(|rule| rule.fate(&part, path, kind));
            own.unwrap_or_else(|| {
                let there = self
                    .relocation
                    .address_of(item, &EntryAddress { path: path.clone(), ..entry.address.clone() });
                self.catalogue.general_fate(to, &there.path, kind)
            })
        };
        let folder = entry.address.path.parent().unwrap_or_default();
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let known =
            last.as_ref().filter(|last| (last.item, last.part) == (item, number) && last.path == folder);
        let held = match known {
            Some(known) => known.held,
            None => {
                let held = folders_down_to(&folder).find_map(|path| match fate(&path, EntryKind::Folder) {
                    Fate::Hold(why) => Some(why),
                    _ => None,
                });
                *last = Some(Folder { item, part: number, path: folder, held });
                held
            }
        };
        drop(last);
        let kind = match entry.content {
            Content::File { .. } => EntryKind::File,
            Content::Folder => EntryKind::Folder,
            Content::Link { .. } => EntryKind::Link,
        };
        held.or_else(|| match fate(&entry.address.path, kind) {
            Fate::Hold(why) => Some(why),
            _ => None,
        })
    }
}

/// A folder and all above it, the outermost first; without the place itself.
fn folders_down_to(folder: &RelativePath) -> impl Iterator<Item = RelativePath> {
    let mut all: Vec<RelativePath> =
        std::iter::successors(Some(folder.clone()), RelativePath::parent).collect();
    all.retain(|folder| !folder.is_root());
    all.into_iter().rev()
}

fn is_of_part(address: &EntryAddress, part: &TrunkPart) -> bool {
    let from = RelativePath::from_bytes(part.path.as_bytes());
    part.place == address.place && from.is_ok_and(|from| address.path.is_within(&from))
}

fn part_of(part: &TrunkPart) -> Option<Part> {
    let place = Place::from_name(&part.place)?;
    let path = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    let what = if path.is_root() { What::Whole } else { What::At(path) };
    Some(Part { name: part.name.clone(), place, what })
}

/// True if a rule looks where a part was, on any system. A profile may be anywhere, and so may its folders
/// outside.
fn names(rule: &CarryRule, part: &TrunkPart) -> bool {
    let Some(place) = Place::from_name(&part.place) else { return false };
    let Ok(path) = RelativePath::from_bytes(part.path.as_bytes()) else { return false };
    let looks_there = rule.find.iter().any(|find| find.place == place && find.begins(&path));
    let is_of_profile = part.name == PROFILE_PART || part.name.starts_with(OUTSIDE);
    looks_there || (rule.profiles.is_some() && is_of_profile)
}
