//! Spare data: Reed–Solomon parity beside a file, enough to repair a share of it wherever the damage is.
//!
//! A file is cut into shards, which are dealt out to groups in turn, so that one long scratch hits every
//! group a little. Each group has spare shards; as many damaged or missing ones of the group can be rebuilt.
//!
//! Layout, integers little-endian: head; table (8 bytes of BLAKE3 of each shard, then of each spare shard);
//! the spare shards, group after group; the table again; the head again. Described in `docs/trunk-format.md`.

mod mend;
mod name;
mod opened;
mod plan;
mod write;

pub use mend::{Mended, mend};
pub(crate) use name::{is_spare, name_of_what_it_is_for, path_of, remove_unfinished};
pub(crate) use opened::{damage_in, is_of_use_for, percent_in};
pub(crate) use write::write;

fn other(cause: reed_solomon_simd::Error) -> std::io::Error {
    std::io::Error::other(cause.to_string())
}
