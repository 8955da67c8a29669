//! Unix.

use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::fs::File;
use std::io;
use std::path::Path;

pub(super) fn free_space_in_bytes(folder: &Path) -> io::Result<u64> {
    let found = rustix::fs::statvfs(folder)?;
    Ok(found.f_bavail.saturating_mul(found.f_frsize))
}

/// The largest file that the volume of a folder can hold, where that is less than anybody has.
pub(super) fn largest_file_in_bytes(folder: &Path) -> Option<u64> {
    // `MSDOS_SUPER_MAGIC` of the kernel: FAT, but not exFAT.
    #[cfg(any(target_os = "linux", target_os = "android"))]
    let is_fat = rustix::fs::statfs(folder).is_ok_and(|found| found.f_type == 0x4d44);
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    let is_fat = {
        let _ = folder;
        false
    };
    is_fat.then_some(u64::from(u32::MAX))
}

/// True if an open file is what has this name: it may have been taken away, and another one put there.
pub(crate) fn is_named(file: &File, path: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let number = |found: io::Result<std::fs::Metadata>| found.map(|found| (found.dev(), found.ino())).ok();
    let open = number(file.metadata());
    open.is_some() && open == number(std::fs::symlink_metadata(path))
}

/// Returns when all that was written to the volume of `folder` is on the medium, one flush for all files.
pub(super) fn flush_volume(folder: &Path) -> io::Result<()> {
    let folder = File::open(folder)?;
    #[cfg(any(target_os = "linux", target_os = "android"))]
    rustix::fs::syncfs(&folder)?;
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    rustix::fs::sync();
    folder.sync_all()
}

/// Asks the system to forget what it remembers of a file, so that the next read comes from the medium.
/// Only a wish: a system that cannot do it, and says so, still reads the right bytes.
pub(crate) fn forget_cached(file: &File) -> bool {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    return rustix::fs::fadvise(file, 0, None, rustix::fs::Advice::DontNeed).is_ok();
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    {
        let _ = file;
        false
    }
}

/// The same for a stretch of it.
pub(crate) fn forget_cached_stretch(file: &File, offset_in_bytes: u64, length_in_bytes: u64) {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    {
        let length = std::num::NonZeroU64::new(length_in_bytes);
        let _ = rustix::fs::fadvise(file, offset_in_bytes, length, rustix::fs::Advice::DontNeed);
    }
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    let _ = (file, offset_in_bytes, length_in_bytes);
}

/// Asks the system to begin reading a stretch of a file: a caller who asks for several before reading the
/// first waits only once, and a disk that seeks reads each in one go.
pub(crate) fn will_be_read(file: &File, offset_in_bytes: u64, length_in_bytes: u64) {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    {
        let length = std::num::NonZeroU64::new(length_in_bytes);
        let _ = rustix::fs::fadvise(file, offset_in_bytes, length, rustix::fs::Advice::WillNeed);
    }
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    let _ = (file, offset_in_bytes, length_in_bytes);
}

/// Opens a file for reading; a link, or anything else that is not a file, is `InvalidInput`.
pub(crate) fn open_plain_file(path: &Path) -> io::Result<File> {
    open_unless_a_link(path, OFlags::RDONLY)
}

/// The same for reading and writing.
pub(crate) fn open_plain_file_to_write(path: &Path) -> io::Result<File> {
    open_unless_a_link(path, OFlags::RDWR)
}

/// The same for reading from the medium, whole pages at a time. Fails where the volume cannot do that.
pub(crate) fn open_plain_file_past_memory(path: &Path) -> io::Result<File> {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    return open_unless_a_link(path, OFlags::RDONLY | OFlags::DIRECT);
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    {
        let _ = path;
        Err(io::ErrorKind::Unsupported.into())
    }
}

fn open_unless_a_link(path: &Path, access: OFlags) -> io::Result<File> {
    let flags = access | OFlags::NOFOLLOW | OFlags::CLOEXEC | OFlags::NONBLOCK;
    let not_plain = || io::Error::new(io::ErrorKind::InvalidInput, "not a plain file");
    let file: File = match rustix::fs::open(path, flags, Mode::empty()) {
        Ok(file) => file.into(),
        Err(Errno::LOOP) => return Err(not_plain()),
        Err(cause) => return Err(cause.into()),
    };
    if file.metadata()?.is_file() { Ok(file) } else { Err(not_plain()) }
}

/// Reads up to so much from a place in a file, without moving anybody else's place.
pub(crate) fn read_at(file: &File, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, buffer, offset_in_bytes)
}

/// Reads exactly so much from a place in a file, without moving anybody else's place.
pub(crate) fn read_exact_at(file: &File, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, buffer, offset_in_bytes)
}

/// Makes a file to write and read; a private one is for its owner's eyes only.
pub(crate) fn create_new(path: &Path, private: bool) -> io::Result<File> {
    use std::os::unix::fs::OpenOptionsExt;
    let mut options = File::options();
    options.read(true).write(true).create_new(true);
    if private {
        options.mode(0o600);
    }
    options.open(path)
}

/// Sees the names in a folder onto the medium, where the file system can.
pub(super) fn flush_folder(folder: &Path) -> io::Result<()> {
    match File::open(folder)?.sync_all() {
        Err(cause) if cause.kind() == io::ErrorKind::InvalidInput => Ok(()),
        done => done,
    }
}

/// Linux: btrfs, XFS, bcachefs and others.
pub(super) fn clone_file(from: &Path, to: &Path) -> io::Result<()> {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    {
        use std::os::unix::fs::MetadataExt;
        let source = open_plain_file(from)?;
        let clone = File::create_new(to)?;
        let done = rustix::fs::ioctl_ficlone(&clone, &source).map_err(io::Error::from).and_then(|()| {
            // Times travel in the list; the owner is needed to read it at all.
            let found = source.metadata()?;
            clone.set_permissions(found.permissions())?;
            let _ = std::os::unix::fs::fchown(&clone, Some(found.uid()), Some(found.gid()));
            Ok(())
        });
        if done.is_err() {
            let _ = std::fs::remove_file(to);
        }
        done
    }
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    {
        let _ = (from, to);
        Err(io::ErrorKind::Unsupported.into())
    }
}
