//! By the numbers of `winerror.h`.

use super::SystemTrouble;
use std::io;
use windows_sys::Win32::Foundation::{
    ERROR_CRC, ERROR_DEV_NOT_EXIST, ERROR_DEVICE_NOT_CONNECTED, ERROR_DEVICE_REMOVED, ERROR_FILE_OFFLINE,
    ERROR_GEN_FAILURE, ERROR_IO_DEVICE, ERROR_LOCK_VIOLATION, ERROR_NO_SUCH_DEVICE, ERROR_NOT_READY,
    ERROR_READ_FAULT, ERROR_SECTOR_NOT_FOUND, ERROR_SEEK, ERROR_SHARING_VIOLATION, ERROR_STOPPED_ON_SYMLINK,
};

pub(crate) fn trouble_by_system_code(cause: &io::Error) -> Option<SystemTrouble> {
    match u32::try_from(cause.raw_os_error()?).ok()? {
        ERROR_SHARING_VIOLATION | ERROR_LOCK_VIOLATION => Some(SystemTrouble::InUse),
        ERROR_CRC
        | ERROR_SEEK
        | ERROR_SECTOR_NOT_FOUND
        | ERROR_READ_FAULT
        | ERROR_GEN_FAILURE
        | ERROR_IO_DEVICE => Some(SystemTrouble::Medium),
        ERROR_NOT_READY
        | ERROR_DEV_NOT_EXIST
        | ERROR_NO_SUCH_DEVICE
        | ERROR_DEVICE_NOT_CONNECTED
        | ERROR_DEVICE_REMOVED => Some(SystemTrouble::DriveGone),
        ERROR_STOPPED_ON_SYMLINK => Some(SystemTrouble::IsLink),
        ERROR_FILE_OFFLINE | CLOUD_FILES_FIRST..=CLOUD_FILES_LAST => Some(SystemTrouble::CloudOnly),
        _ => None,
    }
}

/// `ERROR_CLOUD_FILE_…` ([MS-ERREF] 2.2), from *the sync root metadata is corrupted* to *the request was
/// timed out*.
const CLOUD_FILES_FIRST: u32 = 358;
const CLOUD_FILES_LAST: u32 = 426;
