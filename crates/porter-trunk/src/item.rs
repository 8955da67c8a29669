//! The items of a trunk.

use crate::Tally;
use serde::{Deserialize, Serialize};

/// One thing a person would name, as the trunk lists it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct TrunkItem {
    /// Such as `odile/folder/documents`.
    pub id: String,
    /// Such as `folder`.
    pub kind: String,
    /// The account it belongs to; none for the machine's own.
    pub account: Option<String>,
    /// In words, such as `Documents`.
    pub title: String,
    /// False when it was on the machine but was not to be captured.
    pub chosen: bool,
    /// What was on the machine.
    pub seen: Tally,
    /// What is in the trunk.
    pub captured: Tally,
    /// What is not. `seen = captured + left` always holds.
    pub left: Tally,
}
