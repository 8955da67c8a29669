//! The folder for porter's records on a machine. An undo obeys what is in it, so it is for those who look
//! after the machine alone: one that somebody else owns, or may write to, is not used.

#[cfg(unix)]
#[path = "records/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "records/windows.rs"]
mod system;

pub(crate) use system::new_file;

use crate::host;
use porter_trunk::{Lock, TrunkError};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// Why the records folder of a machine is not used.
#[derive(Debug, thiserror::Error)]
#[error("the folder for porter's records, `{}`, is not to be trusted: {why}", folder.display())]
pub struct RecordsRefused {
    /// The folder.
    pub folder: PathBuf,
    /// In words.
    pub why: &'static str,
}

/// The records of a machine, as long as somebody restores to it or takes a restore back: one porter at a
/// time.
pub(crate) struct Records {
    _lock: Lock,
}

/// Why they are not to be had.
pub(crate) enum NotTaken {
    Refused(RecordsRefused),
    InUse(String),
    Io(PathBuf, io::Error),
}

impl Records {
    /// Makes the folder if it is not there, and locks the machine. `root` is the machine's.
    pub(crate) fn take(folder: &Path, root: &Path) -> Result<Self, NotTaken> {
        if !folder.is_dir() {
            make(folder, root)?;
        }
        refuse_strangers(folder, root).map_err(NotTaken::Refused)?;
        match Lock::take(folder) {
            Ok(lock) => Ok(Self { _lock: lock }),
            Err(TrunkError::InUse { holder, .. }) => Err(NotTaken::InUse(holder)),
            Err(TrunkError::Io { path, cause, .. }) => Err(NotTaken::Io(path, cause)),
            Err(other) => Err(NotTaken::Io(folder.to_path_buf(), io::Error::other(other.to_string()))),
        }
    }
}

/// Fails for a folder that a stranger may have put there, or may write to. A missing folder passes.
pub fn refuse_strangers(folder: &Path, root: &Path) -> Result<(), RecordsRefused> {
    refuse_links(folder, root)?;
    match fs::symlink_metadata(folder) {
        Ok(found) if found.is_dir() => system::whose(folder, &found, root)
            .map_err(|why| RecordsRefused { folder: folder.to_path_buf(), why }),
        Ok(_) => Err(RecordsRefused { folder: folder.to_path_buf(), why: "it is not a folder" }),
        Err(_) => Ok(()),
    }
}

/// Through a link, a machine's drive could have us write anywhere on the one that it is mounted on.
fn refuse_links(folder: &Path, root: &Path) -> Result<(), RecordsRefused> {
    let below = folder.ancestors().take_while(|above| above.starts_with(root) && *above != root);
    if below.into_iter().any(Path::is_symlink) {
        return Err(RecordsRefused { folder: folder.to_path_buf(), why: "a link leads there" });
    }
    Ok(())
}

/// Leaves the time of the folder above as it was: porter's own records change nothing of a person's.
fn make(folder: &Path, root: &Path) -> Result<(), NotTaken> {
    refuse_links(folder, root).map_err(NotTaken::Refused)?;
    let failed = |cause| NotTaken::Io(folder.to_path_buf(), cause);
    let above = folder.parent().unwrap_or(folder);
    let was = fs::metadata(above).and_then(|found| found.modified()).ok();
    fs::create_dir_all(above).map_err(failed)?;
    match system::make_folder(folder) {
        // Another porter was quicker.
        Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => {}
        made => made.map_err(failed)?,
    }
    if let Some(was) = was {
        // That it fails harms nothing.
        let _ = host::set_folder_time(above, was);
    }
    Ok(())
}
