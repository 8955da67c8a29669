//! Windows, through its own calls.

use std::fs;
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::os::windows::fs::OpenOptionsExt;
use std::path::Path;
use time::OffsetDateTime;
use windows_sys::Win32::Storage::FileSystem::{
    FILE_ATTRIBUTE_HIDDEN, FILE_ATTRIBUTE_SYSTEM, FILE_FLAG_BACKUP_SEMANTICS, FILE_WRITE_ATTRIBUTES,
    SetFileAttributesW,
};

/// Windows lets not everybody make links; then there is none.
pub(crate) fn make_link(target: &str, at: &Path) -> io::Result<()> {
    let _ = std::os::windows::fs::symlink_dir(target.replace('/', "\\"), at);
    Ok(())
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(crate) fn mark_hidden(path: &Path, as_system: bool) {
    let bits = FILE_ATTRIBUTE_HIDDEN | if as_system { FILE_ATTRIBUTE_SYSTEM } else { 0 };
    let wide: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    // SAFETY: the path ends with a NUL.
    unsafe { SetFileAttributesW(wide.as_ptr(), bits) };
}

pub(crate) fn set_folder_time(folder: &Path, modified_utc: OffsetDateTime) -> io::Result<()> {
    let opened = fs::OpenOptions::new()
        .access_mode(FILE_WRITE_ATTRIBUTES)
        .custom_flags(FILE_FLAG_BACKUP_SEMANTICS)
        .open(folder)?;
    opened.set_times(fs::FileTimes::new().set_modified(modified_utc.into()).set_accessed(modified_utc.into()))
}
