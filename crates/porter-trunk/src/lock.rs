//! One porter at a time writes to a trunk, or to a machine.

use crate::TrunkError;
use crate::host::{self, create_new, open_plain_file_to_write};
use crate::packed_form::layout::LOCK;
use std::fs::{self, File, TryLockError};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};

/// Held as long as somebody writes; given back when it is dropped, or by the system when the program is
/// killed.
pub struct Lock {
    file: File,
    path: PathBuf,
}

impl Lock {
    /// The locks of all folders that a trunk lies in.
    pub(crate) fn take_all<'f>(folders: impl IntoIterator<Item = &'f Path>) -> Result<Vec<Self>, TrunkError> {
        folders.into_iter().map(Self::take).collect()
    }

    /// The system keeps the lock, so one that a killed program left behind blocks nobody. Where a file system
    /// knows no locks, as on some servers, the file alone has to do, and one left behind is recognised by its
    /// program being gone.
    pub fn take(folder: &Path) -> Result<Self, TrunkError> {
        let failed = |cause| TrunkError::io("locking", folder, cause);
        let held = |holder: &str| TrunkError::InUse {
            folder: folder.to_path_buf(),
            holder: holder.trim().to_owned(),
        };
        let path = folder.join(LOCK);
        let mut file = open(&path).map_err(|cause| TrunkError::io("locking", &path, cause))?;
        let mut holder = String::new();
        let _ = (&file).take(1000).read_to_string(&mut holder);
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Err(held(&holder)),
            Err(TryLockError::Error(cause)) if cause.kind() == io::ErrorKind::Unsupported => {
                if is_alive(&holder) {
                    return Err(held(&holder));
                }
            }
            Err(TryLockError::Error(cause)) => return Err(failed(cause)),
        }
        // Its holder removed the file in between: a lock on that would keep nobody out.
        if !host::is_named(&file, &path) {
            return Err(held(""));
        }
        let written = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| {
            file.write_all(format!("porter {} is at work here\n", std::process::id()).as_bytes())
        });
        // On a full stick the lock still holds.
        let _ = written;
        Ok(Self { file, path })
    }
}

/// Never through a link: what it leads to would be written over.
fn open(path: &Path) -> io::Result<File> {
    match open_plain_file_to_write(path) {
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => match create_new(path, false) {
            // Another one was quicker.
            Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => open_plain_file_to_write(path),
            made => made,
        },
        opened => opened,
    }
}

/// Only asked where the system knows no locks: of a program on another computer nothing is known, and it
/// counts as gone.
fn is_alive(holder: &str) -> bool {
    let number = holder.split_ascii_whitespace().nth(1).and_then(|word| word.parse::<u32>().ok());
    number.is_some_and(|number| {
        number != std::process::id() && Path::new("/proc").join(number.to_string()).exists()
    })
}

impl Drop for Lock {
    fn drop(&mut self) {
        let _ = fs::remove_file(&self.path);
        let _ = self.file.unlock();
    }
}
