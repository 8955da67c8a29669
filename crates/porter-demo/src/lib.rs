//! The demo's machines: everything in them is made up, set in Saltmarsh Kiteworks, a workshop that builds and
//! repairs kites, and the same in every run.
//!
//! - [`loft_pc`]: the old PC of 2012, as Windows 7 left it, with the things that go wrong on real ones;
//! - [`tidewater`]: the new PC, as a fresh Windows 11 is, its accounts made already, one under another name;
//! - [`windsock`]: the drive of a failed laptop with Windows XP;
//! - [`sailroom`]: the drive of an old Mac.
//!
//! [`drive_image`] puts one of them on a drive with a table of partitions, as it lies in an adapter.
//!
//! [`browser`], [`picture`], [`sound`], [`film`], [`mail`], [`thunderbird`] and [`writing`] make content in
//! real formats; [`tree`] puts it on the disk with its dates and attributes. The tests use the same machines
//! in the small size.

pub mod browser;
mod data_file;
pub mod dice;
pub mod drive_image;
pub mod film;
mod host;
pub mod loft_pc;
pub mod mail;
pub mod picture;
pub mod registry;
pub mod sailroom;
pub mod sound;
mod sqlite;
pub mod thunderbird;
pub mod tidewater;
pub mod tree;
pub mod windsock;
pub mod writing;

pub use data_file::data_file_with_things;
pub use drive_image::build_drive_image;
pub use loft_pc::build_loft_pc;
pub use sailroom::build_sailroom;
pub use tidewater::build_tidewater;
pub use windsock::build_windsock;

/// How much the demo machines hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DemoSize {
    /// About 4,000 files and 150 MB.
    Full,
    /// Every shape of thing, few of each.
    Small,
}

impl DemoSize {
    /// `full` things in the full size, a few in the small one.
    fn of(self, full: usize) -> usize {
        match self {
            Self::Full => full,
            Self::Small => full.div_ceil(40).min(full),
        }
    }
}
