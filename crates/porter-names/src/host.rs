//! Exact names as paths of the system we run on, and back.

#[cfg(unix)]
#[path = "host/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host/windows.rs"]
mod system;

use crate::RelativePath;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

/// A name that the system we run on cannot even ask for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("this system cannot hold the name `{}`", crate::screen::on_screen(.name))]
pub struct NameNotHeld {
    /// The exact name.
    pub name: Vec<u8>,
}

/// The exact bytes of a name that the system gave us.
pub fn name_from_host(name: &OsStr) -> Vec<u8> {
    system::name_from_host(name)
}

/// `path` below `root`, in the system's own spelling.
pub fn to_host(root: &Path, path: &RelativePath) -> Result<PathBuf, NameNotHeld> {
    // Room for all of it: a path is made for each of a million files.
    let mut joined = PathBuf::with_capacity(root.as_os_str().len() + 1 + path.as_bytes().len());
    joined.push(root);
    for step in path.steps() {
        joined.push(system::name_to_host(step)?);
    }
    Ok(joined)
}
