//! Where profiles go on the new machine, and what its browsers are told of them. Decided before anything is written.

use super::engine::{Engine, Entering, is_newer};
use super::in_use;
use super::profile::ProfileFolder;
use crate::browser::engines::engine_of;
use crate::catalogue::{CarryRule, Find, PROFILE_PART};
use crate::changes::{Adapt, Changes, Edit, Moved};
use crate::crossing::old_paths::{OldPaths, as_written};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::wishes::NewerProfiles;
use porter_machine::layout::Family;
use porter_machine::{Account, Machine, PlaceState, small_file};
use porter_names::RelativePath;
use porter_trunk::{TrunkItem, TrunkPart};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Decides about all profiles among `items`.
pub(super) fn land(ground: &Ground<'_>, items: &[&TrunkItem], changes: &mut Changes) {
    let mut given: BTreeSet<RelativePath> = BTreeSet::new();
    let mut profiles = items.to_vec();
    // A browser that opens nothing yet is to open what the old one opened.
    profiles.sort_by_key(|item| !item.facts.contains_key("default"));
    for item in profiles {
        let Some(part) = item.parts.iter().find(|part| part.name == PROFILE_PART) else { continue };
        let Some(rule) = ground.catalogue.rule_of(item) else {
            continue;
        };
        let Some(account) = ground.account_of(item) else { continue };
        if let Some(engine) = engine_of(rule) {
            let coming = Coming { ground, item, part, rule, account, engine };
            coming.land(changes, &mut given);
        }
    }
}

/// Where a browser looks on a machine: place, path below it, and the same below the volume's root.
pub(super) struct Root<'r> {
    pub(super) find: &'r Find,
    pub(super) below_place: RelativePath,
    pub(super) on_volume: RelativePath,
}

/// All places where a browser would look, those that are there first.
pub(super) fn roots<'r>(machine: &Machine, account: &Account, rule: &'r CarryRule) -> Vec<Root<'r>> {
    let root = |find: &'r Find| {
        let below_place = find.path.as_ref()?.literal()?;
        let place = machine.place(Some(account), find.place)?;
        let is_usable = matches!(place.state, PlaceState::Present | PlaceState::Absent);
        let on_volume = place.path.join_path(&below_place).ok().filter(|_| is_usable)?;
        Some(Root { find, below_place, on_volume })
    };
    let mut roots: Vec<Root<'_>> = rule.finds_on(machine.layout.family).filter_map(root).collect();
    let is_there = |path: &RelativePath| machine.volume.metadata(path).is_ok();
    let has_program = |find: &Find| {
        let path = |text: &String| RelativePath::from_bytes(text.as_bytes()).ok();
        find.programs.iter().filter_map(path).any(|path| is_there(&path))
    };
    // Stable: among equals the order of the rule holds.
    roots.sort_by_key(|root| (!is_there(&root.on_volume), !has_program(root.find)));
    roots
}

struct Coming<'a> {
    ground: &'a Ground<'a>,
    item: &'a TrunkItem,
    part: &'a TrunkPart,
    rule: &'a Arc<CarryRule>,
    account: &'a Account,
    engine: &'static dyn Engine,
}

