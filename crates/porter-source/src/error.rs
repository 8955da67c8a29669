//! Errors of reading a machine.

use crate::system_trouble::{SystemTrouble, trouble_by_system_code};
use crate::{OwnTrouble, Shut};
use porter_names::RelativePath;
use std::io;

/// One thing on a volume could not be read. It never ends a run: the thing is named, and the run goes on.
#[derive(Debug, thiserror::Error)]
#[error("`{path}`: {trouble}")]
pub struct ReadError {
    /// The path that was to be read, below the volume's root.
    pub path: RelativePath,
    /// Why it could not be.
    pub trouble: ReadTrouble,
}

/// Why something could not be read, in classes that call for different next steps.
#[derive(Debug, thiserror::Error)]
pub enum ReadTrouble {
    /// The system forbids it to the person who runs us.
    #[error("permission denied")]
    PermissionDenied,
    /// It was there a moment ago, or its link leads nowhere.
    #[error("it is no longer there")]
    Gone,
    /// A program holds it open and lets nobody else in.
    #[error("a program holds it open")]
    InUse,
    /// The medium failed: a bad sector, a loose cable.
    #[error("the drive could not read it ({0})")]
    Medium(io::Error),
    /// The whole drive is gone: unplugged, or its driver ended.
    #[error("the drive is gone ({0})")]
    DriveGone(io::Error),
    /// This system cannot ask for such a name.
    #[error("this system cannot hold its name")]
    NameNotHeld,
    /// A link stands where a file or folder was listed. Links are recorded, never followed.
    #[error("a link stands there, and links are not followed")]
    IsLink,
    /// Another volume is mounted there, perhaps across a network.
    #[error("another volume is mounted there")]
    OtherVolume,
    /// Its content is only in a cloud.
    #[error("its content is only in the cloud")]
    CloudOnly,
    /// The driver that shows us the volume cannot get at it.
    #[error("the driver that shows this volume cannot read it")]
    Shut(Shut),
    /// Anything else, in the system's own words.
    #[error("{0}")]
    Other(io::Error),
}

impl ReadError {
    /// Sorts the system's error into a class.
    pub fn new(path: &RelativePath, cause: io::Error) -> Self {
        Self { path: path.clone(), trouble: ReadTrouble::from(cause) }
    }
}

impl From<io::Error> for ReadTrouble {
    fn from(cause: io::Error) -> Self {
        match OwnTrouble::of(&cause) {
            Some(OwnTrouble::NotInImage | OwnTrouble::GivenUp) => return Self::Medium(cause),
            Some(OwnTrouble::Damaged(_)) => return Self::Other(cause),
            None => {}
        }
        match cause.kind() {
            io::ErrorKind::PermissionDenied => Self::PermissionDenied,
            io::ErrorKind::NotFound => Self::Gone,
            _ => match trouble_by_system_code(&cause) {
                Some(SystemTrouble::Medium) => Self::Medium(cause),
                Some(SystemTrouble::DriveGone) => Self::DriveGone(cause),
                Some(SystemTrouble::InUse) => Self::InUse,
                Some(SystemTrouble::IsLink) => Self::IsLink,
                Some(SystemTrouble::CloudOnly) => Self::CloudOnly,
                None => Self::Other(cause),
            },
        }
    }
}
