//! A profile's folder.

use porter_formats::FormatError;
use porter_machine::database::{DatabaseCopy, open_copy};
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_source::Volume;

/// Where a profile is.
pub struct ProfileFolder<'v> {
    /// On this volume.
    pub volume: &'v dyn Volume,
    /// Below its root.
    pub at: RelativePath,
}

impl ProfileFolder<'_> {
    /// A path in it, with `/` between the steps.
    pub fn path(&self, below: &str) -> Option<RelativePath> {
        let below = RelativePath::from_bytes(below.as_bytes()).ok()?;
        self.at.join_path(&below).ok()
    }

    /// True if there is something of that name.
    pub fn has(&self, below: &str) -> bool {
        self.path(below).is_some_and(|path| self.volume.metadata(&path).is_ok())
    }

    /// A file's content; none if it is not there, or larger than any real one.
    pub fn read(&self, below: &str) -> Option<Vec<u8>> {
        small_file::read(self.volume, &self.path(below)?)
    }

    /// The same, and empty if it is not there. One that is there and cannot be read is an error: nobody may
    /// take it for empty.
    pub fn read_or_empty(&self, below: &str) -> Result<Vec<u8>, String> {
        match self.read(below) {
            Some(content) => Ok(content),
            None if self.has(below) => Err(format!("{below} cannot be read")),
            None => Ok(Vec::new()),
        }
    }

    /// A database, as a copy; none if it is not there.
    pub fn database(&self, below: &str) -> Result<Option<DatabaseCopy>, FormatError> {
        match self.path(below).filter(|path| self.volume.metadata(path).is_ok()) {
            Some(path) => open_copy(self.volume, &path).map(Some),
            None => Ok(None),
        }
    }

    /// The names in a folder of it.
    pub fn names_in(&self, below: &str) -> Vec<String> {
        let rows = self.path(below).and_then(|path| self.volume.list(&path).ok()).unwrap_or_default();
        rows.into_iter().flatten().filter_map(|row| String::from_utf8(row.name).ok()).collect()
    }
}
