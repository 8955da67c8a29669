//! Which items are carried.

pub mod list;
pub mod tree;

pub use list::{ListError, PackingList};
pub use tree::Tree;
