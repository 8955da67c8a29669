//! Windows registry hives: read, replay their transaction logs, edit, write.
//!
//! A hive is a file that holds a tree of keys with values: `SYSTEM`, `SOFTWARE`, `SAM`, each person's
//! `NTUSER.DAT`. Microsoft does not publish its layout; ours is from "Windows registry file format
//! specification" by Maxim Suhanov (<https://github.com/msuhanov/regf>), with versions 1.3 to 1.6 (Windows NT
//! 4.0 to 11). `docs/hive-format.md` says what is read and written of it.
//!
//! - [`Hive`] reads: [`base_block`], [`cell`], [`key`], [`subkey_list`], [`value`]; [`walk`] goes through all
//!   of it, whatever state it is in;
//! - [`log`] puts back in memory what a crash kept from being written;
//! - [`tree`] is a hive taken apart, to be made or changed; [`write`](mod@write) puts one together.
//!
//! Every number from a hive is checked before it is used. A damaged structure is named with its place, and
//! the rest is read.

pub mod base_block;
mod bytes;
pub mod cell;
pub mod error;
pub mod hive;
pub mod key;
pub mod log;
pub mod name;
pub mod security;
pub mod subkey_list;
pub mod tree;
pub mod value;
pub mod walk;
pub mod write;

pub use base_block::BaseBlock;
pub use error::HiveError;
pub use hive::Hive;
pub use key::Key;
pub use log::Replayed;
pub use name::Name;
pub use tree::{KeyTree, TreeValue};
pub use value::{Value, ValueKind};
