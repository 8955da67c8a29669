//! The choice: which items are carried, and which of their files.

mod land_held;
mod selection;
mod unchosen;

pub use land_held::LandHeld;
pub use selection::{BadPattern, Selection};
pub use unchosen::{Unchosen, folder_key};
