//! Errors of a file.

/// Why something could not be understood.
#[derive(Debug, thiserror::Error)]
pub enum FormatError {
    /// It is not what it should be.
    #[error("{what}: {detail}")]
    Damaged {
        /// The format.
        what: &'static str,
        /// The expected and the found bytes, in words.
        detail: String,
    },
    /// A version of the format that is not known here.
    #[error("{what} of version {version} is not known")]
    Unsupported {
        /// The format.
        what: &'static str,
        /// The version found.
        version: String,
    },
    /// SQLite could not read it.
    #[error("{0}")]
    Database(#[from] rusqlite::Error),
}

impl FormatError {
    pub(crate) fn damaged(what: &'static str, detail: impl ToString) -> Self {
        Self::Damaged { what, detail: detail.to_string() }
    }
}
