//! Giving a file that porter writes for people its name.

use crate::failure::Failure;
use crate::paths;
use porter_core::capture::trunk_around;
use std::fmt::Display;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Refuses beforehand the files that could not be written afterwards: nobody waits for an hour to learn it.
pub(crate) fn will_publish<'p>(paths: impl IntoIterator<Item = &'p PathBuf>) -> Result<(), Failure> {
    for path in paths.into_iter().filter(|path| path.as_os_str() != "-") {
        refuse_in_a_trunk(path)?;
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        // The name of a device must not become that of a file.
        if path.exists() && !path.is_file() {
            return Err(cannot_be_written(path, "something that is not a file has that name"));
        }
        if folder.is_some_and(|folder| !folder.is_dir()) {
            return Err(cannot_be_written(path, "its folder is not there"));
        }
    }
    Ok(())
}

/// Refuses to write other files into a trunk: there they would count as damage, or be lost with it.
pub(crate) fn refuse_in_a_trunk(path: &Path) -> Result<(), Failure> {
    match trunk_around(path) {
        None => Ok(()),
        Some(trunk) => Err(Failure::wrong_use(
            format!("`{}` lies in a trunk, `{}`", paths::shown(path), paths::shown(&trunk)),
            "Nothing was written. Name a folder that is in none: beside the trunk, for example.",
        )),
    }
}

fn cannot_be_written(path: &Path, why: impl Display) -> Failure {
    Failure::new(format!("`{}` cannot be written: {why}", paths::shown(path)), "Name another file.")
}

/// Writes aside and renames, so that no half-written file ever has its final name. If `path` is a link, its
/// target is written and the link stays.
pub(crate) fn publish(path: &Path, content: &[u8]) -> Result<(), Failure> {
    let path =
        &if path.is_symlink() { path.canonicalize().unwrap_or(path.to_owned()) } else { path.to_owned() };
    let mut aside = path.as_os_str().to_owned();
    aside.push(".part");
    let aside = PathBuf::from(aside);
    File::create(&aside)
        .and_then(|mut file| file.write_all(content).and_then(|()| file.sync_all()))
        .and_then(|()| std::fs::rename(&aside, path))
        .map_err(|cause| {
            let _ = std::fs::remove_file(&aside);
            cannot_be_written(path, cause)
        })
}
