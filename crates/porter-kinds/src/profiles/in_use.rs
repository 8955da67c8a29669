//! Whether a program has a profile open. On a machine that does not run, a lock that was left means nothing: what counts is whether
//! somebody holds it now.

#[cfg(unix)]
#[path = "in_use/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "in_use/windows.rs"]
mod system;

use super::folder::ProfileFolder;
use porter_names::RelativePath;

/// True if one of the locks is held, in the profile or in the folder above it.
pub fn is_open(profile: &ProfileFolder<'_>, locks: &[&str]) -> bool {
    let Some(tree) = profile.volume.host_tree() else { return false };
    let folders = [Some(profile.at.clone()), profile.at.parent()];
    let paths = folders.iter().flatten().flat_map(|folder: &RelativePath| {
        locks.iter().filter_map(|lock| tree.host_path(&folder.join(lock.as_bytes()).ok()?).ok())
    });
    paths.into_iter().any(|path| system::is_held(&path))
}
