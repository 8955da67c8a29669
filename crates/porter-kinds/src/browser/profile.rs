//! A profile's folder, and what is read of it.

use crate::caution::Caution;
use porter_formats::FormatError;
use porter_machine::database::{DatabaseCopy, open_copy};
use porter_machine::small_file;
use porter_names::Facts;
use porter_names::RelativePath;
use porter_source::Volume;
use rusqlite::Connection;

/// Where a profile is.
pub struct ProfileFolder<'v> {
    /// On this volume.
    pub volume: &'v dyn Volume,
    /// Below its root.
    pub at: RelativePath,
}

/// What a profile means to its owner.
#[derive(Debug, Default)]
pub struct Learned {
    /// What is told of it.
    pub facts: Facts,
    /// What there is of it, in the order in which people ask: bookmarks, passwords.
    pub counts: Vec<(String, u64)>,
    /// What to beware of.
    pub cautions: Vec<Caution>,
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

impl Learned {
    /// Counts something, or says why it cannot be counted. What is not there counts nothing.
    pub fn count(&mut self, what: &str, file: &str, counted: Result<Option<u64>, FormatError>) {
        match counted {
            Ok(Some(number)) => self.counts.push((what.to_owned(), number)),
            Ok(None) => {}
            Err(cause) => {
                let caution = Caution::ProfileDamaged { file: file.to_owned(), detail: cause.to_string() };
                if !self.cautions.contains(&caution) {
                    self.cautions.push(caution);
                }
            }
        }
    }

    /// Counts something in a database that may not be there.
    pub fn count_in(
        &mut self,
        what: &str,
        file: &str,
        database: &Result<Option<DatabaseCopy>, FormatError>,
        count: impl FnOnce(&Connection) -> Result<u64, FormatError>,
    ) {
        let counted = match database {
            Ok(Some(database)) => count(database).map(Some),
            Ok(None) => Ok(None),
            Err(cause) => Err(FormatError::Damaged { what: "database", detail: cause.to_string() }),
        };
        self.count(what, file, counted);
    }

    /// Tells something.
    pub fn fact(&mut self, name: &str, value: impl Into<String>) {
        self.facts.insert(name.to_owned(), value.into());
    }
}
