//! Names of files as they are on somebody's machine, and our use of them.
//!
//! A name from an old machine may hold any bytes. Three things are done with it, each in its own file:
//! - [`relative_path`]: kept exactly, and refused where it would lead out of its folder;
//! - [`portable`]: turned into a name that the file system at hand can hold, when it cannot hold the real
//!   one;
//! - [`screen`]: made harmless for a terminal or a page.
//!
//! [`fold`] decides which names a system that ignores case takes for the same one, and [`host`] turns names
//! into the paths of the system we run on, and back.
//!
//! This small crate exists because the source, the trunk and the core know nothing of each other but must
//! mean the same by "a path".

use std::collections::BTreeMap;

pub mod fold;
pub mod host;
pub mod portable;
pub mod relative_path;
pub mod screen;
pub mod wtf8;

pub use portable::NameRules;
pub use relative_path::{PathRefused, RelativePath};

/// The values of a setting or a printer, by their names: `time zone` → `Europe/Lisbon`.
pub type Facts = BTreeMap<String, String>;
