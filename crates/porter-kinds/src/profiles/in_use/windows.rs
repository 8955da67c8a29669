//! Windows: a file that nobody else may open while the program runs.

use super::Use;
use std::fs::File;
use std::io::ErrorKind;
use std::path::Path;

/// `ERROR_SHARING_VIOLATION`.
const HELD: i32 = 32;

pub(super) fn held(path: &Path) -> Use {
    match File::open(path) {
        Ok(_) => Use::Free,
        Err(cause) if cause.raw_os_error() == Some(HELD) => Use::Held,
        Err(cause) if matches!(cause.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => Use::Free,
        Err(_) => Use::Unknown,
    }
}
