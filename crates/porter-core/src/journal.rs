//! Journals: restores write each step down before they take it; later checks, restores and undos read them.
//!
//! - [`line`](JournalLine): one step;
//! - [`keeping`](Journal): a journal that is being written;
//! - [`records`]: the folder of the machine that journals lie in, which is obeyed only if no stranger may
//!   write there;
//! - [`runs`](Run): the restores that a machine has seen;
//! - [`history`](History): the facts that they record about a trunk;
//! - `waiting`: files and folders that wait for their names, and are swept away if their run was cut off.

pub(crate) mod backwards;
mod history;
mod keeping;
mod line;
pub(crate) mod lines;
mod name;
pub mod records;
mod runs;
pub(crate) mod waiting;

pub use history::History;
pub(crate) use history::hash_of;
pub use keeping::Journal;
pub use line::{EntryKey, FIRST_FORMAT, FORMAT, JournalLine, PathField, SECOND_FORMAT};
pub use records::RecordsRefused;
pub use runs::{Record, Run, Undone, records_in, runs_in};
pub use waiting::sweep;
