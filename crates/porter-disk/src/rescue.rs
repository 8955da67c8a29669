//! Reading a drive that fails: what was read is noted and may be kept, and what cannot be read is not asked
//! for without end.

pub mod map_file;
mod noted;

pub use noted::{Noted, NotedError, map_beside};

use std::path::{Path, PathBuf};

/// The map that imaging programs leave beside an image: `disk.img.map`, `disk.map`, `disk.mapfile`,
/// `disk.log`.
pub fn map_of_image(image: &Path) -> Option<PathBuf> {
    let others = ["map", "mapfile", "log"].map(|ending| image.with_extension(ending));
    let begins_as_one = |path: &PathBuf| {
        let mut beginning = [0; 64];
        let read =
            std::fs::File::open(path).and_then(|mut file| std::io::Read::read(&mut file, &mut beginning));
        let text = String::from_utf8_lossy(&beginning[..read.unwrap_or_default()]).into_owned();
        text.starts_with("# Mapfile.") || text.starts_with("# Rescue Logfile.")
    };
    std::iter::once(map_beside(image)).chain(others).filter(|path| path != image).find(begins_as_one)
}
