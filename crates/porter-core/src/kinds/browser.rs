//! Browsers: each profile an item of its own, found, understood, restored so that its browser opens it, and proved.
//!
//! Which browsers there are, and where they keep their profiles, is said by carry rules with a `[profiles]` section; how profiles are
//! kept is known by an [`engine`], of which several browsers share one.
//!
//! - [`engine`]: what an engine has to know; [`gecko`], [`chromium`] and [`safari`] are those that there are;
//! - [`profile`]: a profile's folder, and what was read of it;
//! - [`database`]: databases, read without touching them, and copied whole from under a running browser;
//! - [`in_use`]: whether a browser has a profile open;
//! - [`landing`]: where a profile goes on the new machine, and what is entered there;
//! - [`bookmarks_into`]: one browser's bookmarks, added to another's;
//! - [`proof`]: what landed, read again;
//! - [`forms`]: what can be taken out of a profile for any browser.

pub mod bookmarks_into;
pub mod chromium;
pub mod database;
pub mod engine;
pub mod forms;
pub mod gecko;
pub mod in_use;
pub mod landing;
pub mod profile;
mod profile_json;
pub mod proof;
pub mod safari;

use super::{Kind, owner_id};
use crate::catalogue::{CarryRule, Catalogue, PROFILE_PART};
use crate::item::{Facts, Item, Part, What};
use crate::kinds::ruled::find_by_rule;
use crate::machine::account::{id_from_name, unused_id};
use crate::machine::{Account, Machine, PlaceState};
use crate::survey::Caution;
use engine::{Registered, engine_of};
use porter_names::RelativePath;
use profile::ProfileFolder;
use std::collections::HashSet;
use std::sync::Arc;

/// The kind of all items of browsers.
pub const KIND: &str = "browser";

/// Profiles of browsers.
pub struct Browsers;

impl Kind for Browsers {
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
}

fn find_profiles(
    machine: &Machine,
    owner: &Account,
    rule: &Arc<CarryRule>,
    taken: &mut HashSet<RelativePath>,
    items: &mut Vec<Item>,
) {
    let Some(engine) = engine_of(rule) else { return };
    for found in find_by_rule(machine, Some(owner), rule).into_iter().filter(|found| found.is_folder) {
        let What::At(below) = &found.part.what else { continue };
        let Some(root) = machine.place(Some(owner), found.part.place) else { continue };
        let Ok(root) = root.path.join_path(below) else { continue };
        let version = engine.version_in_root(&*machine.volume, &root);
        for Registered { name, folder, is_default } in engine.profiles(machine, &root) {
            let missing = |path: &str| Caution::ProfileMissing { name: name.clone(), path: path.to_owned() };
            let (folder, missing) = match folder {
                Ok(folder) if is_folder(machine, &folder) => (folder, None),
                Ok(folder) => (root.clone(), Some(missing(&folder.to_string()))),
                Err(path) => (root.clone(), Some(missing(&path))),
            };
            let part = part_at(machine, owner, &folder);
            let id = format!("{}/{}/{}", owner_id(Some(owner)), rule.id, id_from_name(name.as_bytes()));
            let mut item = Item {
                id: unused_id(&id, |id| items.iter().any(|item| item.id == id)),
                kind: KIND.to_owned(),
                owner: Some(owner.id.clone()),
                title: format!("{} \u{201c}{name}\u{201d}", rule.title),
                parts: Vec::new(),
                facts: Facts::new(),
                rule: Some(Arc::clone(rule)),
                counts: Vec::new(),
                cautions: Vec::new(),
                is_open: false,
            };
            if let Some(missing) = missing {
                item.cautions.push(missing);
                items.push(item);
                continue;
            }
            let Some(part) = part.filter(|_| taken.insert(folder.clone())) else { continue };
            item.parts.push(part);
            let profile = ProfileFolder { volume: &*machine.volume, at: folder };
            let mut learned = engine.learn(&profile, machine.layout.family);
            learned.facts.insert("name".to_owned(), name);
            if is_default {
                learned.facts.insert("default".to_owned(), "yes".to_owned());
            }
            if let Some(version) = &version {
                learned.facts.entry("version".to_owned()).or_insert_with(|| version.clone());
            }
            let runs = || rule.must_be_closed.iter().any(|program| machine.runs(program));
            item.is_open = in_use::is_open(&profile, engine.locks()) || (machine.here.is_some() && runs());
            if item.is_open && !runs() {
                learned.cautions.push(Caution::ProgramRunning { programs: vec![rule.title.clone()] });
            }
            item.facts = learned.facts;
            item.counts = learned.counts;
            item.cautions.extend(learned.cautions);
            items.push(item);
        }
    }
}

fn is_folder(machine: &Machine, path: &RelativePath) -> bool {
    machine.volume.metadata(path).is_ok_and(|found| found.kind == porter_source::EntryKind::Folder)
}

/// A folder as a part: below the innermost place of the person that it is in.
fn part_at(machine: &Machine, owner: &Account, folder: &RelativePath) -> Option<Part> {
    let places = owner.places.iter().filter(|(_, found)| found.state == PlaceState::Present);
    let around = places.filter(|(_, found)| folder.is_within(&found.path) && *folder != found.path);
    let (place, found) = around.max_by_key(|(_, found)| found.path.steps().count())?;
    let mut below = RelativePath::root();
    for step in folder.steps().skip(found.path.steps().count()) {
        below = below.join(step).ok()?;
    }
    let _ = machine;
    Some(Part { name: PROFILE_PART.to_owned(), place: *place, what: What::At(below) })
}