impl Coming<'_> {
    fn land(&self, changes: &mut Changes, given: &mut BTreeSet<RelativePath>) {
        let machine = self.ground.machine;
        let roots = roots(machine, self.account, self.rule);
        let Some(root) = roots.first() else {
            changes.refuse(&self.item.id, Reason::NoSuchProgram { title: self.rule.title.clone() });
            return;
        };
        if let Some((has, installed)) = self.downgrade(&roots)
            && self.ground.wishes.browser.newer != NewerProfiles::Carry
        {
            changes.refuse(&self.item.id, Reason::NewerThanProgram { has, installed });
            return;
        }
        let Ok(from) = RelativePath::from_bytes(self.part.path.as_bytes()) else { return };
        let name = self.item.facts.get("name").map_or(self.item.title.as_str(), String::as_str);
        let earlier = self.ground.earlier;
        // The same profile of the same machine, from a trunk of another day.
        let known =
            earlier.moved(&self.item.id, &from).or_else(|| earlier.moved_by_other_trunk(&self.item.id));
        let known = known.map(|moved| (moved.to_place, moved.to));
        let (to_place, to) = match known.or_else(|| self.where_it_came_from(&from, &roots)) {
            Some(known) => known,
            None => {
                let wanted =
                    from.name().map(|name| String::from_utf8_lossy(name).into_owned()).unwrap_or_default();
                let is_free = |folder: &RelativePath| {
                    let Ok(at) = root.on_volume.join_path(folder) else { return false };
                    !given.contains(&at) && machine.volume.metadata(&at).is_err()
                };
                let folder = self.engine.free_folder(&wanted, machine.layout.family, &is_free);
                let Some(to) = folder.and_then(|folder| root.below_place.join_path(&folder).ok()) else {
                    return;
                };
                (root.find.place.name().to_owned(), to)
            }
        };
        let place = porter_machine::Place::from_name(&to_place)
            .and_then(|place| machine.place(Some(self.account), place));
        let Some(on_volume) = place.and_then(|place| place.path.join_path(&to).ok()) else { return };
        given.insert(on_volume.clone());
        self.adapt(changes, &from, &on_volume);
        changes.move_part(Moved {
            item: self.item.id.clone(),
            from_place: self.part.place.clone(),
            from,
            to_place,
            to,
        });
        if self.engine.has_list()
            && let Some(folder) = on_volume.below(&root.on_volume)
        {
            self.enter(changes, root, &folder, name);
        }
    }

    /// Back on the machine that it was captured from the profile is where it was, if it is there still.
    fn where_it_came_from(&self, from: &RelativePath, roots: &[Root<'_>]) -> Option<(String, RelativePath)> {
        if !self.ground.is_same_machine() {
            return None;
        }
        let place = porter_machine::Place::from_name(&self.part.place)?;
        let machine = self.ground.machine;
        let at = machine.place(Some(self.account), place)?.path.join_path(from).ok()?;
        let is_known = roots.iter().any(|root| {
            let profiles = self.engine.profiles(machine, &root.on_volume);
            profiles.iter().any(|known| known.folder.as_ref().is_ok_and(|folder| *folder == at))
        });
        is_known.then(|| (self.part.place.clone(), from.clone()))
    }

    /// The versions of a profile and of the browser here, if the browser is the older one.
    fn downgrade(&self, roots: &[Root<'_>]) -> Option<(String, String)> {
        let has = self.item.facts.get("version")?;
        let installed = installed_version(self.ground.machine, self.rule, self.engine, roots)?;
        is_newer(has, &installed).then(|| (has.clone(), installed))
    }

    fn adapt(&self, changes: &mut Changes, from: &RelativePath, to: &RelativePath) {
        let label = self.ground.label();
        let Some(old) = label.accounts.iter().find(|old| Some(&old.id) == self.item.account.as_ref()) else {
            return;
        };
        let machine = self.ground.machine;
        let mut paths = OldPaths::of_person(label, old, machine, self.account);
        // The profile's own folder may have got another name.
        let was = match old.places.get(&self.part.place) {
            Some(place) => format!("{place}/{from}"),
            None => {
                as_written(Family::from_name(&label.machine.system.family).unwrap_or(Family::Windows), from)
            }
        };
        paths.add(&was, as_written(machine.layout.family, to));
        let paths = Arc::new(paths);
        for file in self.engine.files_with_paths() {
            let Ok(path) = from.join(file.as_bytes()) else { continue };
            let (engine, paths) = (self.engine, Arc::clone(&paths));
            changes.adapt(Adapt {
                item: self.item.id.clone(),
                place: self.part.place.clone(),
                path,
                with: Box::new(move |content| engine.follow(file, content, &paths)),
            });
        }
    }

    fn enter(&self, changes: &mut Changes, root: &Root<'_>, folder: &RelativePath, name: &str) {
        let machine = self.ground.machine;
        let runs = self.engine.profiles(machine, &root.on_volume).into_iter().any(|known| {
            let at = known.folder.ok();
            at.is_some_and(|at| {
                in_use::is_open(&ProfileFolder { volume: &*machine.volume, at }, self.engine.locks())
            })
        });
        if runs {
            changes.close_program_first(&self.rule.title);
        }
        let programs =
            root.find.programs.iter().filter_map(|text| RelativePath::from_bytes(text.as_bytes()).ok());
        let installed = programs.filter(|path| machine.volume.metadata(path).is_ok());
        let installed_in: Vec<String> =
            installed.map(|path| as_written(machine.layout.family, &path)).collect();
        let at = |name: &str| root.on_volume.join(name.as_bytes()).ok();
        let read = |name: &str| {
            let path = at(name)?;
            let planned = changes.file(&path).map(<[u8]>::to_vec);
            planned.or_else(|| small_file::read(&*machine.volume, &path))
        };
        let opens = self.ground.wishes.browser.opens && self.item.facts.contains_key("default");
        let entering = Entering { folder, name, opens, installed_in: &installed_in };
        match self.engine.enter(&read, &entering) {
            Ok(files) => {
                for (name, content) in files {
                    if let Some(at) = at(name) {
                        let item = self.item.id.clone();
                        changes.write(Edit { item, at, content, set_aside_too: Vec::new() });
                    }
                }
            }
            Err(cause) => {
                let reason = Reason::NotEntered { title: self.rule.title.clone(), detail: cause.to_string() };
                changes.note(&self.item.id, reason);
            }
        }
    }
}

/// The version of a browser on a machine, as far as it can be known.
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
