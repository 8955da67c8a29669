//! A profile that comes: its target, and its entry in its program's list.

use super::folder::ProfileFolder;
use super::in_use::in_use;
use super::list::{Entering, ProfileList};
use super::roots::Root;
use crate::catalogue::CarryRule;
use crate::changes::{Changes, Edit, Moved};
use crate::crossing::old_paths::{OldPaths, as_written};
use crate::ground::Ground;
use crate::receipt::Reason;
use porter_machine::layout::Family;
use porter_machine::{Account, Place, small_file};
use porter_names::RelativePath;
use porter_trunk::{AccountLabel, TrunkItem, TrunkPart};
use std::collections::BTreeSet;

/// See the module.
pub struct Coming<'a> {
    /// The facts that are known.
    pub ground: &'a Ground<'a>,
    /// The profile.
    pub item: &'a TrunkItem,
    /// Its folder.
    pub part: &'a TrunkPart,
    /// The rule of its program.
    pub rule: &'a CarryRule,
    /// Whose it becomes.
    pub account: &'a Account,
    /// How its program keeps the list of its profiles.
    pub list: &'static dyn ProfileList,
}

/// Where a profile goes.
pub struct Destination {
    /// Where from and where to.
    pub moved: Moved,
    /// Below the volume's root.
    pub on_volume: RelativePath,
}

impl Coming<'_> {
    /// Where the profile goes: where it went before, where it came from, or a free folder of the first of the
    /// `roots`. `given` are the folders that profiles of this restore go to.
    pub fn destination(&self, roots: &[Root<'_>], given: &mut BTreeSet<RelativePath>) -> Option<Destination> {
        let machine = self.ground.machine;
        let from = RelativePath::from_bytes(self.part.path.as_bytes()).ok()?;
        let (earlier, id) = (self.ground.earlier, &self.item.id);
        // The same profile of the same machine, from a trunk of another day.
        let known = earlier.moved(id, &from).or_else(|| earlier.moved_by_other_trunk(id));
        let known = known.map(|moved| (moved.to_place, moved.to));
        let (to_place, to) = match known.or_else(|| self.where_it_came_from(&from, roots)) {
            Some(known) => known,
            None => {
                let root = roots.first()?;
                let wanted =
                    from.name().map(|name| String::from_utf8_lossy(name).into_owned()).unwrap_or_default();
                let is_free = |folder: &RelativePath| {
                    let Ok(at) = root.on_volume.join_path(folder) else { return false };
                    !given.contains(&at) && machine.volume.metadata(&at).is_err()
                };
                let folder = self.list.free_folder(&wanted, machine.layout.family, &is_free)?;
                (root.find.place.name().to_owned(), root.below_place.join_path(&folder).ok()?)
            }
        };
        let place = machine.place(Some(self.account), Place::from_name(&to_place)?)?;
        let on_volume = place.path.join_path(&to).ok()?;
        given.insert(on_volume.clone());
        let (item, from_place) = (id.clone(), self.part.place.clone());
        Some(Destination { moved: Moved { item, from_place, from, to_place, to }, on_volume })
    }

    /// Back on the machine that it was captured from the profile is where it was, if it is there still.
    fn where_it_came_from(&self, from: &RelativePath, roots: &[Root<'_>]) -> Option<(String, RelativePath)> {
        if !self.ground.is_same_machine() {
            return None;
        }
        let machine = self.ground.machine;
        let place = machine.place(Some(self.account), Place::from_name(&self.part.place)?)?;
        let at = place.path.join_path(from).ok()?;
        let is_known = roots.iter().any(|root| {
            let profiles = self.list.profiles(machine, &root.on_volume);
            profiles.iter().any(|known| known.folder.as_ref().is_ok_and(|folder| *folder == at))
        });
        is_known.then(|| (self.part.place.clone(), from.clone()))
    }

    /// The old machine's paths and what they become here, the profile's own folder among them; none if the
    /// trunk does not know its owner.
    pub fn old_paths(&self, to: &Destination) -> Option<OldPaths> {
        let machine = self.ground.machine;
        let mut paths = OldPaths::of_person(self.ground.label(), self.old_account()?, machine, self.account);
        let was = self.as_it_was(&self.part.place, &to.moved.from);
        paths.add(&was, as_written(machine.layout.family, &to.on_volume));
        Some(paths)
    }

    fn old_account(&self) -> Option<&AccountLabel> {
        let accounts = &self.ground.label().accounts;
        accounts.iter().find(|old| Some(&old.id) == self.item.account.as_ref())
    }

    /// A path below a place of the old machine, as that wrote it.
    pub fn as_it_was(&self, place: &str, below: &RelativePath) -> String {
        match self.old_account().and_then(|old| old.places.get(place)) {
            Some(place) => format!("{place}/{below}"),
            None => {
                let family = &self.ground.label().machine.system.family;
                as_written(Family::from_name(family).unwrap_or(Family::Windows), below)
            }
        }
    }

    /// Enters the profile in its program's list. With `opens` it opens by default from then on.
    pub fn enter(&self, root: &Root<'_>, on_volume: &RelativePath, opens: bool, changes: &mut Changes) {
        let machine = self.ground.machine;
        let Some(folder) = on_volume.below(&root.on_volume).filter(|_| self.list.has_list()) else { return };
        let runs = self.list.profiles(machine, &root.on_volume).into_iter().any(|known| {
            let at = known.folder.ok();
            at.is_some_and(|at| {
                in_use(&ProfileFolder { volume: &*machine.volume, at }, self.list.locks()).may_be()
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
        let name = self.item.facts.get("name").map_or(self.item.title.as_str(), String::as_str);
        let entering = Entering { folder: &folder, name, opens, installed_in: &installed_in };
        match self.list.enter(&read, &entering) {
            Ok(files) => {
                for (name, content) in files {
                    if let Some(at) = at(name) {
                        changes.write(Edit::new(&self.item.id, at, content));
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
