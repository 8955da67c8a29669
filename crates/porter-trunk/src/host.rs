//! Calls to the system that holds the trunk.

#[cfg(unix)]
#[path = "host/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host/windows.rs"]
mod system;

pub(crate) use system::{
    create_new, forget_cached, forget_cached_stretch, is_named, open_plain_file, open_plain_file_past_memory,
    open_plain_file_to_write, read_at, read_exact_at, will_be_read,
};

use crate::TrunkError;
use std::io::{self, Read, Write};
use std::path::Path;

/// The free space of the volume that holds `path`, or will hold it: the nearest folder above it that exists
/// is asked.
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

/// Writes all of `bytes`, in portions. For a long write Linux takes memory in pieces as long, and where a
/// virtual machine has to get these from its host first, that costs four times what the same bytes cost a
/// little at a time. Elsewhere it costs nothing.
pub fn write_in_portions(to: &mut impl Write, bytes: &[u8]) -> io::Result<()> {
    const PORTION_IN_BYTES: usize = 256 << 10;
    bytes.chunks(PORTION_IN_BYTES).try_for_each(|portion| to.write_all(portion))
}

/// Makes a file that shares its data with another one until either is changed. Fails where the volume cannot
/// do that.
pub fn clone_file(from: &Path, to: &Path) -> io::Result<()> {
    system::clone_file(from, to)
}

/// Reads a whole small file; a longer one than it may be is damaged.
pub(crate) fn read_small(path: &Path, longest_in_bytes: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    open_plain_file(path)?.take(longest_in_bytes + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > longest_in_bytes {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "it is longer than it may be"));
    }
    Ok(bytes)
}

/// Asks the system to forget what it remembers of the files in a folder.
pub(crate) fn forget_files_in(folder: &Path) {
    for row in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if let Ok(file) = open_plain_file(&row.path()) {
            forget_cached(&file);
        }
    }
}

/// Ending of a small file while it is written aside, in the place of its own.
const ASIDE: &str = "new";

/// Takes away what runs that were killed have left of small files: of those whose names without that ending
/// `is_ours` knows.
pub(crate) fn remove_asides(folder: &Path, is_ours: impl Fn(&str) -> bool) {
    for row in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = row.file_name();
        let stem = name.to_str().and_then(|name| name.strip_suffix(ASIDE)?.strip_suffix('.'));
        if stem.is_some_and(&is_ours) {
            // If it stays, it does no harm.
            let _ = std::fs::remove_file(row.path());
        }
    }
}

/// Writes a small file aside and gives it its name in one step, replacing an older one of that name.
pub(crate) fn replace(path: &Path, content: &[u8], private: bool) -> io::Result<()> {
    let aside = path.with_extension(ASIDE);
    let _ = std::fs::remove_file(&aside);
    let mut file = create_new(&aside, private)?;
    file.write_all(content).and_then(|()| file.sync_all())?;
    drop(file);
    std::fs::rename(&aside, path)?;
    flush_folder_of(path)
}

/// Sees the names in the folder of `path` onto the medium.
pub(crate) fn flush_folder_of(path: &Path) -> io::Result<()> {
    system::flush_folder(path.parent().unwrap_or(path))
}

/// The files that systems put at the root of a stick: they do not keep it from becoming a trunk.
pub(crate) const NOT_A_PERSONS: [&str; 5] =
    ["System Volume Information", "$RECYCLE.BIN", "lost+found", ".Spotlight-V100", ".fseventsd"];

/// A trunk's files beside its label before it holds anything that counts; also after a run that was killed
/// then.
pub(crate) const BEGUN: [&str; 6] =
    ["lock", "label.new", "seal.new", "seal.json", "seal-copy.new", "seal-copy.json"];

/// Only an empty folder, or none at all, may become a trunk.
pub(crate) fn refuse_unless_empty(folder: &Path) -> Result<(), TrunkError> {
    let looking = |cause| TrunkError::io("looking into", folder, cause);
    let rows = match std::fs::read_dir(folder) {
        Ok(rows) => rows,
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(cause) => return Err(looking(cause)),
    };
    for row in rows {
        let name = row.map_err(looking)?.file_name();
        if !NOT_A_PERSONS.iter().chain(&BEGUN).any(|known| name == *known) {
            return Err(TrunkError::HoldsSomethingElse(folder.to_path_buf()));
        }
    }
    Ok(())
}
