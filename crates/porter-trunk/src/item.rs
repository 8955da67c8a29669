//! The items of a trunk.

use crate::{RegistryKey, Tally};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

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
    /// The files that were on the machine.
    pub seen: Tally,
    /// The files in the trunk.
    pub captured: Tally,
    /// The files that are not. `seen = captured + left` always holds.
    pub left: Tally,
    /// The carry rule that it was found by.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<String>,
    /// Where its files were: what finds the same data on another system.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<TrunkPart>,
    /// Its facts beside files: a setting's values.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub facts: BTreeMap<String, String>,
    /// Its keys in the owner's registry.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub registry: Vec<RegistryKey>,
    /// Without a file that fits one of these patterns it is not whole.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub needs: Vec<String>,
    /// Its counts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub counts: Vec<MeaningCount>,
}

/// Where a part of an item was.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct TrunkPart {
    /// The part's name in its carry rule.
    pub name: String,
    /// The place.
    pub place: String,
    /// Below it; empty for all of it.
    pub path: String,
}

/// An item's meaning to its owner, as a number of things: drawings, bookmarks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct MeaningCount {
    /// The thing that was counted.
    pub name: String,
    /// The files that count as one each: patterns below the parts.
    pub files: Vec<String>,
    /// How many there are in the trunk.
    pub captured: u64,
}
