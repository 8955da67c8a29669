//! Profiles on a machine: each an item of its own, and what lies beside them another.

use super::in_use::{Use, in_use};
use super::{Keeper, Outside, ProfileFolder, Registered};
use crate::catalogue::{CarryRule, Catalogue, PROFILE_PART};
use crate::caution::Caution;
use crate::item::Item;
use crate::kind::{owner_id, ran, runs_now};
use crate::part::{Part, What};
use crate::ruled::find_by_rule;
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::{Account, FoundPlace, Machine, Place, PlaceState};
use porter_names::RelativePath;
use std::collections::HashSet;
use std::sync::Arc;

/// Who keeps the profiles of a rule, if it has any of this kind.
pub type KeeperOf = fn(&CarryRule) -> Option<&'static dyn Keeper>;

/// The fact of an item that is what lies beside profiles.
pub const BESIDE: &str = "beside";

/// How the names of the parts of a profile begin that lie outside of it. The fact of the same name is the
/// path as the profile writes it.
pub const OUTSIDE: &str = "outside-";

/// All profiles of a kind.
pub fn find(kind: &str, keeper_of: KeeperOf, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
    let mut items: Vec<Item> = Vec::new();
    let mut taken = HashSet::new();
    for owner in &machine.accounts {
        for rule in &catalogue.rules {
            if let Some(keeper) = keeper_of(rule) {
                find_of_rule(kind, (rule, keeper), (machine, owner), (catalogue, &mut taken), &mut items);
            }
        }
    }
    items
}

/// True if its program has a profile open now.
pub fn is_open(item: &Item, keeper_of: KeeperOf, machine: &Machine) -> bool {
    let keeper = item.rule.as_ref().and_then(|rule| keeper_of(rule));
    let held = |at| {
        keeper.is_some_and(|keeper| {
            in_use(&ProfileFolder { volume: &*machine.volume, at }, keeper.list().locks()) == Use::Held
        })
    };
    let mut paths = item.parts.iter().filter_map(|part| item.path_of(part, machine));
    runs_now(item, machine) || paths.any(held)
}

/// Adds the numbers of a profile that can only be told by reading all of it.
pub fn count(item: &mut Item, keeper_of: KeeperOf, machine: &Machine, go_on: &dyn Fn() -> bool) {
    let Some(keeper) = item.rule.as_ref().and_then(|rule| keeper_of(rule)) else { return };
    let profile = item.parts.iter().find(|part| part.name == PROFILE_PART);
    let Some(at) = profile.and_then(|part| item.path_of(part, machine)) else { return };
    let outside = item.parts.iter().filter(|part| part.name.starts_with(OUTSIDE));
    let outside: Vec<RelativePath> = outside.filter_map(|part| item.path_of(part, machine)).collect();
    let counted = keeper.count(&ProfileFolder { volume: &*machine.volume, at }, &outside, go_on);
    // Letters are what people ask about first.
    item.counts.splice(0..0, counted.counts);
    item.cautions.extend(counted.cautions);
}

fn find_of_rule(
    kind: &str,
    (rule, keeper): (&Arc<CarryRule>, &dyn Keeper),
    (machine, owner): (&Machine, &Account),
    (catalogue, taken): (&Catalogue, &mut HashSet<RelativePath>),
    items: &mut Vec<Item>,
) {
    let item = |id, title| item(kind, id, title, owner, rule);
    let id = format!("{}/{}", owner_id(Some(owner)), rule.id);
    let mut beside = item(id.clone(), format!("{} (beside its profiles)", rule.title));
    let mut profiles = Vec::new();
    for found in find_by_rule(machine, Some(owner), rule).into_iter().filter(|found| found.is_folder) {
        let What::At(below) = &found.part.what else { continue };
        let Some(place) = machine.place(Some(owner), found.part.place) else { continue };
        let Ok(root) = place.path.join_path(below) else { continue };
        let version = keeper.version_in_root(&*machine.volume, &root);
        let mut is_all = false;
        for Registered { name, folder, is_default } in keeper.list().profiles(machine, &root) {
            let folder = match folder {
                Ok(folder) if is_folder(machine, &folder) => folder,
                nowhere => {
                    let path = nowhere.map_or_else(|path| path, |folder| folder.to_string());
                    beside.cautions.push(Caution::ProfileMissing { name, path });
                    continue;
                }
            };
            let Some(part) = part_at(machine, owner, &folder).filter(|_| taken.insert(folder.clone())) else {
                continue;
            };
            is_all |= folder == root;
            let id =
                if folder == root { id.clone() } else { format!("{id}/{}", id_from_name(name.as_bytes())) };
            let is_taken = |id: &str| items.iter().chain(&profiles).any(|item: &Item| item.id == id);
            let title = if folder == root {
                rule.title.clone()
            } else {
                format!("{} \u{201c}{name}\u{201d}", rule.title)
            };
            let mut profile = item(unused_id(&id, is_taken), title);
            profile.parts.push(part);
            learn(machine, rule, keeper, folder, &mut profile);
            add_outside((machine, owner), keeper, (catalogue, taken), &mut profile);
            profile.facts.insert("name".to_owned(), name);
            if is_default {
                profile.facts.insert("default".to_owned(), "yes".to_owned());
            }
            if let Some(version) = &version {
                profile.facts.entry("version".to_owned()).or_insert_with(|| version.clone());
            }
            profiles.push(profile);
        }
        if !is_all {
            beside.parts.push(found.part);
        }
    }
    if !beside.parts.is_empty() {
        beside.facts.insert(BESIDE.to_owned(), "yes".to_owned());
        items.push(beside);
    }
    items.extend(profiles);
}

