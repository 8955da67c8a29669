//! Windows: devices are named `\\.\PhysicalDrive1` or `\\.\E:`, and read by whole sectors only.

use super::Device;
use super::whole_sectors::WholeSectors;
use crate::block_source::BlockSource;
use std::fs::{File, OpenOptions};
use std::io;
use std::os::windows::fs::{FileExt, OpenOptionsExt};
use std::os::windows::io::AsRawHandle;
use std::path::{Component, Path, PathBuf, Prefix};
use std::sync::Arc;
use windows_sys::Win32::Foundation::{ERROR_DEVICE_NOT_CONNECTED, ERROR_NO_SUCH_DEVICE, ERROR_NOT_READY};
use windows_sys::Win32::Storage::FileSystem::{FILE_SHARE_DELETE, FILE_SHARE_READ, FILE_SHARE_WRITE};
use windows_sys::Win32::System::IO::DeviceIoControl;
use windows_sys::Win32::System::Ioctl::{
    DISK_GEOMETRY_EX, FSCTL_ALLOW_EXTENDED_DASD_IO, GET_LENGTH_INFORMATION, IOCTL_DISK_GET_DRIVE_GEOMETRY_EX,
    IOCTL_DISK_GET_LENGTH_INFO, IOCTL_STORAGE_GET_DEVICE_NUMBER, STORAGE_DEVICE_NUMBER,
};

/// The drives are tried by their numbers, up to this one: a list of them needs more of the system.
const MOST_DRIVES: u32 = 64;

pub(super) fn is_device(path: &Path) -> bool {
    let text = path.as_os_str().to_string_lossy();
    text.starts_with(r"\\.\") || text.starts_with("//./")
}

pub(super) fn open(path: &Path) -> io::Result<Option<Arc<dyn BlockSource>>> {
    if !is_device(path) {
        return Ok(None);
    }
    let file = opened(path, windows_sys::Win32::Foundation::GENERIC_READ)?;
    // A volume shows its last sectors only then; a drive knows nothing of it, and shows them anyway.
    let _ = ask::<()>(&file, FSCTL_ALLOW_EXTENDED_DASD_IO);
    let length: GET_LENGTH_INFORMATION = ask(&file, IOCTL_DISK_GET_LENGTH_INFO)?;
    let size_in_bytes = u64::try_from(length.Length).unwrap_or_default();
    let geometry: io::Result<DISK_GEOMETRY_EX> = ask(&file, IOCTL_DISK_GET_DRIVE_GEOMETRY_EX);
    let sector_in_bytes = geometry.map_or(4096, |geometry| u64::from(geometry.Geometry.BytesPerSector));
    Ok(Some(Arc::new(WholeSectors::new(Drive { file, size_in_bytes }, sector_in_bytes))))
}

fn opened(path: &Path, access: u32) -> io::Result<File> {
    OpenOptions::new()
        .access_mode(access)
        .share_mode(FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE)
        .open(path)
}

/// Asks a device for a structure of plain numbers.
#[allow(unsafe_code, reason = "a call of the system's interface")]
fn ask<T: Default + Copy>(device: &File, question: u32) -> io::Result<T> {
    let mut answer = T::default();
    let mut given_in_bytes = 0;
    // SAFETY: the answer has the length that is passed, is made of plain numbers only, and outlives the call.
    let ok = unsafe {
        DeviceIoControl(
            device.as_raw_handle(),
            question,
            std::ptr::null(),
            0,
            (&raw mut answer).cast(),
            size_of::<T>() as u32,
            &raw mut given_in_bytes,
            std::ptr::null_mut(),
        )
    };
    if ok == 0 { Err(io::Error::last_os_error()) } else { Ok(answer) }
}

struct Drive {
    file: File,
    size_in_bytes: u64,
}

impl BlockSource for Drive {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let mut read = 0;
        while read < buffer.len() {
            match self.file.seek_read(&mut buffer[read..], offset_in_bytes + read as u64)? {
                0 => break,
                more => read += more,
            }
        }
        Ok(read)
    }

    fn is_gone(&self) -> bool {
        let answer: io::Result<GET_LENGTH_INFORMATION> = ask(&self.file, IOCTL_DISK_GET_LENGTH_INFO);
        let code =
            answer.err().and_then(|cause| cause.raw_os_error()).and_then(|code| u32::try_from(code).ok());
        matches!(code, Some(ERROR_DEVICE_NOT_CONNECTED | ERROR_NO_SUCH_DEVICE | ERROR_NOT_READY))
    }
}

pub(super) fn all() -> Vec<Device> {
    let drive = |number: u32| {
        let path = format!(r"\\.\PhysicalDrive{number}");
        // To ask for its number needs no right to read it.
        let file = opened(Path::new(&path), 0).ok()?;
        let geometry: io::Result<DISK_GEOMETRY_EX> = ask(&file, IOCTL_DISK_GET_DRIVE_GEOMETRY_EX);
        Some(Device {
            path: path.into(),
            size_in_bytes: geometry.ok().and_then(|geometry| u64::try_from(geometry.DiskSize).ok()),
            model: None,
            is_removable: false,
            mounted_at: mounted_from(number),
        })
    };
    (0..MOST_DRIVES).filter_map(drive).collect()
}

/// The letters below which volumes of a drive are shown.
fn mounted_from(number: u32) -> Vec<PathBuf> {
    letters()
        .filter(|letter| number_of_letter(*letter) == Some(number))
        .map(|letter| format!("{letter}:\\").into())
        .collect()
}

pub(super) fn mounted_at(path: &Path) -> Vec<PathBuf> {
    let device = opened(path, 0).ok().filter(|_| is_device(path));
    let number: Option<STORAGE_DEVICE_NUMBER> =
        device.and_then(|device| ask(&device, IOCTL_STORAGE_GET_DEVICE_NUMBER).ok());
    number.map(|number| mounted_from(number.DeviceNumber)).unwrap_or_default()
}

fn letters() -> impl Iterator<Item = char> {
    ('A'..='Z').filter(|letter| Path::new(&format!("{letter}:\\")).exists())
}

/// The number of the drive that a letter lies on.
fn number_of_letter(letter: char) -> Option<u32> {
    let volume = opened(Path::new(&format!(r"\\.\{letter}:")), 0).ok()?;
    let number: STORAGE_DEVICE_NUMBER = ask(&volume, IOCTL_STORAGE_GET_DEVICE_NUMBER).ok()?;
    Some(number.DeviceNumber)
}

pub(super) fn holds(device: &Path, folder: &Path) -> bool {
    let Ok(device) = opened(device, 0) else { return false };
    let of_device: io::Result<STORAGE_DEVICE_NUMBER> = ask(&device, IOCTL_STORAGE_GET_DEVICE_NUMBER);
    let folder = std::path::absolute(folder).unwrap_or_else(|_| folder.to_path_buf());
    let letter = match folder.components().next() {
        Some(Component::Prefix(prefix)) => match prefix.kind() {
            Prefix::Disk(letter) | Prefix::VerbatimDisk(letter) => char::from(letter),
            _ => return false,
        },
        _ => return false,
    };
    of_device.is_ok_and(|device| number_of_letter(letter) == Some(device.DeviceNumber))
}
