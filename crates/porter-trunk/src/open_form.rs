//! The open form: a BagIt bag (RFC 8493, version 1.0) of plain folders that anyone can browse.
//!
//! The payload lies in `data/<account or machine>/<place>/…`, under names that every file system can hold.
//! Beside BagIt's own tag files there are porter's, in `porter/`: the label, the items, the entries with
//! their exact names and metadata, and what was left behind.
//!
//! A folder becomes a trunk in one step: `bagit.txt` is renamed into place after everything else was written,
//! flushed and read back. Without it no BagIt tool, and no command of ours, takes the folder for a bag.
//!
//! Left out: fetch files, manifests in other algorithms, payload that porter did not put there.

mod bag_info;
mod layout;
mod manifest;
mod reader;
mod sha512;
mod writer;

pub(crate) use layout::{SIGNATURE, TAG_MANIFEST};
pub use reader::OpenTrunk;
pub use writer::OpenTrunkWriter;
