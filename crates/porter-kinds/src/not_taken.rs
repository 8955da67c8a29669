//! Reasons for which something cannot be taken out of a trunk in a form.

use porter_formats::FormatError;
use std::io;

/// Why something cannot be taken in a form.
#[derive(Debug, thiserror::Error)]
pub enum NotTaken {
    /// The item has nothing of that form.
    #[error("`{0}` has nothing that is taken out in this form")]
    NotOfItem(String),
    /// The item's file is damaged or unsupported.
    #[error("{0}")]
    Format(#[from] FormatError),
    /// The files could not be read from the trunk, or the form could not be written.
    #[error("{0}")]
    Io(#[from] io::Error),
    /// The trunk could not be read.
    #[error(transparent)]
    Trunk(#[from] porter_trunk::TrunkError),
}
