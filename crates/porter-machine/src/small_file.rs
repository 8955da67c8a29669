//! Reading a system's own small files whole.

use porter_names::RelativePath;
use porter_source::{Sequential, Volume};
use std::io::Read;

/// None of these files is larger on a real system.
const LARGEST_FILE_IN_BYTES: u64 = 128 << 20;

/// The content; none if it is not there, cannot be read, or is larger than any real one.
pub fn read(volume: &dyn Volume, path: &RelativePath) -> Option<Vec<u8>> {
    let mut content = Vec::new();
    let file = Sequential::new(volume.open(path).ok()?);
    let read = file.take(LARGEST_FILE_IN_BYTES + 1).read_to_end(&mut content).ok()?;
    (read as u64 <= LARGEST_FILE_IN_BYTES).then_some(content)
}

/// The same, by a path from our own tables.
pub fn read_at(volume: &dyn Volume, path: &str) -> Option<Vec<u8>> {
    read(volume, &RelativePath::from_bytes(path.as_bytes()).ok()?)
}
