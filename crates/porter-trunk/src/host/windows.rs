//! Windows.

use std::fs::{File, OpenOptions};
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::os::windows::fs::OpenOptionsExt;
use std::path::Path;

/// `FILE_FLAG_OPEN_REPARSE_POINT`: open a link itself, not what it leads to.
const OPEN_LINK_ITSELF: u32 = 0x0020_0000;

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn free_space_in_bytes(folder: &Path) -> io::Result<u64> {
    let wide: Vec<u16> = folder.as_os_str().encode_wide().chain([0]).collect();
    let mut free_in_bytes = 0;
    // SAFETY: the path ends with a NUL, and the number outlives the call.
    let ok = unsafe {
        windows_sys::Win32::Storage::FileSystem::GetDiskFreeSpaceExW(
            wide.as_ptr(),
            &mut free_in_bytes,
            std::ptr::null_mut(),
            std::ptr::null_mut(),
        )
    };
    if ok == 0 { Err(io::Error::last_os_error()) } else { Ok(free_in_bytes) }
}

/// The largest file that the volume of a folder can hold, where that is less than anybody has.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn largest_file_in_bytes(folder: &Path) -> Option<u64> {
    use std::ptr::null_mut;
    use windows_sys::Win32::Storage::FileSystem::{GetVolumeInformationW, GetVolumePathNameW};
    let wide: Vec<u16> = folder.as_os_str().encode_wide().chain([0]).collect();
    let (mut root, mut system) = ([0_u16; 1024], [0_u16; 64]);
    // SAFETY: the path ends with a NUL, and the buffers are as long as is said.
    let known = unsafe {
        GetVolumePathNameW(wide.as_ptr(), root.as_mut_ptr(), root.len() as u32) != 0
            && GetVolumeInformationW(
                root.as_ptr(),
                null_mut(),
                0,
                null_mut(),
                null_mut(),
                null_mut(),
                system.as_mut_ptr(),
                system.len() as u32,
            ) != 0
    };
    let length = system.iter().position(|unit| *unit == 0).unwrap_or(0);
    let system = String::from_utf16_lossy(&system[..length]);
    (known && system.starts_with("FAT")).then_some(u64::from(u32::MAX))
}

/// Windows flushes a whole volume only for an administrator, so every file below `folder` is flushed singly.
/// All of them are ours: nothing in a trunk is marked read-only.
pub(super) fn flush_volume(folder: &Path) -> io::Result<()> {
    let mut folders = vec![folder.to_path_buf()];
    while let Some(folder) = folders.pop() {
        for row in std::fs::read_dir(folder)? {
            let row = row?;
            let kind = row.file_type()?;
            if kind.is_dir() {
                folders.push(row.path());
            } else if kind.is_file() {
                OpenOptions::new().write(true).open(row.path())?.sync_all()?;
            }
        }
    }
    Ok(())
}

/// Windows has no such call.
pub(crate) fn forget_cached(_file: &File) -> bool {
    false
}

/// Windows has no such call.
pub(crate) fn forget_cached_stretch(_file: &File, _offset_in_bytes: u64, _length_in_bytes: u64) {}

/// Windows has no such call.
pub(crate) fn will_be_read(_file: &File, _offset_in_bytes: u64, _length_in_bytes: u64) {}

/// Opens a file for reading; a link, or anything else that is not a file, is `InvalidInput`.
pub(crate) fn open_plain_file(path: &Path) -> io::Result<File> {
    open_unless_a_link(path, false, 0)
}

/// The same for reading from the medium, whole sectors at a time. Fails where the volume cannot do that.
pub(crate) fn open_plain_file_past_memory(path: &Path) -> io::Result<File> {
    /// `FILE_FLAG_NO_BUFFERING`.
    const PAST_MEMORY: u32 = 0x2000_0000;
    open_unless_a_link(path, false, PAST_MEMORY)
}

/// The same for reading and writing.
pub(crate) fn open_plain_file_to_write(path: &Path) -> io::Result<File> {
    open_unless_a_link(path, true, 0)
}

fn open_unless_a_link(path: &Path, to_write: bool, flags: u32) -> io::Result<File> {
    let flags = OPEN_LINK_ITSELF | flags;
    let file = OpenOptions::new().read(true).write(to_write).custom_flags(flags).open(path)?;
    let found = file.metadata()?;
    if found.is_file() && !found.is_symlink() {
        Ok(file)
    } else {
        Err(io::Error::new(io::ErrorKind::InvalidInput, "not a plain file"))
    }
}

/// Reads up to so much from a place in a file; nothing at its end.
pub(crate) fn read_at(file: &File, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
    /// `ERROR_HANDLE_EOF`, of a file that is read past the system's memory.
    const AT_END: i32 = 38;
    match std::os::windows::fs::FileExt::seek_read(file, buffer, offset_in_bytes) {
        Err(cause) if cause.raw_os_error() == Some(AT_END) => Ok(0),
        read => read,
    }
}

/// Reads exactly so much from a place in a file.
pub(crate) fn read_exact_at(file: &File, mut offset_in_bytes: u64, mut buffer: &mut [u8]) -> io::Result<()> {
    while !buffer.is_empty() {
        match read_at(file, offset_in_bytes, buffer) {
            Ok(0) => return Err(io::ErrorKind::UnexpectedEof.into()),
            Ok(read) => {
                buffer = &mut buffer[read..];
                offset_in_bytes += read as u64;
            }
            Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
            Err(cause) => return Err(cause),
        }
    }
    Ok(())
}

/// Makes a file to write and read. Who may read it is decided by the folder it is in.
pub(crate) fn create_new(path: &Path, _private: bool) -> io::Result<File> {
    File::options().read(true).write(true).create_new(true).open(path)
}

/// True unless the name is gone: as long as a deleted file is open, Windows mostly gives its name to no
/// other.
pub(crate) fn is_named(_file: &File, path: &Path) -> bool {
    std::fs::symlink_metadata(path).is_ok()
}

/// Windows brings names onto the medium without being asked.
pub(super) fn flush_folder(_folder: &Path) -> io::Result<()> {
    Ok(())
}

/// NTFS cannot; a hard link has to do.
pub(super) fn clone_file(_from: &Path, _to: &Path) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}
