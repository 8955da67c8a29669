//! The things a person would name.

use crate::machine::Place;

/// One thing a person would name: *Odile's Documents*.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Item {
    /// `odile/folder/documents`, `machine/folder/drive/kite-plans`.
    pub id: String,
    /// The kind it is of, such as `folder`.
    pub kind: &'static str,
    /// Id of the account it belongs to; none for the machine's own.
    pub owner: Option<String>,
    /// In words.
    pub title: String,
    /// Where it is.
    pub extent: Extent,
}

/// Where an item's files are.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Extent {
    /// The place.
    pub place: Place,
    /// What of the place.
    pub part: Part,
}

/// What of a place belongs to an item.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// All of it, but for other places inside it.
    Whole,
    /// One folder directly in it.
    Folder(Vec<u8>),
    /// Only what is no folder, directly in it.
    LooseFiles,
}
