//! Windows: the folder is for administrators, the system, and whoever made it.

use std::fs::{File, Metadata};
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::path::Path;
use windows_sys::Win32::Foundation::LocalFree;
use windows_sys::Win32::Security::Authorization::{
    ConvertStringSecurityDescriptorToSecurityDescriptorW, SDDL_REVISION_1,
};
use windows_sys::Win32::Security::SECURITY_ATTRIBUTES;
use windows_sys::Win32::Storage::FileSystem::CreateDirectoryW;

/// Nothing is inherited; all rights for the system, administrators and the owner, also to what is in it ([MS-DTYP] 2.5.1).
const RIGHTS: &str = "D:P(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)(A;OICI;FA;;;OW)";

#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn make_folder(folder: &Path) -> io::Result<()> {
    let wide = |text: &std::ffi::OsStr| text.encode_wide().chain([0]).collect::<Vec<u16>>();
    let (rights, path) = (wide(RIGHTS.as_ref()), wide(folder.as_os_str()));
    let mut descriptor = std::ptr::null_mut();
    // SAFETY: the text ends with a NUL, and the pointer outlives the call. What it gives is freed below.
    let known = unsafe {
        ConvertStringSecurityDescriptorToSecurityDescriptorW(
            rights.as_ptr(),
            SDDL_REVISION_1,
            &raw mut descriptor,
            std::ptr::null_mut(),
        )
    };
    if known == 0 {
        return Err(io::Error::last_os_error());
    }
    let attributes = SECURITY_ATTRIBUTES {
        nLength: size_of::<SECURITY_ATTRIBUTES>() as u32,
        lpSecurityDescriptor: descriptor,
        bInheritHandle: 0,
    };
    // SAFETY: the path ends with a NUL, and the descriptor is there until it is freed after the call.
    let made = unsafe { CreateDirectoryW(path.as_ptr(), &raw const attributes) };
    let cause = io::Error::last_os_error();
    // SAFETY: the system made it for us, and nobody uses it any more.
    unsafe { LocalFree(descriptor) };
    if made == 0 { Err(cause) } else { Ok(()) }
}

/// A new file in it, which must not be there. Its rights are the folder's.
pub(crate) fn new_file(path: &Path) -> io::Result<File> {
    File::create_new(path)
}

/// Who may write to a folder that is there is not asked.
pub(super) fn whose(_folder: &Path, _found: &Metadata, _root: &Path) -> Result<(), &'static str> {
    Ok(())
}
