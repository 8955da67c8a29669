//! Finding on a machine what should be at a path, in whatever spelling it is there.

use porter_names::{NameRules, RelativePath, fold};
use porter_source::{Metadata, ReadError, ReadTrouble, Volume};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Finds things by their exact path, or else by the rules that Windows has for names.
pub(super) struct Finder<'v> {
    volume: &'v dyn Volume,
    /// Folders that are spelled otherwise on the machine, by the path they should have.
    folders: Mutex<HashMap<RelativePath, Option<RelativePath>>>,
    /// Names by their key, of the folders in which something was not found at once.
    names: Mutex<HashMap<RelativePath, Arc<Names>>>,
}

/// A folder may hold several names that count as one; they are in their order.
type Names = HashMap<Vec<u8>, Vec<Vec<u8>>>;

impl<'v> Finder<'v> {
    pub(super) fn new(volume: &'v dyn Volume) -> Self {
        Self { volume, folders: Mutex::default(), names: Mutex::default() }
    }

    /// Where it is, and what.
    pub(super) fn find(&self, path: &RelativePath) -> Result<(RelativePath, Metadata), ReadError> {
        let gone = match self.volume.metadata(path) {
            Ok(metadata) => return Ok((path.clone(), metadata)),
            Err(error) => error,
        };
        match self.actual(path)? {
            Some(actual) if actual != *path => {
                let metadata = self.volume.metadata(&actual)?;
                Ok((actual, metadata))
            }
            _ => Err(gone),
        }
    }

    /// The path as the machine spells it; none if it is not there.
    fn actual(&self, path: &RelativePath) -> Result<Option<RelativePath>, ReadError> {
        let (Some(folder), Some(name)) = (path.parent(), path.name()) else { return Ok(Some(path.clone())) };
        let Some(folder) = self.actual_folder(&folder)? else { return Ok(None) };
        let rules = NameRules::windows(255);
        let safe = if rules.hold(name) { None } else { Some(rules.safe_name(name)) };
        let wanted = safe.as_deref().map_or(name, str::as_bytes);
        let names = self.names_in(&folder)?;
        let alike = names.get(&fold::folded(wanted)).map(Vec::as_slice).unwrap_or_default();
        // The exact name first, as the restore chose it.
        let actual = alike.iter().find(|name| *name == wanted).or(alike.first());
        Ok(actual.and_then(|actual| folder.join(actual).ok()))
    }

    fn actual_folder(&self, folder: &RelativePath) -> Result<Option<RelativePath>, ReadError> {
        if let Some(known) = self.folders.lock().unwrap_or_else(PoisonError::into_inner).get(folder) {
            return Ok(known.clone());
        }
        let actual = match self.volume.metadata(folder) {
            Ok(_) => Some(folder.clone()),
            // No deeper than a path has steps.
            Err(_) => self.actual(folder)?,
        };
        self.folders.lock().unwrap_or_else(PoisonError::into_inner).insert(folder.clone(), actual.clone());
        Ok(actual)
    }

    fn names_in(&self, folder: &RelativePath) -> Result<Arc<Names>, ReadError> {
        if let Some(known) = self.names.lock().unwrap_or_else(PoisonError::into_inner).get(folder) {
            return Ok(Arc::clone(known));
        }
        let rows = match self.volume.list(folder) {
            Ok(rows) => rows,
            // What is no folder holds nothing.
            Err(ReadError { trouble: ReadTrouble::Gone | ReadTrouble::Other(_), .. }) => Vec::new(),
            Err(error) => return Err(error),
        };
        let mut names = Names::new();
        for row in rows.into_iter().flatten() {
            names.entry(fold::folded(&row.name)).or_default().push(row.name);
        }
        names.values_mut().for_each(|alike| alike.sort());
        let names = Arc::new(names);
        self.names.lock().unwrap_or_else(PoisonError::into_inner).insert(folder.clone(), Arc::clone(&names));
        Ok(names)
    }
}
