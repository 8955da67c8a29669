//! The folders that entries go into: found, or planned.

use super::super::plan::NewFolder;
use super::super::target::Destination;
use super::{FolderKey, Planner};
use crate::receipt::Reason;
use porter_names::RelativePath;
use porter_source::EntryKind;

impl Planner<'_> {
    pub(super) fn home_number(&mut self, home: RelativePath) -> u32 {
        if let Some(number) = self.home_numbers.get(&home) {
            return *number;
        }
        let number = u32::try_from(self.homes.len()).unwrap_or(u32::MAX);
        self.homes.push(home.clone());
        self.home_numbers.insert(home, number);
        number
    }

    /// Where a folder of the trunk is on the machine. Whatever of it is not there is planned.
    pub(super) fn folder_for(
        &mut self,
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
                    let made = self.make_folder(&at, step).map(|made| made.path);
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
            let next = at.join(step).map_err(|refused| Reason::NotWritten { detail: refused.to_string() })?;
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

    pub(super) fn make_folder(&mut self, folder: &RelativePath, name: &[u8]) -> Result<Destination, Reason> {
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
