//! Unix, reading its own file systems and NTFS through ntfs-3g.
//!
//! Windows' attributes and named streams come as extended attributes:
//! - ntfs-3g shows `system.ntfs_attrib_be` (4 bytes, big endian) and `system.ntfs_crtime_be` (a FILETIME, 8
//!   bytes, big endian), what stands in place of content as `system.ntfs_reparse_data`, and each named stream
//!   as `user.NAME` (ntfs-3g(8) and its page on extended attributes);
//! - elsewhere Samba and Wine keep the attribute bits in `user.DOSATTRIB`, as text such as `0x22`
//!   (smb.conf(5), *store dos attributes*); other `user.NAME` attributes are taken for named streams.

use super::{Beyond, utc_from_filetime, utc_from_unix_ns};
use crate::beneath::Root;
use crate::reparse_point::ReparsePoint;
use crate::system_trouble::{SystemTrouble, trouble_by_system_code};
use crate::{Capacity, Details, FileState, NamedStream};
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::fs;
use std::io;
use std::os::unix::fs::{FileExt, MetadataExt};
use std::path::Path;
use time::OffsetDateTime;

const NTFS_ATTRIBUTES: &str = "system.ntfs_attrib_be";
const NTFS_REPARSE_POINT: &str = "system.ntfs_reparse_data";
const NTFS_CREATED: &str = "system.ntfs_crtime_be";
const SAMBA_ATTRIBUTES: &str = "user.DOSATTRIB";

/// The facts that the file system of a folder keeps beside content, found out once.
#[derive(Debug, Clone, Copy)]
pub(super) struct Keeps {
    ntfs_metadata: bool,
    extended_attributes: bool,
}

impl Keeps {
    pub(super) fn of(root: &Path) -> Self {
        let ntfs_metadata = rustix::fs::lgetxattr(root, NTFS_ATTRIBUTES, &mut [0_u8; 8]).is_ok();
        let extended_attributes = rustix::fs::llistxattr(root, &mut [0_u8; 0]).is_ok();
        Self { ntfs_metadata, extended_attributes }
    }

    /// True if links may be something else.
    pub(super) fn shows_reparse_points(&self) -> bool {
        self.ntfs_metadata
    }
}

pub(super) fn details(path: &Path, keeps: &Keeps) -> io::Result<Details> {
    let mut details = Details::default();
    if keeps.ntfs_metadata {
        details.windows_attributes = ntfs_attributes(path);
        let mut created = [0; 8];
        if let Ok(8) = rustix::fs::lgetxattr(path, NTFS_CREATED, &mut created) {
            details.created_utc = utc_from_filetime(u64::from_be_bytes(created));
        }
    }
    if !keeps.extended_attributes {
        return Ok(details);
    }
    // Most files have no attribute, and need no memory for their names.
    let (mut few, mut many) = ([0_u8; 1024], Vec::new());
    let names = loop {
        let room = if many.is_empty() { &mut few[..] } else { &mut many[..] };
        match rustix::fs::llistxattr(path, &mut *room) {
            Ok(length) => break &room[..length],
            // 64 KiB is the most that Linux lets a listing have.
            Err(Errno::RANGE) if many.is_empty() => many.resize(65_536, 0),
            Err(Errno::NOTSUP | Errno::RANGE) => return Ok(details),
            Err(cause) => return Err(cause.into()),
        }
    };
    for name in names.split(|b| *b == 0) {
        let Some(stream) = name.strip_prefix(b"user.") else { continue };
        let stream = String::from_utf8_lossy(stream).into_owned();
        let Some(content) = attribute(path, name) else {
            details.unreadable_streams.push(stream);
            continue;
        };
        if name == SAMBA_ATTRIBUTES.as_bytes() {
            details.windows_attributes = details.windows_attributes.or(samba_attributes(&content));
        } else {
            details.streams.push(NamedStream { name: stream, content });
        }
    }
    details.streams.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(details)
}

fn attribute(path: &Path, name: &[u8]) -> Option<Vec<u8>> {
    let mut content = vec![0_u8; 256];
    loop {
        match rustix::fs::lgetxattr(path, name, &mut content) {
            Ok(length) => {
                content.truncate(length);
                return Some(content);
            }
            Err(Errno::RANGE) if content.len() < 65_536 => content.resize(content.len() * 16, 0),
            Err(_) => return None,
        }
    }
}

/// The text at the start; newer Samba appends a binary record that repeats it.
fn samba_attributes(content: &[u8]) -> Option<u32> {
    let text = content.split(|b| *b == 0).next()?;
    u32::from_str_radix(std::str::from_utf8(text).ok()?.strip_prefix("0x")?, 16).ok()
}

const TO_READ: OFlags = OFlags::RDONLY.union(OFlags::NOFOLLOW).union(OFlags::CLOEXEC).union(OFlags::NONBLOCK);

/// Does not wait on a pipe, and leaves the time of last access alone where the system allows that.
pub(super) fn open_without_following(root: &Root, below: &Path) -> io::Result<fs::File> {
    #[cfg(target_os = "linux")]
    {
        match root.open(below, TO_READ | OFlags::NOATIME) {
            // Only a file's owner may ask for that.
            Err(cause) if Errno::from_io_error(&cause) == Some(Errno::PERM) => {}
            opened => return Ok(opened?.into()),
        }
        Ok(root.open(below, TO_READ)?.into())
    }
    #[cfg(not(target_os = "linux"))]
    open_by_path(&root.path().join(below))
}

/// The same for a path that somebody named.
pub(super) fn open_by_path(path: &Path) -> io::Result<fs::File> {
    Ok(rustix::fs::open(path, TO_READ, Mode::empty())?.into())
}

