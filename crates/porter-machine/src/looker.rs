//! Finding the folders of a system whatever the case of their names, listing each folder once.

use super::registry::windows_path::folder_of_drive;
use super::{FoundPlace, PlaceState};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed, Volume};
use std::collections::HashMap;

/// Looks for files and folders on one volume, and lists each folder once.
pub struct Looker<'v> {
    volume: &'v dyn Volume,
    ignores_case: bool,
    listings: HashMap<RelativePath, Vec<Listed>>,
}

impl<'v> Looker<'v> {
    /// One that takes names for the same whatever their case.
    pub fn new(volume: &'v dyn Volume) -> Self {
        Self { volume, ignores_case: true, listings: HashMap::new() }
    }

    /// From now on names that differ by case are two.
    pub fn heed_case(&mut self) {
        self.ignores_case = false;
    }

    /// The entries of a folder; none if it cannot be listed.
    pub fn list(&mut self, folder: &RelativePath) -> &[Listed] {
        let volume = self.volume;
        self.listings.entry(folder.clone()).or_insert_with(|| {
            // A profile we may not look into is found unreadable again, and named, by the survey.
            volume.list(folder).map(|rows| rows.into_iter().flatten().collect()).unwrap_or_default()
        })
    }

    /// The state of `path` from our own tables, `/` between the steps.
    pub fn find(&mut self, from: &RelativePath, path: &str) -> FoundPlace {
        self.find_steps(from.clone(), path.split('/').filter(|step| !step.is_empty()).map(str::as_bytes))
    }

    /// The same for a path that a system wrote down. It may begin with a drive.
    pub fn find_path(&mut self, path: &RelativePath) -> FoundPlace {
        let drive = path.steps().next().filter(|first| folder_of_drive(first).is_some());
        let Some(drive) = drive.and_then(|drive| RelativePath::root().join(drive).ok()) else {
            return self.find_steps(RelativePath::root(), path.steps());
        };
        // No listing of the root shows a further drive.
        match self.volume.metadata(&drive) {
            Ok(found) if found.kind == EntryKind::Folder => self.find_steps(drive, path.steps().skip(1)),
            _ => FoundPlace { path: path.clone(), state: PlaceState::Unreadable },
        }
    }

    fn find_steps<'p>(&mut self, from: RelativePath, steps: impl Iterator<Item = &'p [u8]>) -> FoundPlace {
        let mut found = FoundPlace { path: from, state: PlaceState::Present };
        for name in steps {
            let ignores_case = self.ignores_case;
            let row = if found.state == PlaceState::Present {
                let rows = self.list(&found.path);
                rows.iter()
                    .find(|row| row.name == name)
                    .or_else(|| rows.iter().find(|row| ignores_case && fold::same_name(&row.name, name)))
            } else {
                None
            };
            let (actual, state) = match (row, found.state) {
                (Some(row), _) => {
                    let state = match row.metadata.kind {
                        _ if row.metadata.shut.is_some() => PlaceState::Shut,
                        EntryKind::Folder => PlaceState::Present,
                        EntryKind::Link => PlaceState::IsLink,
                        EntryKind::File | EntryKind::Other => PlaceState::IsFile,
                    };
                    (row.name.clone(), state)
                }
                (None, PlaceState::Present) => (name.to_vec(), PlaceState::Absent),
                (None, state) => (name.to_vec(), state),
            };
            // Names from a listing and from our own tables hold no slash.
            let Ok(path) = found.path.join(&actual) else {
                return FoundPlace { path: found.path, state: PlaceState::Unreadable };
            };
            found = FoundPlace { path, state };
        }
        found
    }
}
