//! Taking a restore back: files that landed are removed, files that were set aside get their names again, and
//! folders get back the times that they had. Files that a person has changed since stay as they are, and are
//! named.
//!
//! 1. [`records_in`](crate::journal::records_in): which restores there were, by their journals;
//! 2. a journal from its end to its beginning;
//! 3. [`take_back()`]: each of its steps, undone.
//!
//! An undo that was cut off is simply done again: each step looks at what is there.

mod standing;
mod take_back;

pub use standing::last_standing;
pub use take_back::{Kept, UndoGrounds, UndoReport, WhyKept, take_back};

use crate::journal::records::{NotTaken, RecordsRefused};
use std::io;
use std::path::PathBuf;

/// Why a restore was not taken back, or not all of it.
#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    /// The machine is not a folder of the running system, so nothing can be written to it.
    #[error("this machine can only be read")]
    ReadOnlyMachine,
    /// Nothing was restored there, or all of it was taken back.
    #[error("there is no restore to take back")]
    NothingToUndo,
    /// Made by an earlier porter, which wrote down too little.
    #[error("the journal `{}` says too little to be undone", .0.display())]
    TooEarly(PathBuf),
    /// Made by a later porter.
    #[error("the journal `{}` is of a version that this porter does not know", .0.display())]
    TooLate(PathBuf),
    /// The latest restore is not known.
    #[error("the journal `{}` of the latest restore cannot be read", .0.display())]
    Unreadable(PathBuf),
    /// The folder where porter keeps its records on the machine is not to be trusted.
    #[error(transparent)]
    Records(#[from] RecordsRefused),
    /// Another porter restores to the machine, or takes a restore back.
    #[error("another porter is at work on this machine")]
    MachineInUse {
        /// Its own description.
        holder: String,
    },
    /// The journal cannot be read, or that it was undone cannot be written.
    #[error("`{}`: {cause}", path.display())]
    Journal {
        /// Which file.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
    /// The volume takes nothing more.
    #[error("writing `{}`: {cause}", path.display())]
    Volume {
        /// The path that was to be changed.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
    /// Somebody asked to stop.
    #[error("stopped before it was done")]
    Cancelled,
}

impl From<NotTaken> for UndoError {
    fn from(not_taken: NotTaken) -> Self {
        match not_taken {
            NotTaken::Refused(refused) => Self::Records(refused),
            NotTaken::InUse(holder) => Self::MachineInUse { holder },
            NotTaken::Io(path, cause) => Self::Journal { path, cause },
        }
    }
}
