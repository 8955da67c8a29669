//! Troubles of porter's own readers of drives and images: no number of the system's identifies them.

use std::io;

/// Why a stretch of a volume could not be read. As an [`io::Error`] it keeps its class.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum OwnTrouble {
    /// The records of the file system or the image contradict themselves here. The rest of the file may be
    /// readable.
    #[error("{0}")]
    Damaged(&'static str),
    /// It was not read when the image was made: what the image has there are not the drive's bytes.
    #[error("the image lacks it: it could not be read when the image was made")]
    NotInImage,
    /// The drive could not read it several times, and is not asked again.
    #[error("the drive could not read it, several times")]
    GivenUp,
}

impl OwnTrouble {
    /// The trouble that an error was made of; none for the system's own errors.
    pub(crate) fn of(cause: &io::Error) -> Option<Self> {
        cause.get_ref()?.downcast_ref().copied()
    }
}

impl From<OwnTrouble> for io::Error {
    fn from(trouble: OwnTrouble) -> Self {
        Self::other(trouble)
    }
}
