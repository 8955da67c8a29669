//! A profile's meaning to its owner.

use crate::caution::Caution;
use porter_formats::FormatError;
use porter_machine::database::DatabaseCopy;
use porter_names::Facts;
use rusqlite::Connection;

/// A profile's meaning to its owner.
#[derive(Debug, Default)]
pub struct Learned {
    /// Its facts.
    pub facts: Facts,
    /// Its numbers, in the order in which people ask: bookmarks, passwords.
    pub counts: Vec<(String, u64)>,
    /// Its cautions.
    pub cautions: Vec<Caution>,
}

impl Learned {
    /// Counts something, or says why it cannot be counted. A missing file counts nothing.
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

    /// Adds a fact.
    pub fn fact(&mut self, name: &str, value: impl Into<String>) {
        self.facts.insert(name.to_owned(), value.into());
    }
}
