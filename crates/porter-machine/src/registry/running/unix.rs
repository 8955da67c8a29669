//! Systems without a registry.

use crate::registry::{RegistryKey, RegistryRow};
use porter_trunk::RegistryValue;
use std::io;
use time::OffsetDateTime;

/// There is none.
pub enum NoKey {}

impl RegistryKey for NoKey {
    fn subkey(&self, _: &str) -> Option<Self> {
        match *self {}
    }

    fn subkey_names(&self) -> Vec<String> {
        match *self {}
    }

    fn last_written_utc(&self) -> Option<OffsetDateTime> {
        match *self {}
    }

    fn value_names(&self) -> Vec<String> {
        match *self {}
    }

    fn text(&self, _: &str) -> Option<String> {
        match *self {}
    }

    fn number(&self, _: &str) -> Option<u64> {
        match *self {}
    }

    fn bytes(&self, _: &str) -> Option<Vec<u8>> {
        match *self {}
    }

    fn rows(&self) -> Vec<Option<RegistryRow>> {
        match *self {}
    }
}

/// False: no registry is loaded here.
pub fn is_loaded(_: &str) -> bool {
    false
}

/// None.
pub fn open(_: &str) -> Option<NoKey> {
    None
}

fn no_registry<T>() -> io::Result<T> {
    Err(io::Error::new(io::ErrorKind::Unsupported, "this system has no registry"))
}

/// Fails.
pub fn make_key(_: &str, _: &str) -> io::Result<()> {
    no_registry()
}

/// Fails.
pub fn remove_key(_: &str, _: &str) -> io::Result<()> {
    no_registry()
}

/// Fails.
pub fn set(_: &str, _: &str, _: &RegistryValue) -> io::Result<()> {
    no_registry()
}

/// Fails.
pub fn remove_value(_: &str, _: &str, _: &str) -> io::Result<()> {
    no_registry()
}
