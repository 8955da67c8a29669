//! On Windows a name is UTF-16 that may be ill-formed; we keep it as WTF-8.

use super::NameNotHeld;
use crate::wtf8;
use std::ffi::{OsStr, OsString};
use std::os::windows::ffi::{OsStrExt, OsStringExt};

pub(super) fn name_from_host(name: &OsStr) -> Vec<u8> {
    wtf8::from_utf16(name.encode_wide())
}

/// Refuses names that Windows would read as several steps, a drive or a stream.
pub(super) fn name_to_host(name: &[u8]) -> Result<OsString, NameNotHeld> {
    let not_held = || NameNotHeld { name: name.to_vec() };
    if name.iter().any(|b| matches!(b, b'\\' | b'/' | b':')) {
        return Err(not_held());
    }
    let mut units: Vec<u16> = Vec::with_capacity(name.len());
    let mut rest = name;
    while !rest.is_empty() {
        if let [0xed, b @ 0xa0..=0xbf, c @ 0x80..=0xbf, tail @ ..] = rest {
            units.push(0xd000 | (u16::from(b & 0x3f) << 6) | u16::from(c & 0x3f));
            rest = tail;
            continue;
        }
        let valid = rest.utf8_chunks().next().map_or("", |chunk| chunk.valid());
        if valid.is_empty() {
            return Err(not_held());
        }
        units.extend(valid.encode_utf16());
        rest = &rest[valid.len()..];
    }
    Ok(OsString::from_wide(&units))
}
