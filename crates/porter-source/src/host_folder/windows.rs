//! Windows, through its own calls.
//!
//! A reparse point is a link if its tag says that it stands for another name (symbolic links and junctions;
//! [MS-FSCC] 2.1.2.1, the *name surrogate* bit). All others (compressed, deduplicated, cloud files) are files
//! and folders whose content the system's own filters provide.

#[path = "windows/rights.rs"]
mod rights;
#[path = "windows/streams.rs"]
mod streams;

pub(super) use rights::use_rights;

use super::Beyond;
use crate::beneath::Root;
use crate::reparse_point::ReparsePoint;
use crate::system_trouble::{SystemTrouble, trouble_by_system_code};
use crate::{Capacity, Details, FileState};
use std::fs;
use std::io;
use std::os::windows::fs::{FileExt, MetadataExt, OpenOptionsExt};
use std::path::Path;
use time::OffsetDateTime;
use windows_sys::Win32::Foundation::{ERROR_MORE_DATA, ERROR_STOPPED_ON_SYMLINK};
use windows_sys::Win32::Storage::FileSystem::{
    FILE_ATTRIBUTE_REPARSE_POINT, FILE_FLAG_BACKUP_SEMANTICS, FILE_FLAG_OPEN_REPARSE_POINT,
    FILE_FLAG_SEQUENTIAL_SCAN, GetDiskFreeSpaceExW,
};
use windows_sys::Win32::System::IO::DeviceIoControl;
use windows_sys::Win32::System::Ioctl::{FILE_ALLOCATED_RANGE_BUFFER, FSCTL_QUERY_ALLOCATED_RANGES};

/// The facts that the file system of a folder keeps beside content: on Windows the same calls serve all of
/// them.
#[derive(Debug, Clone, Copy)]
pub(super) struct Keeps;

impl Keeps {
    pub(super) fn of(_root: &Path) -> Self {
        Self
    }

    pub(super) fn shows_reparse_points(&self) -> bool {
        false
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
pub(super) fn open_without_following(root: &Root, below: &Path) -> io::Result<fs::File> {
    open_by_path(&root.reach(below)?)
}

/// The same for a path that somebody named.
pub(super) fn open_by_path(path: &Path) -> io::Result<fs::File> {
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

/// Its length, and when it last changed.
pub(super) fn state(file: &fs::File) -> io::Result<FileState> {
    let found = file.metadata()?;
    Ok(FileState {
        size_in_bytes: found.len(),
        modified_in_ns: i128::from(found.last_write_time()) * 100,
        changed_in_ns: None,
    })
}

/// Asks the volume which stretches it keeps (`FSCTL_QUERY_ALLOCATED_RANGES`, [MS-FSCC] 2.3.48).
#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn next_data(file: &fs::File, offset_in_bytes: u64) -> Option<u64> {
    use std::os::windows::io::AsRawHandle;
    let size_in_bytes = file.metadata().ok()?.len();
    let from = i64::try_from(offset_in_bytes).ok()?;
    let asked =
        FILE_ALLOCATED_RANGE_BUFFER { FileOffset: from, Length: i64::try_from(size_in_bytes).ok()? - from };
    let mut first = FILE_ALLOCATED_RANGE_BUFFER::default();
    let mut given_in_bytes = 0;
    let size = size_of::<FILE_ALLOCATED_RANGE_BUFFER>() as u32;
    // SAFETY: both buffers are of the length that is passed, and outlive the call.
    let ok = unsafe {
        DeviceIoControl(
            file.as_raw_handle(),
            FSCTL_QUERY_ALLOCATED_RANGES,
            (&raw const asked).cast(),
            size,
            (&raw mut first).cast(),
            size,
            &raw mut given_in_bytes,
            std::ptr::null_mut(),
        )
    };
    let has_more = ok == 0 && io::Error::last_os_error().raw_os_error() == Some(ERROR_MORE_DATA as i32);
    match (ok != 0 || has_more, given_in_bytes) {
        (false, _) => None,
        (true, 0) => Some(size_in_bytes),
        (true, _) => u64::try_from(first.FileOffset).ok().map(|next| next.max(offset_in_bytes)),
    }
}

/// True if the drive of a folder is not there any more.
pub(super) fn is_gone(root: &Path) -> bool {
    fs::metadata(root).is_err_and(|cause| trouble_by_system_code(&cause) == Some(SystemTrouble::DriveGone))
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

/// The root of a drive letter.
pub(super) fn is_whole_volume(root: &Path) -> bool {
    root.parent().is_none()
}

pub(super) fn modified_utc(found: &fs::Metadata) -> Option<OffsetDateTime> {
    super::utc_from_filetime(found.last_write_time())
}

pub(super) fn unix_mode(_found: &fs::Metadata) -> Option<u32> {
    None
}

pub(super) fn beyond<P: AsRef<Path>>(
    found: &fs::Metadata,
    _keeps: &Keeps,
    _path: impl FnOnce() -> Option<P>,
) -> Beyond {
    Beyond { windows_attributes: Some(found.file_attributes()), reparse_point: None }
}

/// Windows' own driver knows what each of them is.
pub(super) fn reparse_point(_path: &Path) -> Option<ReparsePoint> {
    None
}

/// Windows mounts volumes in folders as junctions, which are links.
pub(super) fn volume_id(_found: &fs::Metadata) -> Option<u64> {
    None
}

/// Windows knows it only of an opened file.
pub(super) fn same_file(_found: &fs::Metadata) -> Option<u64> {
    None
}

/// `FILE_ATTRIBUTE_SPARSE_FILE` ([MS-FSCC] 2.6).
pub(super) fn is_sparse(found: &fs::Metadata) -> bool {
    found.file_attributes() & 0x200 != 0
}
