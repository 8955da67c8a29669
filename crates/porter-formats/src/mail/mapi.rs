//! Things as Outlook keeps them, whatever file they are in: each is a set of properties with numbers
//! ([MS-OXPROPS]), with tables and things of its own below it.
//!
//! [`letter`] gives a letter as other programs read it, [`contact`], [`event`], [`task`] and [`journal`] the
//! other things of a mailbox.

pub mod contact;
pub mod event;
pub mod journal;
pub mod letter;
mod names;
pub(super) mod numbers;
pub mod properties;
mod recurrence;
pub mod rtf;
pub mod task;
pub mod thing;
mod zone;

pub use names::{Name, Names, Set};
pub(super) use numbers::number;
