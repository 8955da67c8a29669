//! The folders that entries go into: found, or planned.

use super::super::plan::NewFolder;
use super::super::target::Destination;
use super::{FolderKey, LastFolder, Planner};
use porter_kinds::receipt::Reason;
use porter_names::RelativePath;
use porter_source::EntryKind;

impl Planner<'_> {
    /// The number of the folder that something goes into.
    pub(super) fn home_number(&mut self, at: &RelativePath) -> u32 {
        let last = self.homes.get(self.last_home as usize);
        if last.is_none_or(|home| !at.is_directly_in(home)) {
            let home = at.parent().unwrap_or_default();
            self.last_home = match self.home_numbers.get(&home) {
                Some(number) => *number,
                None => {
                    let number = u32::try_from(self.homes.len()).unwrap_or(u32::MAX);
                    self.homes.push(home.clone());
                    self.home_numbers.insert(home, number);
                    number
                }
            };
        }
        self.last_home
    }

    /// The folder on the machine of what is at `path` in a place of the trunk.
    pub(super) fn folder_of(
        &mut self,
        item: &str,
        owner: &Option<String>,
        place: &str,
        base: &RelativePath,
        path: &RelativePath,
    ) -> Result<RelativePath, Reason> {
        if let Some(LastFolder { key, below, at }) = &self.last_folder
            && key.0 == *owner
            && key.1 == place
            && path.is_directly_in(below)
        {
            return Ok(at.clone());
        }
        let key = (owner.clone(), place.to_owned());
        let below = path.parent().unwrap_or_default();
        let at = self.folder_for(item, &key, base, &below)?;
        self.last_folder = Some(LastFolder { key, below, at: at.clone() });
        Ok(at)
    }

    /// Where a folder of the trunk is on the machine. Whatever of it is not there is planned.
    fn folder_for(
        &mut self,
        item: &str,
        key: &FolderKey,
        base: &RelativePath,
        below: &RelativePath,
    ) -> Result<RelativePath, Reason> {
        if let Some(known) = self.folders.get(key).and_then(|folders| folders.get(below)) {
            return known.clone();
        }
        let mut trunk_path = RelativePath::root();
        let mut at = match self.folders.get(key).and_then(|folders| folders.get(&trunk_path)) {
            Some(known) => known.clone()?,
            None => {
                let made = self.base_folder(base);
                self.folders.entry(key.clone()).or_default().insert(trunk_path.clone(), made.clone());
                made?
            }
        };
        for step in below.steps() {
            trunk_path = trunk_path
                .join(step)
                .map_err(|refused| Reason::NotWritten { detail: refused.to_string() })?;
            let known = self.folders.get(key).and_then(|folders| folders.get(&trunk_path)).cloned();
            let next = match known {
                Some(known) => known,
                None => {
                    let made = self.make_folder(item, &at, step).map(|made| made.path);
                    self.folders.entry(key.clone()).or_default().insert(trunk_path.clone(), made.clone());
                    made
                }
            };
            at = next?;
        }
        Ok(at)
    }

    /// The folder of a place: what of it is not there is planned, but never through a link.
    pub(super) fn base_folder(&mut self, base: &RelativePath) -> Result<RelativePath, Reason> {
        let mut at = RelativePath::root();
        for step in base.steps() {
            let next = self.as_planned(&at, step)?;
            let host = self.tree.host_path(&next)?;
            let planned = self.new_folders.iter().any(|folder| folder.at == next);
            match std::fs::symlink_metadata(host) {
                Ok(found) if found.is_dir() => {}
                Ok(_) => {
                    return Err(Reason::InTheWay {
                        what: "a file or link".to_owned(),
                        path: next.to_string(),
                    });
                }
                Err(_) if planned => {}
                Err(_) => self.new_folders.push(NewFolder { at: next.clone(), set_aside: None }),
            }
            at = next;
        }
        Ok(at)
    }

    /// The path of `name` in a folder of the machine, in the spelling that was planned for it.
    fn as_planned(&self, folder: &RelativePath, name: &[u8]) -> Result<RelativePath, Reason> {
        match self.shared.get(&(folder.clone(), self.tree.key_of(name))) {
            Some((planned, _)) => Ok(planned.clone()),
            None => folder.join(name).map_err(|refused| Reason::NotWritten { detail: refused.to_string() }),
        }
    }

    /// A path of the machine, its folders in the spelling that was planned for them.
    pub(super) fn through_planned(&self, path: &RelativePath) -> Result<RelativePath, Reason> {
        let mut at = RelativePath::root();
        for step in path.steps() {
            at = self.as_planned(&at, step)?;
        }
        Ok(at)
    }

    /// The folder for what `item` has in a folder of that name: a new one, or the one that is there. Two
    /// folders of one item stay two, even where their names count as one; what several items have in folders
    /// of one name goes into one.
    pub(super) fn make_folder(
        &mut self,
        item: &str,
        folder: &RelativePath,
        name: &[u8],
    ) -> Result<Destination, Reason> {
        let alike = (folder.clone(), self.tree.key_of(name));
        if let Some((path, of)) = self.shared.get(&alike)
            && of != item
        {
            return Ok(Destination { path: path.clone(), is_there: Some(EntryKind::Folder) });
        }
        let made = self.new_or_there(folder, name)?;
        self.shared.entry(alike).or_insert_with(|| (made.path.clone(), item.to_owned()));
        Ok(made)
    }

    fn new_or_there(&mut self, folder: &RelativePath, name: &[u8]) -> Result<Destination, Reason> {
        let destination = self.tree.choose(folder, name)?;
        self.tree.host_path(&destination.path)?;
        let set_aside = match destination.is_there {
            Some(EntryKind::Folder) => return Ok(destination),
            Some(EntryKind::Link) => {
                let path = destination.path.to_string();
                return Err(Reason::InTheWay { what: "a link".to_owned(), path });
            }
            Some(_) => Some(self.tree.choose_aside(&destination.path)?),
            None => None,
        };
        self.new_folders.push(NewFolder { at: destination.path.clone(), set_aside });
        Ok(destination)
    }
}
