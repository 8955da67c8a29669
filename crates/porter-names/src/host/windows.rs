//! On Windows a name is UTF-16 that may be ill-formed; we keep it as WTF-8.
//! WTF-8 is described at <https://wtf-8.codeberg.page/>.

use super::NameNotHeld;
use std::ffi::{OsStr, OsString};
use std::os::windows::ffi::{OsStrExt, OsStringExt};

pub(super) fn name_from_host(name: &OsStr) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(name.len());
    for unit in char::decode_utf16(name.encode_wide()) {
        match unit {
            Ok(c) => bytes.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
            Err(lone) => {
                let unit = lone.unpaired_surrogate();
                bytes.push(0xe0 | (unit >> 12) as u8);
                bytes.push(0x80 | ((unit >> 6) & 0x3f) as u8);
                bytes.push(0x80 | (unit & 0x3f) as u8);
            }
        }
    }
    bytes
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
