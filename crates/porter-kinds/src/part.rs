//! The files of an item that lie together: a place, and what of it.

use porter_machine::Place;
use porter_names::RelativePath;
use porter_trunk::TrunkPart;

/// The name of the parts that are single files of a kind, each somewhere.
pub const ELSEWHERE: &str = "elsewhere";

/// Files of an item that lie together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part {
    /// Its name among the parts of its rule; the same on every system.
    pub name: String,
    /// The place.
    pub place: Place,
    /// The part of the place.
    pub what: What,
}

/// The part of a place that belongs to a part.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum What {
    /// All of it, but for what other items claim.
    Whole,
    /// One folder, or one file, at a path below it.
    At(RelativePath),
    /// Only entries that are not folders, directly in it.
    LooseFiles,
}

impl Part {
    /// The part, as a trunk lists it.
    pub fn as_listed(&self) -> TrunkPart {
        let path = match &self.what {
            What::At(path) => path.to_string(),
            What::Whole | What::LooseFiles => String::new(),
        };
        TrunkPart { name: self.name.clone(), place: self.place.name().to_owned(), path }
    }
}
