//! On Unix a name is bytes already.

use super::NameNotHeld;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

pub(super) fn name_from_host(name: &OsStr) -> Vec<u8> {
    name.as_bytes().to_vec()
}

#[expect(clippy::unnecessary_wraps, reason = "not so on Windows")]
pub(super) fn name_to_host(name: &[u8]) -> Result<&OsStr, NameNotHeld> {
    Ok(OsStr::from_bytes(name))
}
