//! The running system's interface to a person's registry.

#[cfg(unix)]
#[path = "running/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "running/windows.rs"]
mod system;

use crate::registry::{RegistryKey, RegistryRow};
use porter_trunk::RegistryValue;
use std::io;

pub use system::{is_loaded, make_key, open, remove_key, remove_value, set};

/// The present value of a key; none if the value or the key does not exist.
pub fn value(sid: &str, key: &str, name: &str) -> Option<RegistryValue> {
    let rows = open(sid)?.subkey(key)?.rows();
    let row = rows.into_iter().flatten().find(|row| row.name.to_lowercase() == name.to_lowercase());
    row.map(|RegistryRow { name, kind, data }| RegistryValue { name, kind, data })
}

/// True if the key is there.
pub fn has_key(sid: &str, key: &str) -> bool {
    open(sid).and_then(|root| root.subkey(key)).is_some()
}

/// Fails with the reason if a person's registry is not open on this system.
pub fn require_loaded(sid: &str) -> io::Result<()> {
    if is_loaded(sid) {
        return Ok(());
    }
    Err(io::Error::other("the registry of the person is not open here: let them sign in, and undo there"))
}
