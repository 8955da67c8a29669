//! What the trunk asks of the system that holds it.

#[cfg(unix)]
#[path = "host/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host/windows.rs"]
mod system;

pub(crate) use system::{forget_cached, open_plain_file, will_be_read};

use std::io;
use std::path::Path;

/// What may still be written to the volume that holds `path`, or will hold it: the nearest folder
/// above that is there already is asked.
pub fn free_space_in_bytes(path: &Path) -> io::Result<u64> {
    let path = std::path::absolute(path)?;
    let there = path.ancestors().find(|folder| folder.exists()).unwrap_or(&path);
    system::free_space_in_bytes(there)
}

/// The largest file that the volume of `path` can hold; none if it holds any. FAT holds less than 4 GiB.
pub fn largest_file_in_bytes(path: &Path) -> Option<u64> {
    let path = std::path::absolute(path).ok()?;
    system::largest_file_in_bytes(path.ancestors().find(|folder| folder.exists())?)
}

/// Returns when all that was written below `folder`, a folder that porter made, is on the medium.
pub fn flush_volume(folder: &Path) -> io::Result<()> {
    system::flush_volume(folder)
}
