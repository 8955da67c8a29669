//! Giving a file that porter writes for people its name.

use crate::failure::Failure;
use crate::paths;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Written aside and renamed, so that nothing half-written ever has the name of a whole file.
pub(crate) fn publish(path: &Path, content: &[u8]) -> Result<(), Failure> {
    let mut aside = path.as_os_str().to_owned();
    aside.push(".part");
    let aside = PathBuf::from(aside);
    File::create(&aside)
        .and_then(|mut file| file.write_all(content).and_then(|()| file.sync_all()))
        .and_then(|()| std::fs::rename(&aside, path))
        .map_err(|cause| {
            let _ = std::fs::remove_file(&aside);
            Failure::new(format!("`{}` cannot be written: {cause}", paths::shown(path)), "Name another file.")
        })
}
