//! Trunks, the product of a capture: a label, a list of items, and entries with proof of their content.
//!
//! - [`label`]: the outside, readable by anyone who finds it;
//! - [`item`], [`entry`], [`registry`], [`left`], [`program`]: its contents, the files left behind and why,
//!   the programs to install again;
//! - [`form`]: the duties of every form of trunk;
//! - [`packed_form`]: the usual form: compressed, each content once, sealed if wanted;
//! - [`parked_form`]: on the machine's own volume, sharing the data that is there;
//! - [`open_form`]: the form that anyone can browse, a BagIt bag;
//! - [`signature`]: who made it.
//!
//! The format is described in `docs/trunk-format.md`.

pub mod content_hash;
pub mod entry;
pub mod error;
mod extent;
pub mod form;
mod hex;
mod host;
pub mod item;
pub mod label;
pub mod left;
mod lock;
pub mod open_form;
pub mod outside;
pub mod packed_form;
pub mod parked_form;
pub mod program;
pub mod registry;
pub mod sealing;
pub mod signature;
pub mod spare;
pub mod tally;

pub use content_hash::{
    ContentHash, ContentHasher, LongContent, PieceFailed, TrunkContent, hash_of, in_pieces,
};
pub use entry::{
    Attributes, Content, Entry, EntryAddress, EntryRefused, MissingStretch, NamedStream, name_with_mark,
};
pub use error::{Damage, StoreError, TrunkError};
pub use extent::{Extent, Extents};
pub use form::{Audit, CaptureProof, Depth, Inventory, Stored, Trunk, TrunkWriter};
pub use host::{clone_file, flush_volume, free_space_in_bytes, largest_file_in_bytes, write_in_portions};
pub use item::{MeaningCount, TrunkItem, TrunkPart};
pub use label::{AccountLabel, Label, LabelWords, MachineLabel, SystemLabel, TrunkId};
pub use left::{KeptState, LeftBehind, LeftReason, written_path};
pub use lock::Lock;
pub use program::TrunkProgram;
pub use registry::{RegistryKey, RegistryValue};
pub use tally::Tally;
