//! Finding on a machine what should be at a path, in whatever spelling it is there.

use porter_names::{NameRules, RelativePath};
use porter_source::{EntryKind, Metadata, ReadError, ReadTrouble, Volume, VolumeFile};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Finds things by their exact path, or else by the rules that the machine has for names.
pub(super) struct Finder<'v> {
    volume: &'v dyn Volume,
    rules: NameRules,
    /// Folders that were looked for, by the path they should have.
    folders: Mutex<HashMap<RelativePath, Option<RelativePath>>>,
    /// Names by their key, of the folders in which something was not found at once.
    names: Mutex<HashMap<RelativePath, Arc<Names>>>,
}

/// The thing that was found, and its path.
pub(super) struct Found {
    pub(super) path: RelativePath,
    pub(super) metadata: Metadata,
    /// Its content, if it was to be opened and could be.
    pub(super) opened: Option<Box<dyn VolumeFile>>,
}

/// A folder may hold several names that count as one; they are in their order.
type Names = HashMap<Vec<u8>, Vec<Vec<u8>>>;

impl<'v> Finder<'v> {
    pub(super) fn new(volume: &'v dyn Volume, rules: NameRules) -> Self {
        Self { volume, rules, folders: Mutex::default(), names: Mutex::default() }
    }

    /// Looks for an entry. A path behind a link counts as absent: links are not followed.
    pub(super) fn find(&self, path: &RelativePath, is_file: bool) -> Result<Found, ReadError> {
        let gone = || ReadError { path: path.clone(), trouble: ReadTrouble::Gone };
        let folder = self.actual_folder(&path.parent().unwrap_or_default())?.ok_or_else(gone)?;
        let Some(name) = path.name() else {
            return Ok(Found { path: folder, metadata: self.volume.metadata(path)?, opened: None });
        };
        self.find_in(&folder, name, is_file)?.ok_or_else(gone)
    }

    fn look_at(&self, path: RelativePath, is_file: bool) -> Result<Found, ReadError> {
        if is_file && let Ok((opened, metadata)) = self.volume.open_known(&path) {
            return Ok(Found { path, metadata, opened: Some(opened) });
        }
        let metadata = self.volume.metadata(&path)?;
        Ok(Found { path, metadata, opened: None })
    }

    /// In a folder that was found: by its exact name, or else by one that counts as the same.
    fn find_in(&self, folder: &RelativePath, name: &[u8], is_file: bool) -> Result<Option<Found>, ReadError> {
        let Ok(exact) = folder.join(name) else { return Ok(None) };
        match self.look_at(exact, is_file) {
            Ok(found) => return Ok(Some(found)),
            Err(ReadError {
                trouble: ReadTrouble::Gone | ReadTrouble::NameNotHeld | ReadTrouble::Other(_),
                ..
            }) => {}
            Err(error) => return Err(error),
        }
        let rules = self.rules;
        let safe = if rules.hold(name) { None } else { Some(rules.safe_name(name)) };
        let wanted = safe.as_deref().map_or(name, str::as_bytes);
        let names = self.names_in(folder)?;
        let alike = names.get(&rules.key(wanted)).map(Vec::as_slice).unwrap_or_default();
        // The exact name first, as the restore chose it.
        let actual = alike.iter().find(|name| *name == wanted).or(alike.first());
        match actual.and_then(|actual| folder.join(actual).ok()) {
            Some(actual) => self.look_at(actual, is_file).map(Some),
            None => Ok(None),
        }
    }

    /// The folder as the machine spells it; none if it is not there or no folder. Recurs no deeper than paths
    /// have steps.
    fn actual_folder(&self, folder: &RelativePath) -> Result<Option<RelativePath>, ReadError> {
        let (Some(above), Some(name)) = (folder.parent(), folder.name()) else {
            return Ok(Some(folder.clone()));
        };
        if let Some(known) = self.folders.lock().unwrap_or_else(PoisonError::into_inner).get(folder) {
            return Ok(known.clone());
        }
        let found = match self.actual_folder(&above)? {
            Some(above) => self.find_in(&above, name, false)?,
            None => None,
        };
        let actual = found.filter(|found| found.metadata.kind == EntryKind::Folder).map(|found| found.path);
        self.folders.lock().unwrap_or_else(PoisonError::into_inner).insert(folder.clone(), actual.clone());
        Ok(actual)
    }

    fn names_in(&self, folder: &RelativePath) -> Result<Arc<Names>, ReadError> {
        if let Some(known) = self.names.lock().unwrap_or_else(PoisonError::into_inner).get(folder) {
            return Ok(Arc::clone(known));
        }
        let rows = match self.volume.list(folder) {
            Ok(rows) => rows,
            // A file holds no entries.
            Err(ReadError { trouble: ReadTrouble::Gone | ReadTrouble::Other(_), .. }) => Vec::new(),
            Err(error) => return Err(error),
        };
        let mut names = Names::new();
        for row in rows.into_iter().flatten() {
            names.entry(self.rules.key(&row.name)).or_default().push(row.name);
        }
        names.values_mut().for_each(|alike| alike.sort());
        let names = Arc::new(names);
        self.names.lock().unwrap_or_else(PoisonError::into_inner).insert(folder.clone(), Arc::clone(&names));
        Ok(names)
    }
}
