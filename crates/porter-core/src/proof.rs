//! The first proof of a trunk, before any of it counts: its list names every entry that was captured.

pub(crate) mod listed;

pub(crate) use listed::{Listed, refused_entry};
