//! A Windows' own records: its registry.
//!
//! The same code reads a running Windows, which shows its registry, and one that does not run, whose
//! [`hives`] are read from its drive. Both are [`RegistryKey`]s.

pub mod describe;
pub mod hives;
pub mod printer_driver;
pub mod programs;
pub mod running;
mod sam;
pub mod settings;
mod shell_folders;
mod version;
pub mod windows_path;

use porter_trunk::RegistryValue;
use time::OffsetDateTime;

/// A key of a registry, wherever that is. Values that are missing, of another type, or damaged are returned
/// as none.
pub trait RegistryKey: Sized {
    /// The key at the end of a path with `\` between the names.
    fn subkey(&self, path: &str) -> Option<Self>;

    /// The names of the keys below.
    fn subkey_names(&self) -> Vec<String>;

    /// The keys below, with their names. A key that cannot be opened, or whose name is not text, is passed
    /// over.
    fn below(&self) -> Vec<(String, Self)> {
        let open = |name: String| Some((self.subkey(&name)?, name));
        self.subkey_names().into_iter().filter_map(open).map(|(key, name)| (name, key)).collect()
    }

    /// When something directly in it was last changed.
    fn last_written_utc(&self) -> Option<OffsetDateTime>;

    /// The names of the values.
    fn value_names(&self) -> Vec<String>;

    /// A text, with or without `%NAME%` in it.
    fn text(&self, name: &str) -> Option<String>;

    /// A number.
    fn number(&self, name: &str) -> Option<u64>;

    /// Bytes.
    fn bytes(&self, name: &str) -> Option<Vec<u8>>;

    /// All values, exact. None stands for one that is damaged, or whose name is not text.
    fn rows(&self) -> Vec<Option<RegistryRow>>;
}

/// A value, exact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryRow {
    /// Its name; empty for the default value of its key.
    pub name: String,
    /// The number of its kind, as `winnt.h` has them.
    pub kind: u32,
    /// Its data.
    pub data: Vec<u8>,
}

/// A key with values to be set in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeyValues {
    /// Its path below the root of the person's registry.
    pub key: String,
    /// Its values.
    pub values: Vec<RegistryValue>,
}

impl RegistryKey for porter_hive::Key<'_> {
    fn subkey(&self, path: &str) -> Option<Self> {
        self.descend(path)
    }

    fn subkey_names(&self) -> Vec<String> {
        self.subkeys().filter_map(Result::ok).map(|key| key.name().to_string()).collect()
    }

    fn below(&self) -> Vec<(String, Self)> {
        // By name each would be looked for among all the others.
        let named = |key: Self| Some((String::from_utf16(key.name().units()).ok()?, key));
        self.subkeys().filter_map(Result::ok).filter_map(named).collect()
    }

    fn last_written_utc(&self) -> Option<OffsetDateTime> {
        porter_source::utc_from_filetime(self.last_written())
    }

    fn value_names(&self) -> Vec<String> {
        self.values().filter_map(Result::ok).map(|value| value.name().to_string()).collect()
    }

    fn text(&self, name: &str) -> Option<String> {
        self.value(name)?.text()
    }

    fn number(&self, name: &str) -> Option<u64> {
        self.value(name)?.number()
    }

    fn bytes(&self, name: &str) -> Option<Vec<u8>> {
        Some(self.value(name)?.data().ok()?.into_owned())
    }
    fn rows(&self) -> Vec<Option<RegistryRow>> {
        let row = |value: porter_hive::Value<'_>| {
            let name = String::from_utf16(value.name().units()).ok()?;
            Some(RegistryRow { name, kind: value.kind().number(), data: value.data().ok()?.into_owned() })
        };
        self.values().map(|value| row(value.ok()?)).collect()
    }
}
