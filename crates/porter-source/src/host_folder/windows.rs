//! Windows, through its own calls.
//!
//! A reparse point is a link if its tag says that it stands for another name (symbolic links and junctions; [MS-FSCC]
//! 2.1.2.1, the *name surrogate* bit). All others (compressed, deduplicated, cloud files) are files and folders
//! whose content the system's own filters provide.

#[path = "windows/rights.rs"]
mod rights;
#[path = "windows/streams.rs"]
mod streams;

pub(super) use rights::use_rights;

use crate::error::SystemTrouble;
use crate::{Capacity, Details};
use std::fs;
use std::io;
use std::ops::Deref;
use std::os::windows::fs::{FileExt, MetadataExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use time::OffsetDateTime;
use windows_sys::Win32::Foundation::{
    ERROR_CRC, ERROR_FILE_OFFLINE, ERROR_GEN_FAILURE, ERROR_IO_DEVICE, ERROR_LOCK_VIOLATION,
    ERROR_SECTOR_NOT_FOUND, ERROR_SEEK, ERROR_SHARING_VIOLATION, ERROR_STOPPED_ON_SYMLINK,
};
use windows_sys::Win32::Storage::FileSystem::{
    FILE_ATTRIBUTE_REPARSE_POINT, FILE_FLAG_BACKUP_SEMANTICS, FILE_FLAG_OPEN_REPARSE_POINT,
    FILE_FLAG_SEQUENTIAL_SCAN, GetDiskFreeSpaceExW,
};

/// What the file system of a folder keeps beside content: on Windows the same calls serve all of them.
#[derive(Debug, Clone, Copy)]
pub(super) struct Keeps;

impl Keeps {
    pub(super) fn of(_root: &Path) -> Self {
        Self
    }
}

/// Any path: with the prefix that all of ours have, Windows takes as much as a volume of its own can hold.
pub(super) struct Reachable(PathBuf);

impl Reachable {
    pub(super) fn by(path: PathBuf) -> io::Result<Self> {
        Ok(Self(path))
    }
}

impl Deref for Reachable {
    type Target = Path;
    fn deref(&self) -> &Path {
        &self.0
    }
}

pub(super) fn details(path: &Path, _keeps: &Keeps) -> io::Result<Details> {
    let found = fs::symlink_metadata(path)?;
    let mut details = Details {
        windows_attributes: Some(found.file_attributes()),
        created_utc: super::utc_from_filetime(found.creation_time()),
        ..Details::default()
    };
    // A link's streams are those of what it leads to.
    if !found.is_symlink() {
        (details.streams, details.unreadable_streams) = streams::of(path)?;
    }
    Ok(details)
}

/// Backup semantics: an administrator may read what its owner keeps to themselves.
pub(super) fn open_without_following(path: &Path) -> io::Result<fs::File> {
    let open = |flags| {
        let flags = flags | FILE_FLAG_BACKUP_SEMANTICS | FILE_FLAG_SEQUENTIAL_SCAN;
        fs::OpenOptions::new().read(true).custom_flags(flags).open(path)
    };
    let itself = open(FILE_FLAG_OPEN_REPARSE_POINT)?;
    let found = itself.metadata()?;
    if found.is_symlink() {
        return Err(io::Error::from_raw_os_error(ERROR_STOPPED_ON_SYMLINK as i32));
    }
    if found.file_attributes() & FILE_ATTRIBUTE_REPARSE_POINT == 0 {
        return Ok(itself);
    }
    // Not a link, so the content is to be had only through the system's filter.
    open(0)
}

pub(super) fn read_at(file: &fs::File, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
    file.seek_read(buffer, offset_in_bytes)
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn capacity(path: &Path) -> io::Result<Capacity> {
    use std::os::windows::ffi::OsStrExt;
    let wide: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    let (mut free_in_bytes, mut total_in_bytes) = (0, 0);
    // SAFETY: the path ends with a NUL, and the numbers outlive the call.
    let ok = unsafe {
        GetDiskFreeSpaceExW(wide.as_ptr(), &mut free_in_bytes, &mut total_in_bytes, std::ptr::null_mut())
    };
    if ok == 0 { Err(io::Error::last_os_error()) } else { Ok(Capacity { total_in_bytes, free_in_bytes }) }
}

pub(super) fn modified_utc(found: &fs::Metadata) -> Option<OffsetDateTime> {
    super::utc_from_filetime(found.last_write_time())
}

pub(super) fn unix_mode(_found: &fs::Metadata) -> Option<u32> {
    None
}

pub(super) fn windows_attributes(
    found: &fs::Metadata,
    _keeps: &Keeps,
    _path: impl FnOnce() -> PathBuf,
) -> Option<u32> {
    Some(found.file_attributes())
}

/// Windows mounts volumes in folders as junctions, which are links.
pub(super) fn volume_id(_found: &fs::Metadata) -> Option<u64> {
    None
}

/// Windows tells only of an opened file.
pub(super) fn same_file(_found: &fs::Metadata) -> Option<u64> {
    None
}

/// `FILE_ATTRIBUTE_SPARSE_FILE` ([MS-FSCC] 2.6).
pub(super) fn is_sparse(found: &fs::Metadata) -> bool {
    found.file_attributes() & 0x200 != 0
}

pub(super) fn trouble_by_system_code(cause: &io::Error) -> Option<SystemTrouble> {
    match u32::try_from(cause.raw_os_error()?).ok()? {
        ERROR_SHARING_VIOLATION | ERROR_LOCK_VIOLATION => Some(SystemTrouble::InUse),
        ERROR_CRC | ERROR_SEEK | ERROR_SECTOR_NOT_FOUND | ERROR_GEN_FAILURE | ERROR_IO_DEVICE => {
            Some(SystemTrouble::Medium)
        }
        ERROR_STOPPED_ON_SYMLINK => Some(SystemTrouble::IsLink),
        ERROR_FILE_OFFLINE | CLOUD_FILES_FIRST..=CLOUD_FILES_LAST => Some(SystemTrouble::CloudOnly),
        _ => None,
    }
}

/// `ERROR_CLOUD_FILE_…` ([MS-ERREF] 2.2), from *the sync root metadata is corrupted* to *the request was timed out*.
const CLOUD_FILES_FIRST: u32 = 358;
const CLOUD_FILES_LAST: u32 = 426;
