//! Devices: drives, partitions and volumes as the running system names them.

#[cfg(not(any(target_os = "linux", windows)))]
#[path = "device/none.rs"]
mod system;
#[cfg(target_os = "linux")]
#[path = "device/linux.rs"]
mod system;
#[cfg(windows)]
#[path = "device/windows.rs"]
mod system;

mod whole_sectors;

use crate::block_source::BlockSource;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A drive or a partition that the system knows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Device {
    /// Its name there: `/dev/sdb`, `\\.\PhysicalDrive1`.
    pub path: PathBuf,
    /// Its length; none if the system does not say.
    pub size_in_bytes: Option<u64>,
    /// As its maker calls it.
    pub model: Option<String>,
    /// True if it can be pulled out.
    pub is_removable: bool,
    /// Where it, or a partition of it, is mounted.
    pub mounted_at: Vec<PathBuf>,
}

/// Opens a device. None for a path that is none.
///
/// Fails if it is one and the system does not let us read it.
pub fn open(path: &Path) -> io::Result<Option<Arc<dyn BlockSource>>> {
    system::open(path)
}

/// True for a path that names a device.
pub fn is_device(path: &Path) -> bool {
    system::is_device(path)
}

/// The drives that the system knows, in the order of their names.
pub fn all() -> Vec<Device> {
    system::all()
}

/// Where a device, or a partition of it, is mounted.
pub fn mounted_at(path: &Path) -> Vec<PathBuf> {
    system::mounted_at(path)
}

/// True if a folder lies on the drive of this device, so that nothing may be written there.
pub fn holds(device: &Path, folder: &Path) -> bool {
    system::holds(device, folder)
}
