//! Errors of a trunk.

use crate::sealing::NotOpened;
use porter_names::screen::on_screen;
use std::io;
use std::path::PathBuf;

/// The trunk as a whole cannot be written or used.
#[derive(Debug, thiserror::Error)]
pub enum TrunkError {
    /// The folder holds files that are not a trunk's.
    #[error("`{}` holds something else already", .0.display())]
    HoldsSomethingElse(PathBuf),
    /// The folder holds a finished trunk.
    #[error("`{}` holds a finished trunk already", .0.display())]
    HoldsTrunk(PathBuf),
    /// The folder holds a trunk whose capture was cut off.
    #[error("`{}` holds a trunk whose capture was not finished", .0.display())]
    Unfinished(PathBuf),
    /// The folder is not a trunk.
    #[error("`{}` is not a trunk: {missing} is not there", folder.display())]
    NotATrunk {
        /// The folder that was looked at.
        folder: PathBuf,
        /// The first thing that every trunk has and this folder has not.
        missing: String,
    },
    /// Made by a later porter, or by another program.
    #[error("`{}` cannot be read by this porter: {reason}", folder.display())]
    Unsupported {
        /// The trunk.
        folder: PathBuf,
        /// The unsupported feature.
        reason: String,
    },
    /// A part of it that nothing can do without is not as it was written.
    #[error("the trunk is damaged: {0}")]
    Damaged(Damage),
    /// Another porter is writing to it.
    #[error("another porter is writing to `{}`", folder.display())]
    InUse {
        /// The trunk.
        folder: PathBuf,
        /// Its own description.
        holder: String,
    },
    /// The volume can neither clone files nor give them a second name, or it is another one than the files
    /// are on.
    #[error("nothing can be parked in `{}`", .0.display())]
    CannotPark(PathBuf),
    /// It holds what was captured from another machine.
    #[error("`{}` holds a trunk of another machine, {machine}", folder.display())]
    OtherMachine {
        /// The trunk.
        folder: PathBuf,
        /// Whose it is.
        machine: String,
    },
    /// It is sealed, and no key was given.
    #[error("`{}` is sealed", .0.display())]
    Sealed(PathBuf),
    /// The key that was given does not open it.
    #[error("`{}`: {cause}", folder.display())]
    NotOpened {
        /// The trunk.
        folder: PathBuf,
        /// Why.
        cause: NotOpened,
    },
    /// A part of a trunk that lies in several folders was not named.
    #[error("part {part} of trunk {} is not here", trunk_id.short())]
    PartMissing {
        /// Which part.
        part: u32,
        /// The trunk that it belongs to.
        trunk_id: crate::TrunkId,
    },
    /// Nothing more fits on the trunk's volume.
    #[error("the trunk's volume is full")]
    Full,
    /// Some other failure of the trunk's volume.
    #[error("{doing} `{}`: {cause}", path.display())]
    Io {
        /// The attempted step.
        doing: &'static str,
        /// On which file.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
}

/// One damaged place in a trunk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Damage {
    /// The content is not what was written.
    ContentChanged(String),
    /// A file of the trunk is gone.
    FileMissing(String),
    /// A file is there that no list of the trunk names.
    FileNotListed(String),
    /// A link, folder or device stands where a file of the trunk should.
    NotAPlainFile(String),
    /// The drive could not read a file of the trunk.
    FileUnreadable(String, String),
    /// A file of another trunk, or of another place in this one, stands where a file of the trunk should.
    Misplaced(String),
    /// A line of a list cannot be understood.
    BadLine {
        /// The list.
        file: String,
        /// Counted from 1.
        line: u64,
        /// The problem.
        problem: String,
    },
    /// The trunk's two lists disagree about a file.
    ListsDisagree(String),
    /// It holds more than its list names: a later capture was cut off, or its list was lost.
    HoldsMore,
    /// Its label names a later capture than is there.
    CapturesMissing {
        /// The number of the latest capture that the label names.
        said: u32,
        /// The number of the latest that is there.
        there: u32,
    },
    /// This file of it is of a later version than this porter knows: nothing can be said of it.
    SpareTooLate(String),
    /// It was made with recovery data, and this file of it is gone.
    SpareMissing(String),
}

