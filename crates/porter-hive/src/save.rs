//! Giving a hive its name on the disk.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

/// Writes `bytes` beside `path`, flushes them, and then gives them the name. What had it before is first renamed to
/// `set_aside`; nothing is replaced and nothing deleted.
///
/// Fails with `AlreadyExists` if `set_aside` is taken. If the power goes at any moment, one of the two names holds a whole hive.
pub fn replace(path: &Path, bytes: &[u8], set_aside: &Path) -> io::Result<()> {
    let taken =
        |path: &Path| io::Error::new(io::ErrorKind::AlreadyExists, format!("`{}` is there", path.display()));
    if fs::symlink_metadata(set_aside).is_ok() {
        return Err(taken(set_aside));
    }
    let mut name = path.file_name().unwrap_or_default().to_owned();
    name.push(format!(".porter-{}.part", std::process::id()));
    let part = path.with_file_name(name);
    let mut file = File::create_new(&part)?;
    let renamed = file
        .write_all(bytes)
        .and_then(|()| file.sync_all())
        .and_then(|()| match fs::rename(path, set_aside) {
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => Ok(false),
            done => done.map(|()| true),
        })
        .and_then(|was_there| {
            fs::rename(&part, path).inspect_err(|_| {
                if was_there {
                    // Nothing came, so what was there gets its name back.
                    let _ = fs::rename(set_aside, path);
                }
            })
        });
    if renamed.is_err() {
        let _ = fs::remove_file(&part);
    }
    renamed
}
