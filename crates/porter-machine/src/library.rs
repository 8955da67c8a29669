//! Libraries of Windows that are loaded when they are needed first: a program that is bound to windows and
//! printers starts slower, and not at all where one of them is missing.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use std::ffi::{CString, OsString, c_void};
use std::io;
use std::os::windows::ffi::{OsStrExt, OsStringExt};
use std::path::PathBuf;
use windows_sys::Win32::Foundation::HMODULE;
use windows_sys::Win32::System::LibraryLoader::{GetProcAddress, LoadLibraryW};
use windows_sys::Win32::System::SystemInformation::GetSystemDirectoryW;

/// The address of a function in a library of the system's own folder; none if either is not there. The
/// library stays loaded.
pub fn function(library: &str, name: &str) -> Option<*const c_void> {
    let name = CString::new(name).ok()?;
    // By its full path: a library of that name elsewhere is not the system's.
    let path = system_folder()?.join(library);
    let path: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    // SAFETY: the path and the name end with a NUL.
    unsafe {
        let module: HMODULE = LoadLibraryW(path.as_ptr());
        if module.is_null() {
            return None;
        }
        GetProcAddress(module, name.as_ptr().cast()).map(|found| found as *const c_void)
    }
}

/// The folder of the system's own programs and libraries, whatever a variable says; none if the system does
/// not tell.
pub fn system_folder() -> Option<PathBuf> {
    let mut folder = [0_u16; 512];
    // SAFETY: the buffer is as long as is said.
    let length = unsafe { GetSystemDirectoryW(folder.as_mut_ptr(), folder.len() as u32) } as usize;
    let folder = folder.get(..length).filter(|folder| !folder.is_empty())?;
    Some(PathBuf::from(OsString::from_wide(folder)))
}

/// A text as the system's interface takes it, with a NUL at its end.
pub fn wide(text: &str) -> Vec<u16> {
    text.encode_utf16().chain([0]).collect()
}

/// True if Wine stands in for Windows: it ends a program at some calls that it does not have, and keeps no
/// accounts.
pub fn is_wine() -> bool {
    function("ntdll.dll", "wine_get_version").is_some()
}

/// The result of a call that gives an error's number, or is not there; `doing` is its name.
pub fn done(doing: &str, code: Option<u32>) -> io::Result<()> {
    match code {
        Some(0) => Ok(()),
        Some(code) => {
            let cause = io::Error::from_raw_os_error(code.cast_signed());
            Err(io::Error::new(cause.kind(), format!("{doing}: {cause}")))
        }
        None => {
            Err(io::Error::new(io::ErrorKind::Unsupported, format!("this Windows does not have {doing}")))
        }
    }
}

/// Defines functions of a library that are looked for when they are called. Each gives what the function
/// gives, or none if it is not there.
macro_rules! lazily {
    ($library:literal { $(fn $name:ident($($argument:ident: $kind:ty),* $(,)?) -> $gives:ty;)* }) => {
        $(
            #[allow(
                unsafe_code,
                non_snake_case,
                clippy::too_many_arguments,
                reason = "a call of the system's interface, named as Windows names it"
            )]
            unsafe fn $name($($argument: $kind),*) -> Option<$gives> {
                type Function = unsafe extern "system" fn($($kind),*) -> $gives;
                let found = crate::library::function($library, stringify!($name))?;
                // SAFETY: the type is the one in Windows' header.
                let function = unsafe { std::mem::transmute::<*const std::ffi::c_void, Function>(found) };
                // SAFETY: as the caller promises.
                Some(unsafe { function($($argument),*) })
            }
        )*
    };
}

pub(crate) use lazily;
