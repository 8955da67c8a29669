//! On Unix a name is bytes already.

use super::NameNotHeld;
use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::{OsStrExt, OsStringExt};

pub(super) fn name_from_host(name: &OsStr) -> Vec<u8> {
    name.as_bytes().to_vec()
}

pub(super) fn name_to_host(name: &[u8]) -> Result<OsString, NameNotHeld> {
    Ok(OsString::from_vec(name.to_vec()))
}
