//! Which files a packed trunk is made of, and their names.

use std::path::{Path, PathBuf};

/// The folder of the files that are kept.
pub(crate) const KEPT: &str = "kept";

/// The trunk's outside.
pub(crate) const LABEL: &str = "label.json";
/// The wrapped key of a sealed trunk.
pub(crate) const SEAL: &str = "seal.json";
/// The same once more.
pub(crate) const SEAL_COPY: &str = "seal-copy.json";
/// Held by the porter that writes to the trunk.
pub(crate) const LOCK: &str = "lock";

/// The kind of a trunk's file, by its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum FileName {
    Pack(u32),
    /// A pack that was not finished.
    OpenPack(u32),
    List(u32),
    /// A list that was not finished.
    OpenList(u32),
}

impl FileName {
    pub(super) fn parse(name: &str) -> Option<Self> {
        let (stem, extension) = name.rsplit_once('.')?;
        let (what, digits) = stem.split_once('-')?;
        let number = digits.parse().ok()?;
        let found = match (what, extension) {
            ("pack", "pack") => Self::Pack(number),
            ("pack", "part") => Self::OpenPack(number),
            ("list", "list") => Self::List(number),
            ("list", "part") => Self::OpenList(number),
            _ => return None,
        };
        (found.to_string() == name).then_some(found)
    }

    pub(crate) fn in_folder(self, folder: &Path) -> PathBuf {
        folder.join(self.to_string())
    }
}

impl std::fmt::Display for FileName {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Pack(number) => write!(f, "pack-{number:05}.pack"),
            Self::OpenPack(number) => write!(f, "pack-{number:05}.part"),
            Self::List(number) => write!(f, "list-{number:05}.list"),
            Self::OpenList(number) => write!(f, "list-{number:05}.part"),
        }
    }
}
