//! Which items are carried.

pub mod list;
pub mod selection;
pub mod tree;
pub mod unchosen;

pub use list::{ListError, PackingList};
pub use selection::{BadPattern, Selection};
pub use tree::Tree;
pub use unchosen::Unchosen;
