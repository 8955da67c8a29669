//! Which items are carried.

pub mod list;
pub mod selection;

pub use list::{ListError, PackingList};
pub use selection::{BadPattern, Selection};
