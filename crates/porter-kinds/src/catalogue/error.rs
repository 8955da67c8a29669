//! Why a rule cannot be used.

/// The rules cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum CatalogueError {
    /// Not TOML, or not of the shape that rules have. The text names line and column.
    #[error("{0}")]
    Malformed(#[from] toml::de::Error),
    /// A rule that contradicts itself.
    #[error("line {line}: {what}")]
    Contradiction {
        /// Where in the file, from 1.
        line: usize,
        /// The mistake, in words.
        what: String,
    },
}
