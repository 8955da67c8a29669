//! Targets of profiles on the new machine, and their entries in its programs' lists. Decided before anything
//! is written.

use super::coming::Destination;
use super::find::{KeeperOf, OUTSIDE};
use super::version::is_newer;
use super::{Coming, Keeper, Root, roots};
use crate::catalogue::{CarryRule, PROFILE_PART};
use crate::changes::{Adapt, Changes, Moved};
use crate::crossing::old_paths::{OldPaths, as_written};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::wishes::NewerProfiles;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Decides about all profiles among `items`.
pub fn land(ground: &Ground<'_>, items: &[&TrunkItem], keeper_of: KeeperOf, changes: &mut Changes) {
    let mut given: BTreeSet<RelativePath> = BTreeSet::new();
    let mut profiles = items.to_vec();
    // A program that opens nothing yet is to open what the old one opened.
    profiles.sort_by_key(|item| !item.facts.contains_key("default"));
    for item in profiles {
        let part = item.parts.iter().find(|part| part.name == PROFILE_PART);
        if let (Some(part), Some(rule), Some(account)) =
            (part, ground.catalogue.rule_of(item), ground.account_of(item))
            && let Some(keeper) = keeper_of(rule)
        {
            let coming = Coming { ground, item, part, rule, account, list: keeper.list() };
            land_profile(&coming, keeper, &mut given, changes);
        }
    }
}

fn land_profile(
    coming: &Coming<'_>,
    keeper: &'static dyn Keeper,
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
        && let Some(installed) = installed_version(ground.machine, rule, keeper, &roots)
        && is_newer(has, &installed)
    {
        changes.refuse(&item.id, Reason::NewerThanProgram { has: has.clone(), installed });
        return;
    }
    let Some(to) = coming.destination(&roots, given) else { return };
    if let Some(mut paths) = coming.old_paths(&to) {
        let was = coming.as_it_was(&coming.part.place, &to.moved.from);
        let now = as_written(ground.machine.layout.family, &to.on_volume);
        let is_back = ground.is_same_machine() && was.replace('\\', "/") == now.replace('\\', "/");
        if !is_back {
            bring_inside(coming, &to, &mut paths, changes);
        }
        let moved_to = (!is_back).then_some(now);
        adapt(coming, keeper, &to.moved.from, (paths, moved_to), changes);
    }
    coming.enter(root, &to.on_volume, wishes.opens && item.facts.contains_key("default"), changes);
    changes.move_part(to.moved);
}

/// The files of a profile in which paths are written follow to the new machine.
fn adapt(
    coming: &Coming<'_>,
    keeper: &'static dyn Keeper,
    from: &RelativePath,
    (paths, moved_to): (OldPaths, Option<String>),
    changes: &mut Changes,
) {
    let paths = Arc::new(paths);
    for file in keeper.files_with_paths() {
        let Ok(path) = from.join(file.as_bytes()) else { continue };
        let moved_to = moved_to.clone();
        let paths = Arc::clone(&paths);
        changes.adapt(Adapt {
            item: coming.item.id.clone(),
            place: coming.part.place.clone(),
            path,
            with: Box::new(move |content| keeper.follow(file, content, &paths, moved_to.as_deref())),
        });
    }
}

/// Folders of a profile that lay outside of it come into it.
fn bring_inside(coming: &Coming<'_>, to: &Destination, paths: &mut OldPaths, changes: &mut Changes) {
    let Coming { ground, item, .. } = *coming;
    for outside in item.parts.iter().filter(|part| part.name.starts_with(OUTSIDE)) {
        let Ok(from) = RelativePath::from_bytes(outside.path.as_bytes()) else { continue };
        let inside = [b"Mail", outside.name.as_bytes(), from.name().unwrap_or_default()];
        let within =
            |start: &RelativePath| inside.iter().try_fold(start.clone(), |path, step| path.join(step).ok());
        let (Some(into), Some(on_volume)) = (within(&to.moved.to), within(&to.on_volume)) else { continue };
        let was = coming.as_it_was(&outside.place, &from);
        let now = as_written(ground.machine.layout.family, &on_volume);
        // The profile may write it otherwise than it was: the program finds it by where the profile is.
        if let Some(written) = item.facts.get(&outside.name) {
            paths.add(written, now.clone());
        }
        paths.add(&was, now);
        changes.move_part(Moved {
            item: item.id.clone(),
            from_place: outside.place.clone(),
            from,
            to_place: to.moved.to_place.clone(),
            to: into,
        });
    }
}

/// The version of a program on a machine, if it can be known.
pub(super) fn installed_version(
    machine: &Machine,
    rule: &CarryRule,
    keeper: &dyn Keeper,
    roots: &[Root<'_>],
) -> Option<String> {
    let volume = &*machine.volume;
    let programs = roots.iter().flat_map(|root| &root.find.programs);
    let paths = programs.filter_map(|text| RelativePath::from_bytes(text.as_bytes()).ok());
    let in_programs = paths.into_iter().find_map(|path| keeper.version_installed(volume, &path));
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
    let in_root = || roots.iter().find_map(|root| keeper.version_in_root(volume, &root.on_volume));
    in_programs.or_else(listed).or_else(in_root)
}
