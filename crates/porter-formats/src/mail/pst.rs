//! Outlook's data files, `.pst` and `.ost` ([MS-PST]; the form with pages of 4096 bytes is not in it, and was
//! learned from real files).
//!
//! The tree of nodes alone says how many letters are in how many folders ([`count`]). [`store`] reads all
//! that is in a file, and [`mailbox`] its folders.

mod contents;
mod count;
mod encoding;
pub mod header;
mod heap;
mod lost_pages;
pub mod mailbox;
mod page;
pub mod store;

pub use count::{BesideLetters, Letters, count};
pub use header::{HEADER_IN_BYTES, Layout, is_one};
