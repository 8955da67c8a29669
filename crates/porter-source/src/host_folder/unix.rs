//! Unix, reading its own file systems and NTFS through ntfs-3g.
//!
//! Windows' attributes and named streams come as extended attributes:
//! - ntfs-3g gives `system.ntfs_attrib_be` (4 bytes, big endian) and `system.ntfs_crtime_be` (a FILETIME, 8 bytes, big
//!   endian), and each named stream as `user.NAME` (ntfs-3g(8) and its page on extended attributes);
//! - elsewhere Samba and Wine keep the attribute bits in `user.DOSATTRIB`, as text such as `0x22` (smb.conf(5), *store
//!   dos attributes*); other `user.NAME` attributes are taken for named streams.

use super::{utc_from_filetime, utc_from_unix_ns};
use crate::error::SystemTrouble;
use crate::{Capacity, Details, NamedStream};
use rustix::fd::{AsRawFd, OwnedFd};
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::fs;
use std::io;
use std::ops::Deref;
use std::os::unix::fs::{FileExt, MetadataExt};
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

const NTFS_ATTRIBUTES: &str = "system.ntfs_attrib_be";
const NTFS_CREATED: &str = "system.ntfs_crtime_be";
const SAMBA_ATTRIBUTES: &str = "user.DOSATTRIB";

/// What the file system of a folder keeps beside content, found out once.
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
}

/// A path that the system takes. It takes no more than 4096 bytes at once, and folders that were copied into themselves again and again lie
/// deeper: these are reached from a folder on the way, which stays open as long as the path is used.
pub(super) struct Reachable {
    path: PathBuf,
    _on_the_way: Option<OwnedFd>,
}

impl Reachable {
    /// The most that is asked for at once, with room for a name.
    const MOST_IN_BYTES: usize = 3800;

    pub(super) fn by(path: PathBuf) -> io::Result<Self> {
        if path.as_os_str().len() <= Self::MOST_IN_BYTES {
            return Ok(Self { path, _on_the_way: None });
        }
        let mut on_the_way: Option<OwnedFd> = None;
        let mut rest = PathBuf::new();
        for step in path.components() {
            if rest.as_os_str().len() + step.as_os_str().len() > Self::MOST_IN_BYTES {
                let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
                let opened = match &on_the_way {
                    Some(folder) => rustix::fs::openat(folder, &rest, flags, Mode::empty()),
                    None => rustix::fs::open(&rest, flags, Mode::empty()),
                };
                on_the_way = Some(opened?);
                rest = PathBuf::new();
            }
            rest.push(step);
        }
        if let Some(folder) = &on_the_way {
            rest = Path::new("/proc/self/fd").join(folder.as_raw_fd().to_string()).join(rest);
        }
        Ok(Self { path: rest, _on_the_way: on_the_way })
    }
}

impl Deref for Reachable {
    type Target = Path;
    fn deref(&self) -> &Path {
        &self.path
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

/// Does not wait on a pipe, and leaves the time of last access alone where the system allows that.
pub(super) fn open_without_following(path: &Path) -> io::Result<fs::File> {
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::CLOEXEC | OFlags::NONBLOCK;
    #[cfg(any(target_os = "linux", target_os = "android"))]
    match rustix::fs::open(path, flags | OFlags::NOATIME, Mode::empty()) {
        // Only a file's owner may ask for that.
        Err(Errno::PERM) => {}
        opened => return Ok(opened?.into()),
    }
    Ok(rustix::fs::open(path, flags, Mode::empty())?.into())
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

/// Only NTFS keeps them, and tells them one by one.
pub(super) fn windows_attributes(
    _found: &fs::Metadata,
    keeps: &Keeps,
    path: impl FnOnce() -> PathBuf,
) -> Option<u32> {
    if keeps.ntfs_metadata { ntfs_attributes(&path()) } else { None }
}

fn ntfs_attributes(path: &Path) -> Option<u32> {
    let mut attributes = [0; 4];
    let length = rustix::fs::lgetxattr(path, NTFS_ATTRIBUTES, &mut attributes).ok()?;
    (length == attributes.len()).then(|| u32::from_be_bytes(attributes))
}

pub(super) fn volume_id(found: &fs::Metadata) -> Option<u64> {
    Some(found.dev())
}

/// Told apart from the files of other volumes too, as far as a number can.
pub(super) fn same_file(found: &fs::Metadata) -> Option<u64> {
    (found.nlink() > 1).then(|| found.ino() ^ found.dev().rotate_left(32))
}

/// Some file systems keep short files, or compressed ones, in fewer blocks than they are long: only long ones count.
pub(super) fn is_sparse(found: &fs::Metadata) -> bool {
    const LONG_IN_BYTES: u64 = 1 << 20;
    found.len() >= LONG_IN_BYTES && found.blocks().saturating_mul(512) < found.len() / 8 * 7
}

/// Unix gives a person all their rights at once.
pub(super) fn use_rights() {}

pub(super) fn trouble_by_system_code(cause: &io::Error) -> Option<SystemTrouble> {
    match Errno::from_io_error(cause)? {
        Errno::IO | Errno::NXIO | Errno::NODEV | Errno::STALE => Some(SystemTrouble::Medium),
        Errno::LOOP => Some(SystemTrouble::IsLink),
        _ => None,
    }
}

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
