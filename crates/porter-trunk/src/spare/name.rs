//! The names of spare data.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// How the names of spare data end, after that of their file.
pub(super) const ENDING: &str = ".spare";
/// The same while it is written.
pub(super) const OPEN_ENDING: &str = ".spare-part";
/// Those of a list that was not finished.
pub(super) const OF_OPEN_LIST: &str = ".part.spare";

/// True for the name of a file with spare data, and of one that was cut off while it was written.
pub(crate) fn is_spare(name: &str) -> bool {
    name.ends_with(ENDING) || name.ends_with(OPEN_ENDING)
}

/// The name of the file that spare data of this name is for.
pub(crate) fn name_of_what_it_is_for(name: &str) -> Option<&str> {
    name.strip_suffix(ENDING)
}

/// Where the spare data of a file is.
pub(crate) fn path_of(file: &Path) -> PathBuf {
    longer(file, ENDING)
}

pub(super) fn longer(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(ending);
    PathBuf::from(name)
}

/// Takes away what a run that was cut off has left of spare data.
pub(crate) fn remove_unfinished(folder: &Path) {
    for row in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = row.file_name();
        if [OPEN_ENDING, OF_OPEN_LIST].iter().any(|ending| name.to_string_lossy().ends_with(ending)) {
            // If it stays, it does no harm.
            let _ = fs::remove_file(row.path());
        }
    }
}

/// The files with spare data in a folder, and their names.
pub(super) fn spare_files(folder: &Path) -> io::Result<Vec<(PathBuf, String)>> {
    let mut files = Vec::new();
    for row in fs::read_dir(folder)? {
        let row = row?;
        if let Some(name) = row.file_name().to_str().filter(|name| name.ends_with(ENDING)) {
            files.push((row.path(), name.to_owned()));
        }
    }
    files.sort();
    Ok(files)
}
