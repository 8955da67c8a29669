//! A part of a trunk, as its list names it.

use crate::ContentHash;
use serde::{Deserialize, Serialize};

/// A part of the trunk, with the BLAKE3 of its label.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct PartRow {
    pub(crate) part: u32,
    pub(crate) label: ContentHash,
}