impl Damage {
    /// Why a file of the trunk, called `file` for people, cannot be opened or read to its end.
    pub(crate) fn of_reading(cause: &io::Error, file: &str) -> Self {
        let file = file.to_owned();
        match cause.kind() {
            io::ErrorKind::NotFound => Self::FileMissing(file),
            // This kind comes from our own code that opens files of a trunk.
            io::ErrorKind::InvalidInput => Self::NotAPlainFile(file),
            io::ErrorKind::UnexpectedEof => Self::ContentChanged(file),
            // This kind comes from our own code that opens recovery data.
            io::ErrorKind::Unsupported => Self::SpareTooLate(file),
            _ => Self::FileUnreadable(file, cause.to_string()),
        }
    }

    /// The file that is concerned.
    pub fn file(&self) -> &str {
        match self {
            Self::ContentChanged(file)
            | Self::FileMissing(file)
            | Self::FileNotListed(file)
            | Self::NotAPlainFile(file)
            | Self::FileUnreadable(file, _)
            | Self::Misplaced(file)
            | Self::BadLine { file, .. }
            | Self::SpareTooLate(file)
            | Self::SpareMissing(file)
            | Self::ListsDisagree(file) => file,
            Self::HoldsMore | Self::CapturesMissing { .. } => "",
        }
    }
}

impl std::fmt::Display for Damage {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let shown = |name: &str| on_screen(name.as_bytes());
        match self {
            Self::ContentChanged(file) => write!(f, "`{}` is not what was written", shown(file)),
            Self::FileMissing(file) => write!(f, "`{}` is missing", shown(file)),
            Self::FileNotListed(file) => write!(f, "`{}` is in no list of the trunk", shown(file)),
            Self::NotAPlainFile(file) => write!(f, "`{}` is not a plain file", shown(file)),
            Self::FileUnreadable(file, cause) => write!(f, "`{}` cannot be read: {cause}", shown(file)),
            Self::Misplaced(file) => {
                write!(f, "`{}` is another file of a trunk than it should be", shown(file))
            }
            Self::BadLine { file, line, problem } => {
                write!(f, "line {line} of `{}`: {}", shown(file), shown(problem))
            }
            Self::HoldsMore => f.write_str(
                "it holds more than its list tells of: a later capture was cut off, or its list is lost, or in another part",
            ),
            Self::CapturesMissing { said, there } => {
                write!(f, "its label tells of {said} captures, and the latest that is there is the {}", ordinal(*there))
            }
            Self::SpareTooLate(file) => {
                write!(f, "the recovery data `{}` is of a later version than this porter knows", shown(file))
            }
            Self::SpareMissing(file) => write!(f, "the recovery data `{}` is not there", shown(file)),
            Self::ListsDisagree(file) => write!(f, "the lists disagree about `{}`", shown(file)),
        }
    }
}

fn ordinal(number: u32) -> String {
    let end = match (number % 100, number % 10) {
        (11..=13, _) => "th",
        (_, 1) => "st",
        (_, 2) => "nd",
        (_, 3) => "rd",
        _ => "th",
    };
    format!("{number}{end}")
}

impl std::error::Error for Damage {}

impl TrunkError {
    pub(crate) fn io(doing: &'static str, path: &std::path::Path, cause: io::Error) -> Self {
        match cause.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Self::Full,
            // This kind without a number comes from our own code that opens files of a trunk. The system's
            // errors have a number.
            io::ErrorKind::InvalidInput if cause.raw_os_error().is_none() => {
                let name = path.file_name().map(|name| name.to_string_lossy().into_owned());
                Self::Damaged(Damage::NotAPlainFile(name.unwrap_or_default()))
            }
            _ => Self::Io { doing, path: path.to_path_buf(), cause },
        }
    }
}

/// Why one file's content did not get into the trunk.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The old machine could not give it: only this file is lost to the trunk.
    #[error("reading it failed: {0}")]
    Source(io::Error),
    /// The trunk's file system cannot hold a file of this size: only this file is lost to the trunk.
    #[error("it is too large for the trunk's file system")]
    TooLarge,
    /// The trunk cannot be written any more: the capture ends.
    #[error(transparent)]
    Trunk(#[from] TrunkError),
}
