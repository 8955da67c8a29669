//! Whether a program has a profile open. On a machine that does not run, a lock that was left means nothing:
//! what counts is whether somebody holds it now.

#[cfg(unix)]
#[path = "in_use/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "in_use/windows.rs"]
mod system;

use super::folder::ProfileFolder;
use porter_names::RelativePath;

/// Whether somebody holds a lock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Use {
    /// Nobody does.
    Free,
    /// The system does not let that be known.
    Unknown,
    /// Somebody does.
    Held,
}

impl Use {
    /// False only if it is known that nobody does.
    pub fn may_be(self) -> bool {
        self != Self::Free
    }
}

/// Whether one of the locks is held, in the profile or in the folder above it.
pub fn in_use(profile: &ProfileFolder<'_>, locks: &[&str]) -> Use {
    let Some(tree) = profile.volume.host_tree() else { return Use::Free };
    let folders = [Some(profile.at.clone()), profile.at.parent()];
    let paths = folders.iter().flatten().flat_map(|folder: &RelativePath| {
        locks.iter().filter_map(|lock| tree.host_path(&folder.join(lock.as_bytes()).ok()?).ok())
    });
    paths.into_iter().map(|path| system::held(&path)).max().unwrap_or(Use::Free)
}
