//! Windows, through its own calls. Named streams, and files that exist only in a cloud, come with the Windows issue.

use crate::error::SystemTrouble;
use crate::{Capacity, Details};
use std::fs;
use std::io;
use std::os::windows::fs::{FileExt, MetadataExt, OpenOptionsExt};
use std::path::Path;
use time::OffsetDateTime;

/// `FILE_FLAG_OPEN_REPARSE_POINT`: open a link itself, not what it leads to.
const OPEN_LINK_ITSELF: u32 = 0x0020_0000;
/// `FILE_FLAG_BACKUP_SEMANTICS`: an administrator may read what its owner keeps to themselves.
const READ_AS_BACKUP: u32 = 0x0200_0000;

/// What the file system of a folder keeps beside content: on Windows the same calls serve all of them.
#[derive(Debug, Clone, Copy)]
pub(super) struct Keeps;

impl Keeps {
    pub(super) fn of(_root: &Path) -> Self {
        Self
    }
}

pub(super) fn details(path: &Path, _keeps: &Keeps) -> io::Result<Details> {
    let found = fs::symlink_metadata(path)?;
    Ok(Details {
        windows_attributes: Some(found.file_attributes()),
        created_utc: super::utc_from_filetime(found.creation_time()),
        ..Details::default()
    })
}

pub(super) fn open_without_following(path: &Path) -> io::Result<fs::File> {
    fs::OpenOptions::new().read(true).custom_flags(OPEN_LINK_ITSELF | READ_AS_BACKUP).open(path)
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
        windows_sys::Win32::Storage::FileSystem::GetDiskFreeSpaceExW(
            wide.as_ptr(),
            &mut free_in_bytes,
            &mut total_in_bytes,
            std::ptr::null_mut(),
        )
    };
    if ok == 0 { Err(io::Error::last_os_error()) } else { Ok(Capacity { total_in_bytes, free_in_bytes }) }
}

pub(super) fn modified_utc(found: &fs::Metadata) -> Option<OffsetDateTime> {
    super::utc_from_filetime(found.last_write_time())
}

pub(super) fn unix_mode(_found: &fs::Metadata) -> Option<u32> {
    None
}

pub(super) fn trouble_by_system_code(cause: &io::Error) -> Option<SystemTrouble> {
    match cause.raw_os_error()? {
        // ERROR_SHARING_VIOLATION, ERROR_LOCK_VIOLATION
        32 | 33 => Some(SystemTrouble::InUse),
        // ERROR_CRC, ERROR_SEEK, ERROR_SECTOR_NOT_FOUND, ERROR_GEN_FAILURE, ERROR_IO_DEVICE
        23 | 25 | 27 | 31 | 1117 => Some(SystemTrouble::Medium),
        _ => None,
    }
}
