//! Browsers: each profile an item of its own, found, understood, restored so that its browser opens it, and
//! proved.
//!
//! Carry rules with a `[profiles]` section name the browsers, and where they keep their profiles; an
//! [`engine`] knows how profiles are kept, and several browsers share one.
//!
//! - [`engine`]: the duties of an engine; [`gecko`], [`chromium`] and [`safari`] are the engines;
//! - [`landing`]: where a profile goes on the new machine, and what is entered there;
//! - [`bookmarks_into`]: one browser's bookmarks, added to another's;
//! - [`proof`]: the landed profile, read again.

pub mod bookmarks_into;
pub mod chromium;
pub mod engine;
pub mod engines;
pub mod gecko;
pub mod landing;
mod profile_json;
pub mod proof;
pub mod safari;

use crate::catalogue::{CarryRule, Catalogue, PROFILE_PART};
use crate::caution::Caution;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind, owner_id, ran, runs_now};
use crate::part::{Part, What};
use crate::profiles::in_use::{Use, in_use};
use crate::profiles::{ProfileFolder, Registered};
use crate::receipt::ItemReceipt;
use crate::ruled::{find_by_rule, in_one_piece};
use engine::Engine;
use engines::engine_of;
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::{Account, FoundPlace, Machine, Place, PlaceState};
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::collections::HashSet;
use std::sync::Arc;

/// The kind of all items of browsers.
pub const KIND: &str = "browser";

/// Profiles of browsers.
pub struct Browsers;

impl Kind for Browsers {
    fn name(&self) -> &'static str {
        KIND
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        let mut items: Vec<Item> = Vec::new();
        let mut taken = HashSet::new();
        for owner in &machine.accounts {
            for rule in catalogue.rules.iter().filter(|rule| rule.profiles.is_some()) {
                find_profiles(machine, owner, rule, &mut taken, &mut items);
            }
        }
        items
    }

    fn is_open(&self, item: &Item, machine: &Machine) -> bool {
        let held = |at| {
            let engine = item.rule.as_ref().and_then(|rule| engine_of(rule));
            engine.is_some_and(|engine| {
                in_use(&ProfileFolder { volume: &*machine.volume, at }, engine.list().locks()) == Use::Held
            })
        };
        let mut paths = item.parts.iter().filter_map(|part| item.path_of(part, machine));
        runs_now(item, machine) || paths.any(held)
    }

    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        in_one_piece(item, machine, at)
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        landing::land(ground, items, changes);
        bookmarks_into::land(ground, items, changes);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        proof::prove(item, ground, row);
    }
}

fn find_profiles(
    machine: &Machine,
    owner: &Account,
    rule: &Arc<CarryRule>,
    taken: &mut HashSet<RelativePath>,
    items: &mut Vec<Item>,
) {
    let Some(engine) = engine_of(rule) else { return };
    let id = format!("{}/{}", owner_id(Some(owner)), rule.id);
    let mut beside = item(id.clone(), format!("{} (beside its profiles)", rule.title), owner, rule);
    let mut profiles = Vec::new();
    for found in find_by_rule(machine, Some(owner), rule).into_iter().filter(|found| found.is_folder) {
        let What::At(below) = &found.part.what else { continue };
        let Some(place) = machine.place(Some(owner), found.part.place) else { continue };
        let Ok(root) = place.path.join_path(below) else { continue };
        let version = engine.version_in_root(&*machine.volume, &root);
        let mut is_all = false;
        for Registered { name, folder, is_default } in engine.list().profiles(machine, &root) {
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
            let mut profile = item(unused_id(&id, is_taken), title, owner, rule);
            profile.parts.push(part);
            learn(machine, rule, engine, folder, &mut profile);
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
        items.push(beside);
    }
    items.extend(profiles);
}

fn item(id: String, title: String, owner: &Account, rule: &Arc<CarryRule>) -> Item {
    Item { rule: Some(Arc::clone(rule)), ..Item::new(id, KIND, Some(owner.id.clone()), title) }
}

/// Reads what a profile means, and whether its browser runs.
fn learn(machine: &Machine, rule: &CarryRule, engine: &dyn Engine, folder: RelativePath, item: &mut Item) {
    let profile = ProfileFolder { volume: &*machine.volume, at: folder };
    let learned = engine.learn(&profile, machine.layout.family);
    let runs = machine.here.is_some() && ran(rule, machine);
    let locks = in_use(&profile, engine.list().locks());
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
