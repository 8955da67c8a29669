//! Disks that spin: to go from one file to another costs them some 8 ms, in which they could read 1 MB.
//!
//! Several threads that each read a long file make such a disk seek all the time, so they take turns there. A
//! turn is one call, for which a capture asks up to 8 MiB.

use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// The arm of a disk: who has it may read.
#[derive(Debug, Default)]
pub struct Arm(Mutex<()>);

impl Arm {
    /// Waits for it. It is free again when the guard is dropped.
    pub fn take(&self) -> MutexGuard<'_, ()> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// True if a folder, an image or a device is known to lie on a disk that spins.
///
/// Linux says so in `queue/rotational` of the device (`Documentation/ABI/stable/sysfs-block`). Virtual disks
/// say it of themselves although nothing turns, so they are left out.
#[cfg(target_os = "linux")]
pub fn is_spinning(path: &Path) -> bool {
    let device = || {
        let found = rustix::fs::stat(path).ok()?;
        let is_device = rustix::fs::FileType::from_raw_mode(found.st_mode).is_block_device();
        let number = if is_device { found.st_rdev } else { found.st_dev };
        let (major, minor) = (rustix::fs::major(number), rustix::fs::minor(number));
        let device = std::fs::canonicalize(format!("/sys/dev/block/{major}:{minor}")).ok()?;
        let is_partition = device.join("partition").exists();
        if is_partition { device.parent().map(Path::to_path_buf) } else { Some(device) }
    };
    device().is_some_and(|device| {
        let is_virtual = device.to_string_lossy().contains("/virtio");
        let says = std::fs::read_to_string(device.join("queue/rotational"));
        !is_virtual && says.is_ok_and(|says| says.trim() == "1")
    })
}

/// Windows is asked whether seeking has a price (`DEVICE_SEEK_PENALTY_DESCRIPTOR`, since Windows 7).
#[cfg(windows)]
#[allow(unsafe_code, reason = "a call of the system's interface")]
pub fn is_spinning(path: &Path) -> bool {
    use std::os::windows::fs::OpenOptionsExt;
    use std::os::windows::io::AsRawHandle;
    use std::path::{Component, Prefix};
    use windows_sys::Win32::System::IO::DeviceIoControl;
    use windows_sys::Win32::System::Ioctl::{
        DEVICE_SEEK_PENALTY_DESCRIPTOR, IOCTL_STORAGE_QUERY_PROPERTY, PropertyStandardQuery,
        STORAGE_PROPERTY_QUERY, StorageDeviceSeekPenaltyProperty,
    };
    let volume = match path.components().next() {
        Some(Component::Prefix(prefix)) => match prefix.kind() {
            Prefix::Disk(letter) | Prefix::VerbatimDisk(letter) => format!(r"\\.\{}:", char::from(letter)),
            Prefix::DeviceNS(device) => format!(r"\\.\{}", device.to_string_lossy()),
            _ => return false,
        },
        _ => return false,
    };
    // Asking needs no right to read the volume.
    let Ok(volume) = std::fs::OpenOptions::new().access_mode(0).open(volume) else { return false };
    let query = STORAGE_PROPERTY_QUERY {
        PropertyId: StorageDeviceSeekPenaltyProperty,
        QueryType: PropertyStandardQuery,
        AdditionalParameters: [0],
    };
    let mut said = DEVICE_SEEK_PENALTY_DESCRIPTOR::default();
    let mut given_in_bytes = 0;
    // SAFETY: both buffers are of the length that is passed, and outlive the call.
    let ok = unsafe {
        DeviceIoControl(
            volume.as_raw_handle(),
            IOCTL_STORAGE_QUERY_PROPERTY,
            (&raw const query).cast(),
            size_of::<STORAGE_PROPERTY_QUERY>() as u32,
            (&raw mut said).cast(),
            size_of::<DEVICE_SEEK_PENALTY_DESCRIPTOR>() as u32,
            &raw mut given_in_bytes,
            std::ptr::null_mut(),
        )
    };
    ok != 0
        && given_in_bytes as usize >= size_of::<DEVICE_SEEK_PENALTY_DESCRIPTOR>()
        && said.IncursSeekPenalty
}

/// Other systems are not asked.
#[cfg(not(any(target_os = "linux", windows)))]
pub fn is_spinning(_path: &Path) -> bool {
    false
}
