//! The named streams of a file or folder.

use crate::NamedStream;
use crate::metadata::LARGEST_STREAM_IN_BYTES;
use std::ffi::OsString;
use std::io;
use std::os::windows::ffi::{OsStrExt, OsStringExt};
use std::path::Path;
use windows_sys::Win32::Foundation::{
    ERROR_CALL_NOT_IMPLEMENTED, ERROR_HANDLE_EOF, ERROR_INVALID_PARAMETER, ERROR_NOT_SUPPORTED, HANDLE,
    INVALID_HANDLE_VALUE,
};
use windows_sys::Win32::Storage::FileSystem::{
    FindClose, FindFirstStreamW, FindNextStreamW, FindStreamInfoStandard, WIN32_FIND_STREAM_DATA,
};

/// The streams that could be read, in the order of their names, and the names of those that could not.
pub(super) fn of(path: &Path) -> io::Result<(Vec<NamedStream>, Vec<String>)> {
    let (mut streams, mut unreadable) = (Vec::new(), Vec::new());
    for (name, size_in_bytes) in listed(path)? {
        let mut with_stream = path.as_os_str().to_owned();
        with_stream.push(":");
        with_stream.push(&name);
        // A name that is not Unicode has no place in the trunk's list.
        let content =
            if size_in_bytes <= LARGEST_STREAM_IN_BYTES { std::fs::read(with_stream).ok() } else { None };
        match (name.into_string(), content) {
            (Ok(name), Some(content)) => streams.push(NamedStream { name, content }),
            (Ok(name), None) => unreadable.push(name),
            (Err(name), _) => unreadable.push(name.to_string_lossy().into_owned()),
        }
    }
    streams.sort_by(|a, b| a.name.cmp(&b.name));
    Ok((streams, unreadable))
}

/// Name and length of each stream beside the content.
#[allow(unsafe_code, reason = "calls of the system's interface")]
fn listed(path: &Path) -> io::Result<Vec<(OsString, u64)>> {
    let wide: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    let mut row = WIN32_FIND_STREAM_DATA::default();
    let mut rows = Vec::new();
    // SAFETY: the path ends with a NUL, and `row` is of the kind that is asked for.
    let search = unsafe { FindFirstStreamW(wide.as_ptr(), FindStreamInfoStandard, (&raw mut row).cast(), 0) };
    if search == INVALID_HANDLE_VALUE {
        return end_of_list().map(|()| rows);
    }
    let search = Search(search);
    loop {
        let length = row.cStreamName.iter().position(|unit| *unit == 0).unwrap_or(row.cStreamName.len());
        if let Some(name) = name_in(&row.cStreamName[..length]) {
            rows.push((name, u64::try_from(row.StreamSize).unwrap_or(u64::MAX)));
        }
        // SAFETY: the search is open, and `row` is of the kind that was asked for.
        if unsafe { FindNextStreamW(search.0, (&raw mut row).cast()) } == 0 {
            return end_of_list().map(|()| rows);
        }
    }
}

/// `:name:$DATA`; none for the content itself, `::$DATA`, and for streams of other types.
fn name_in(full: &[u16]) -> Option<OsString> {
    let kind: Vec<u16> = ":$DATA".encode_utf16().collect();
    let name = full.strip_prefix(&[u16::from(b':')])?.strip_suffix(kind.as_slice())?;
    (!name.is_empty()).then(|| OsString::from_wide(name))
}

/// The last error: no further streams, or a file system that has none.
fn end_of_list() -> io::Result<()> {
    let cause = io::Error::last_os_error();
    match cause.raw_os_error().and_then(|code| u32::try_from(code).ok()) {
        Some(
            ERROR_HANDLE_EOF | ERROR_INVALID_PARAMETER | ERROR_NOT_SUPPORTED | ERROR_CALL_NOT_IMPLEMENTED,
        ) => Ok(()),
        _ => Err(cause),
    }
}

struct Search(HANDLE);

impl Drop for Search {
    #[allow(unsafe_code, reason = "a call of the system's interface")]
    fn drop(&mut self) {
        // SAFETY: the search was opened and is closed once.
        unsafe { FindClose(self.0) };
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_named_data_is_a_stream() {
        let name = |full: &str| name_in(&full.encode_utf16().collect::<Vec<_>>());
        assert_eq!(name(":Zone.Identifier:$DATA"), Some("Zone.Identifier".into()));
        assert_eq!(name("::$DATA"), None);
        assert_eq!(name(":$I30:$INDEX_ALLOCATION"), None);
    }
}
