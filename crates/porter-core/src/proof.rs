//! What a trunk must prove of itself before any of it counts: that its list names every entry that was
//! captured.

pub(crate) mod listed;

pub(crate) use listed::{Listed, refused_entry};
