//! Counting what was seen, captured and left.

use serde::{Deserialize, Serialize};
use std::ops::{Add, AddAssign, SubAssign};

/// How much of something there is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tally {
    /// Files, and the rare things that are neither file, folder nor link.
    pub files: u64,
    /// Folders.
    pub folders: u64,
    /// Links and junctions.
    pub links: u64,
    /// Length of the files' content.
    #[serde(rename = "bytes")]
    pub size_in_bytes: u64,
}

impl Tally {
    /// One file.
    pub const fn file(size_in_bytes: u64) -> Self {
        Self { files: 1, folders: 0, links: 0, size_in_bytes }
    }

    /// One folder.
    pub const FOLDER: Self = Self { files: 0, folders: 1, links: 0, size_in_bytes: 0 };

    /// One link.
    pub const LINK: Self = Self { files: 0, folders: 0, links: 1, size_in_bytes: 0 };

    /// Files, folders and links together.
    pub const fn entries(&self) -> u64 {
        self.files + self.folders + self.links
    }
}

impl AddAssign for Tally {
    fn add_assign(&mut self, more: Self) {
        self.files += more.files;
        self.folders += more.folders;
        self.links += more.links;
        self.size_in_bytes = self.size_in_bytes.saturating_add(more.size_in_bytes);
    }
}

impl SubAssign for Tally {
    fn sub_assign(&mut self, less: Self) {
        self.files -= less.files;
        self.folders -= less.folders;
        self.links -= less.links;
        self.size_in_bytes -= less.size_in_bytes;
    }
}

impl Add for Tally {
    type Output = Self;
    fn add(mut self, more: Self) -> Self {
        self += more;
        self
    }
}
