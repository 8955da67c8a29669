//! Which items are carried.

pub mod selection;

pub use selection::{BadPattern, Selection};
