//! Windows: a file that nobody else may open while the browser runs.

use std::fs::File;
use std::path::Path;

/// `ERROR_SHARING_VIOLATION`.
const HELD: i32 = 32;

pub(super) fn is_held(path: &Path) -> bool {
    File::open(path).is_err_and(|cause| cause.raw_os_error() == Some(HELD))
}
