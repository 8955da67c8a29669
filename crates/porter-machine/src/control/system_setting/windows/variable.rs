//! A variable of everybody's environment: a value in the registry.

use super::wrong;
use crate::setting::variables::may_be_set;
use std::io;
use winreg::enums::{HKEY_LOCAL_MACHINE, KEY_QUERY_VALUE, KEY_SET_VALUE, RegType};
use winreg::{RegKey, RegValue};

const KEY: &str = "SYSTEM\\CurrentControlSet\\Control\\Session Manager\\Environment";

fn open(rights: u32) -> io::Result<RegKey> {
    RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey_with_flags(KEY, rights)
}

/// Whatever a trunk or a journal says.
fn refuse_systems_own(name: &str) -> io::Result<()> {
    if may_be_set(name) { Ok(()) } else { Err(wrong(format!("{name} is not for us to set"))) }
}

pub(super) fn read(name: &str) -> io::Result<Option<String>> {
    match open(KEY_QUERY_VALUE)?.get_value::<String, _>(name) {
        Ok(value) => Ok(Some(value)),
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(cause) => Err(cause),
    }
}

pub(super) fn set(name: &str, value: &str) -> io::Result<()> {
    refuse_systems_own(name)?;
    let vtype = if value.contains('%') { RegType::REG_EXPAND_SZ } else { RegType::REG_SZ };
    let bytes: Vec<u8> = value.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
    open(KEY_SET_VALUE)?.set_raw_value(name, &RegValue { bytes: bytes.into(), vtype })
}

pub(super) fn remove(name: &str) -> io::Result<()> {
    refuse_systems_own(name)?;
    open(KEY_SET_VALUE)?.delete_value(name)
}
