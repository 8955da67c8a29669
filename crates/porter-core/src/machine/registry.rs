//! What a Windows wrote down about itself: its registry.
//!
//! The same understanding serves a running Windows, which gives its registry itself, and one that does not run, whose
//! [`hives`] are read from its drive. Both are [`RegistryKey`]s.

pub mod describe;
pub mod hives;
pub mod programs;
mod sam;
pub mod settings;
mod shell_folders;
mod version;
pub mod windows_path;

/// A key of a registry, wherever that is. What is not there, of another kind, or damaged is not told.
pub trait RegistryKey: Sized {
    /// The key at the end of a path with `\` between the names.
    fn subkey(&self, path: &str) -> Option<Self>;

    /// The names of the keys below.
    fn subkey_names(&self) -> Vec<String>;

    /// The names of the values.
    fn value_names(&self) -> Vec<String>;

    /// A text, with or without `%NAME%` in it.
    fn text(&self, name: &str) -> Option<String>;

    /// A number.
    fn number(&self, name: &str) -> Option<u64>;

    /// Bytes.
    fn bytes(&self, name: &str) -> Option<Vec<u8>>;
}

impl RegistryKey for porter_hive::Key<'_> {
    fn subkey(&self, path: &str) -> Option<Self> {
        self.descend(path)
    }

    fn subkey_names(&self) -> Vec<String> {
        self.subkeys().filter_map(Result::ok).map(|key| key.name().to_string()).collect()
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
}