fn item(kind: &str, id: String, title: String, owner: &Account, rule: &Arc<CarryRule>) -> Item {
    Item { rule: Some(Arc::clone(rule)), ..Item::new(id, kind, Some(owner.id.clone()), title) }
}

/// Reads what a profile means, and whether its program runs.
fn learn(machine: &Machine, rule: &CarryRule, keeper: &dyn Keeper, folder: RelativePath, item: &mut Item) {
    let profile = ProfileFolder { volume: &*machine.volume, at: folder };
    let learned = keeper.learn(&profile, machine.layout.family);
    let runs = machine.here.is_some() && ran(rule, machine);
    let locks = in_use(&profile, keeper.list().locks());
    item.is_open = runs || locks.may_be();
    item.facts = learned.facts;
    item.counts = learned.counts;
    item.cautions = learned.cautions;
    let programs = || vec![rule.title.clone()];
    match locks {
        Use::Held if !runs => item.cautions.push(Caution::ProgramRunning { programs: programs() }),
        Use::Unknown if !runs => item.cautions.push(Caution::MayBeRunning { programs: programs() }),
        _ => {}
    }
}

fn is_folder(machine: &Machine, path: &RelativePath) -> bool {
    machine.volume.metadata(path).is_ok_and(|found| found.kind == porter_source::EntryKind::Folder)
}

/// A folder as a part: below the innermost place of the person that it is in; else, of one that somebody put
/// elsewhere, below the root of the drive.
fn part_at(machine: &Machine, owner: &Account, folder: &RelativePath) -> Option<Part> {
    let drive_root = machine.places.get_key_value(&Place::DriveRoot);
    let below = |(place, found): (&Place, &FoundPlace)| {
        let is_around = found.state == PlaceState::Present && *folder != found.path;
        Some((*place, found.path.steps().count(), folder.below(&found.path).filter(|_| is_around)?))
    };
    let own = owner.places.iter().filter_map(below).max_by_key(|(_, depth, _)| *depth);
    let (place, _, below) = own.or_else(|| drive_root.and_then(below))?;
    Some(Part { name: PROFILE_PART.to_owned(), place, what: What::At(below) })
}

/// The folders of a profile that lie outside of it are parts of its item.
fn add_outside(
    (machine, owner): (&Machine, &Account),
    keeper: &dyn Keeper,
    (catalogue, taken): (&Catalogue, &mut HashSet<RelativePath>),
    item: &mut Item,
) {
    let Some(at) = item.parts.first().and_then(|part| item.path_of(part, machine)) else { return };
    let profile = ProfileFolder { volume: &*machine.volume, at };
    let mut number = 0;
    for outside in keeper.outside(&profile, machine) {
        // A folder that other things are in, too, is not the profile's; nor is one of the system.
        let is_its_own = |folder: &RelativePath| {
            let is_persons = machine.accounts.iter().flat_map(|account| account.places.values());
            let is_persons = is_persons.into_iter().any(|place| folder.is_within(&place.path));
            let first = folder.steps().next();
            let is_systems = first.is_none_or(|first| catalogue.not_covered_by_name(first).is_some());
            !profile.at.is_within(folder)
                && !machine.all_places().any(|place| place.path.is_within(folder))
                && (is_persons || !is_systems)
        };
        let part = match &outside {
            Outside::Here { folder, .. } if is_folder(machine, folder) && is_its_own(folder) => {
                part_at(machine, owner, folder).filter(|_| taken.insert(folder.clone()))
            }
            _ => None,
        };
        match (part, outside) {
            (Some(part), outside) => {
                number += 1;
                let name = format!("{OUTSIDE}{number}");
                if let Outside::Here { written: Some(written), .. } = outside {
                    item.facts.insert(name.clone(), written);
                }
                item.parts.push(Part { name, ..part });
            }
            (None, Outside::Here { folder, .. }) => {
                item.cautions.push(Caution::MailElsewhere { path: folder.to_string() });
            }
            (None, Outside::Elsewhere(path)) => item.cautions.push(Caution::MailElsewhere { path }),
        }
    }
}
