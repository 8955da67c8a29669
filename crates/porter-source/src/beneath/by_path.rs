//! By paths.

use super::Reached;
use std::io;
use std::path::{Path, PathBuf};

/// Nothing is held.
pub(super) type Held = ();

/// A folder below which things are reached.
#[derive(Debug, Clone)]
pub struct Root {
    path: PathBuf,
}

impl Root {
    /// The folder at `path`.
    pub fn new(path: impl Into<PathBuf>) -> Self {
        Self { path: path.into() }
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The path of something below it.
    pub fn reach(&self, below: &Path) -> io::Result<Reached> {
        Ok(Reached { path: self.path.join(below), folder: () })
    }

    /// The path of a folder below it.
    pub fn reach_folder(&self, below: &Path) -> io::Result<Reached> {
        self.reach(below)
    }
}
