//! Windows lists them in its registry, and takes a new one into the session that runs.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use crate::control::session;
use crate::library::{self, lazily, wide};
use std::io;
use std::path::PathBuf;
use winreg::RegKey;
use winreg::enums::{HKEY_LOCAL_MACHINE, KEY_QUERY_VALUE, KEY_SET_VALUE};

const KEY: &str = "SOFTWARE\\Microsoft\\Windows NT\\CurrentVersion\\Fonts";

lazily!("gdi32.dll" {
    fn AddFontResourceW(path: *const u16) -> i32;
    fn RemoveFontResourceW(path: *const u16) -> i32;
});

fn path_of(file: &str) -> io::Result<PathBuf> {
    let system = library::system_folder().ok_or(io::ErrorKind::NotFound)?;
    Ok(system.with_file_name("Fonts").join(file))
}

fn key(rights: u32) -> io::Result<RegKey> {
    RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey_with_flags(KEY, rights)
}

/// By its file, whatever its value is called.
pub(super) fn is_listed(file: &str) -> io::Result<bool> {
    let key = key(KEY_QUERY_VALUE)?;
    let names = key.enum_values().flatten().map(|(name, _)| name).collect::<Vec<_>>();
    let mut files = names.iter().filter_map(|name| key.get_value::<String, _>(name).ok());
    Ok(files.any(|known| known.eq_ignore_ascii_case(file)))
}

pub(super) fn list(file: &str, label: &str) -> io::Result<()> {
    let path = path_of(file)?;
    if !path.is_file() {
        return Err(io::Error::new(io::ErrorKind::NotFound, "its file did not land"));
    }
    let key = key(KEY_QUERY_VALUE | KEY_SET_VALUE)?;
    if key.get_raw_value(label).is_ok() {
        return Err(io::Error::new(io::ErrorKind::AlreadyExists, "another font has its name there"));
    }
    key.set_value(label, &file)?;
    // A session that does not take it finds it at the next sign-in.
    let path = wide(&path.to_string_lossy());
    // SAFETY: the path ends with a NUL.
    unsafe { AddFontResourceW(path.as_ptr()) };
    Ok(())
}

pub(super) fn remove(file: &str, label: &str) -> io::Result<()> {
    let key = key(KEY_QUERY_VALUE | KEY_SET_VALUE)?;
    let listed: String = key.get_value(label)?;
    if !listed.eq_ignore_ascii_case(file) {
        return Err(io::Error::other("another font has its name there by now"));
    }
    let path = wide(&path_of(file)?.to_string_lossy());
    // SAFETY: the path ends with a NUL. The system lets go of the file.
    unsafe { RemoveFontResourceW(path.as_ptr()) };
    key.delete_value(label)
}

pub(super) fn tell() {
    session::fonts_changed();
}
