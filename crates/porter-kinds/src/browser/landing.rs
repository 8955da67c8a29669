//! Targets of profiles on the new machine, and their entries in its browsers' lists. Decided before anything
//! is written.

use super::engine::Engine;
use super::engines::engine_of;
use crate::catalogue::{CarryRule, PROFILE_PART};
use crate::changes::{Adapt, Changes};
use crate::crossing::old_paths::OldPaths;
use crate::ground::Ground;
use crate::profiles::version::is_newer;
use crate::profiles::{Coming, Root, roots};
use crate::receipt::Reason;
use crate::wishes::NewerProfiles;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Decides about all profiles among `items`.
pub(super) fn land(ground: &Ground<'_>, items: &[&TrunkItem], changes: &mut Changes) {
    let mut given: BTreeSet<RelativePath> = BTreeSet::new();
    let mut profiles = items.to_vec();
    // A browser that opens nothing yet is to open what the old one opened.
    profiles.sort_by_key(|item| !item.facts.contains_key("default"));
    for item in profiles {
        let part = item.parts.iter().find(|part| part.name == PROFILE_PART);
        if let (Some(part), Some(rule), Some(account)) =
            (part, ground.catalogue.rule_of(item), ground.account_of(item))
            && let Some(engine) = engine_of(rule)
        {
            let coming = Coming { ground, item, part, rule, account, list: engine.list() };
            land_profile(&coming, engine, &mut given, changes);
        }
    }
}

fn land_profile(
    coming: &Coming<'_>,
    engine: &'static dyn Engine,
    given: &mut BTreeSet<RelativePath>,
    changes: &mut Changes,
) {
    let Coming { ground, item, rule, .. } = *coming;
    let wishes = &ground.wishes.browser;
    let roots = roots(ground.machine, coming.account, rule);
    let Some(root) = roots.first() else {
        changes.refuse(&item.id, Reason::NoSuchProgram { title: rule.title.clone() });
        return;
    };
    if wishes.newer != NewerProfiles::Carry
        && let Some(has) = item.facts.get("version")
        && let Some(installed) = installed_version(ground.machine, rule, engine, &roots)
        && is_newer(has, &installed)
    {
        changes.refuse(&item.id, Reason::NewerThanProgram { has: has.clone(), installed });
        return;
    }
    let Some(to) = coming.destination(&roots, given) else { return };
    if let Some(paths) = coming.old_paths(&to) {
        adapt(coming, engine, &to.moved.from, paths, changes);
    }
    coming.enter(root, &to.on_volume, wishes.opens && item.facts.contains_key("default"), changes);
    changes.move_part(to.moved);
}

/// The files of a profile in which paths are written follow to the new machine.
fn adapt(
    coming: &Coming<'_>,
    engine: &'static dyn Engine,
    from: &RelativePath,
    paths: OldPaths,
    changes: &mut Changes,
) {
    let paths = Arc::new(paths);
    for file in engine.files_with_paths() {
        let Ok(path) = from.join(file.as_bytes()) else { continue };
        let paths = Arc::clone(&paths);
        changes.adapt(Adapt {
            item: coming.item.id.clone(),
            place: coming.part.place.clone(),
            path,
            with: Box::new(move |content| engine.follow(file, content, &paths)),
        });
    }
}

/// The version of a browser on a machine, if it can be known.
pub(super) fn installed_version(
    machine: &Machine,
    rule: &CarryRule,
    engine: &dyn Engine,
    roots: &[Root<'_>],
) -> Option<String> {
    let volume = &*machine.volume;
    let programs = roots.iter().flat_map(|root| &root.find.programs);
    let paths = programs.filter_map(|text| RelativePath::from_bytes(text.as_bytes()).ok());
    let in_programs = paths.into_iter().find_map(|path| engine.version_installed(volume, &path));
    let listed = || {
        let titles = [
            rule.title.to_lowercase(),
            format!("google {}", rule.title.to_lowercase()),
            format!("mozilla {}", rule.title.to_lowercase()),
            format!("microsoft {}", rule.title.to_lowercase()),
        ];
        let is_it = |name: &str| {
            let name = name.to_lowercase();
            titles.iter().any(|title| {
                name == *title
                    || name.strip_prefix(title.as_str()).is_some_and(|rest| rest.starts_with([' ', '-']))
            })
        };
        machine.programs.iter().find(|program| is_it(&program.name))?.version.clone()
    };
    let in_root = || roots.iter().find_map(|root| engine.version_in_root(volume, &root.on_volume));
    in_programs.or_else(listed).or_else(in_root)
}
