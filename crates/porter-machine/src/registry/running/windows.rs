//! The registry of a person who is signed in, on the running Windows: below `HKEY_USERS`, under the person's
//! SID.

use porter_trunk::RegistryValue;
use std::io;
use winreg::RegKey;
use winreg::enums::{HKEY_USERS, KEY_QUERY_VALUE, KEY_SET_VALUE, RegType};

/// True if the system has it open.
pub fn is_loaded(sid: &str) -> bool {
    open(sid).is_some()
}

/// The key that holds all of the person's.
pub fn open(sid: &str) -> Option<RegKey> {
    RegKey::predef(HKEY_USERS).open_subkey(sid).ok()
}

fn root(sid: &str) -> io::Result<RegKey> {
    RegKey::predef(HKEY_USERS).open_subkey(sid)
}

/// Makes a key, and those above it.
pub fn make_key(sid: &str, key: &str) -> io::Result<()> {
    root(sid)?.create_subkey(key).map(drop)
}

/// Removes a key with nothing in it; fails with `DirectoryNotEmpty` if there is something.
pub fn remove_key(sid: &str, key: &str) -> io::Result<()> {
    let root = root(sid)?;
    let found = root.open_subkey(key)?;
    let is_empty = found.enum_keys().next().is_none() && found.enum_values().next().is_none();
    if !is_empty {
        return Err(io::ErrorKind::DirectoryNotEmpty.into());
    }
    root.delete_subkey(key)
}

/// Sets a value of a key that is there.
pub fn set(sid: &str, key: &str, value: &RegistryValue) -> io::Result<()> {
    let kind = kind_of(value.kind).ok_or_else(|| {
        io::Error::new(io::ErrorKind::InvalidInput, format!("a value of type {}", value.kind))
    })?;
    let key = root(sid)?.open_subkey_with_flags(key, KEY_SET_VALUE)?;
    key.set_raw_value(&value.name, &winreg::RegValue { bytes: value.data.as_slice().into(), vtype: kind })
}

/// Takes a value away.
pub fn remove_value(sid: &str, key: &str, name: &str) -> io::Result<()> {
    root(sid)?.open_subkey_with_flags(key, KEY_SET_VALUE | KEY_QUERY_VALUE)?.delete_value(name)
}

/// The kinds that the system's interface can be asked for.
fn kind_of(number: u32) -> Option<RegType> {
    use RegType::*;
    const ALL: [RegType; 12] = [
        REG_NONE,
        REG_SZ,
        REG_EXPAND_SZ,
        REG_BINARY,
        REG_DWORD,
        REG_DWORD_BIG_ENDIAN,
        REG_LINK,
        REG_MULTI_SZ,
        REG_RESOURCE_LIST,
        REG_FULL_RESOURCE_DESCRIPTOR,
        REG_RESOURCE_REQUIREMENTS_LIST,
        REG_QWORD,
    ];
    ALL.get(number as usize).cloned()
}