/// Its length, and when it and what is known of it last changed.
pub(super) fn state(file: &fs::File) -> io::Result<FileState> {
    let found = file.metadata()?;
    let ns = |seconds: i64, ns: i64| i128::from(seconds) * 1_000_000_000 + i128::from(ns);
    Ok(FileState {
        size_in_bytes: found.len(),
        modified_in_ns: ns(found.mtime(), found.mtime_nsec()),
        changed_in_ns: Some(ns(found.ctime(), found.ctime_nsec())),
    })
}

/// A folder that is on another volume than the one above it.
pub(super) fn is_whole_volume(root: &Path) -> bool {
    let volume_of = |path: &Path| fs::metadata(path).ok().map(|found| found.dev());
    root.parent().is_none_or(|above| volume_of(above) != volume_of(root))
}

/// Asks the volume for its holes (lseek(2), `SEEK_DATA`).
pub(super) fn next_data(file: &fs::File, offset_in_bytes: u64) -> Option<u64> {
    #[cfg(target_os = "linux")]
    return match rustix::fs::seek(file, rustix::fs::SeekFrom::Data(offset_in_bytes)) {
        Ok(next) => Some(next),
        // There is nothing but a hole until the end.
        Err(Errno::NXIO) => file.metadata().ok().map(|found| found.len()),
        Err(_) => None,
    };
    #[cfg(not(target_os = "linux"))]
    {
        let _ = (file, offset_in_bytes);
        None
    }
}

/// True if the drive of a folder is not there any more. A device that was unplugged goes on being mounted,
/// and Linux answers with the error of a bad sector; but its number leads to no device then (sysfs(5)).
pub(super) fn is_gone(root: &Path) -> bool {
    match rustix::fs::stat(root) {
        Err(cause) => trouble_by_system_code(&cause.into()) == Some(SystemTrouble::DriveGone),
        #[cfg(target_os = "linux")]
        Ok(found) => {
            let (major, minor) = (rustix::fs::major(found.st_dev), rustix::fs::minor(found.st_dev));
            let devices = Path::new("/sys/dev/block");
            // Volumes without a device of their own have the major number 0.
            major != 0 && devices.is_dir() && !devices.join(format!("{major}:{minor}")).exists()
        }
        #[cfg(not(target_os = "linux"))]
        Ok(_) => false,
    }
}

pub(super) fn read_at(file: &fs::File, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
    file.read_at(buffer, offset_in_bytes)
}

pub(super) fn capacity(path: &Path) -> io::Result<Capacity> {
    let found = rustix::fs::statvfs(path)?;
    Ok(Capacity {
        total_in_bytes: found.f_blocks.saturating_mul(found.f_frsize),
        free_in_bytes: found.f_bavail.saturating_mul(found.f_frsize),
    })
}

pub(super) fn modified_utc(found: &fs::Metadata) -> Option<OffsetDateTime> {
    let seconds_in_ns = i128::from(found.mtime()) * 1_000_000_000;
    utc_from_unix_ns(seconds_in_ns + i128::from(found.mtime_nsec()))
}

pub(super) fn unix_mode(found: &fs::Metadata) -> Option<u32> {
    Some(found.mode() & 0o7777)
}

/// Only NTFS keeps more, and shows it one by one.
pub(super) fn beyond<P: AsRef<Path>>(
    found: &fs::Metadata,
    keeps: &Keeps,
    path: impl FnOnce() -> Option<P>,
) -> Beyond {
    let path = if keeps.ntfs_metadata { path() } else { None };
    let Some(path) = path else { return Beyond::default() };
    Beyond {
        windows_attributes: ntfs_attributes(path.as_ref()),
        reparse_point: if found.is_symlink() { reparse_point(path.as_ref()) } else { None },
    }
}

/// A link shown by ntfs-3g may be a reparse point that it has no reader for.
pub(super) fn reparse_point(path: &Path) -> Option<ReparsePoint> {
    // Windows lets none be longer.
    let mut data = vec![0; 16_384];
    let length = rustix::fs::lgetxattr(path, NTFS_REPARSE_POINT, &mut data).ok()?;
    ReparsePoint::from_bytes(data.get(..length)?)
}

fn ntfs_attributes(path: &Path) -> Option<u32> {
    let mut attributes = [0; 4];
    let length = rustix::fs::lgetxattr(path, NTFS_ATTRIBUTES, &mut attributes).ok()?;
    (length == attributes.len()).then(|| u32::from_be_bytes(attributes))
}

pub(super) fn volume_id(found: &fs::Metadata) -> Option<u64> {
    Some(found.dev())
}

/// Distinguished from the files of other volumes too, as well as a number can.
pub(super) fn same_file(found: &fs::Metadata) -> Option<u64> {
    (found.nlink() > 1).then(|| found.ino() ^ found.dev().rotate_left(32))
}

/// Some file systems keep short files, or compressed ones, in fewer blocks than they are long: only long ones
/// count.
pub(super) fn is_sparse(found: &fs::Metadata) -> bool {
    const LONG_IN_BYTES: u64 = 1 << 20;
    found.len() >= LONG_IN_BYTES && found.blocks().saturating_mul(512) < found.len() / 8 * 7
}

/// Unix grants a person all their rights at once.
pub(super) fn use_rights() {}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn attribute_bits_are_read_as_samba_and_wine_write_them() {
        assert_eq!(samba_attributes(b"0x22"), Some(0x22));
        assert_eq!(samba_attributes(b"0x6\0\0\x04\0\x04\0"), Some(6));
        assert_eq!(samba_attributes(b"hidden"), None);
    }
}
