//! The job: from an old machine to a new one, with proof. No interface code.
//!
//! A person's things flow one way, and so do these modules:
//!
//! 1. [`porter_machine`]: a machine: its system, its accounts, its places;
//! 2. [`porter_kinds`]: the carry rules, and the things a person would name, found on the machine;
//! 3. [`walk`] and [`survey`]: how much of each there is, and what to beware of;
//! 4. [`packing`]: which items are chosen;
//! 5. [`capture`]: into a trunk, read back before it counts;
//! 6. [`restore`]: plan, then run, with a [`journal`];
//! 7. [`check`]: the proof, as a receipt;
//! 8. [`undo`]: a restore, taken back.
//!
//! The long operations send [`events`] and stop when asked to; [`in_order`] spreads their work over threads.

mod ahead;
mod attributes;
pub mod capture;
pub mod check;
pub mod events;
mod host;
pub mod in_order;
pub mod journal;
mod look_inside;
pub mod machines;
mod meaning;
pub mod packing;
mod proof;
pub mod restore;
pub mod survey;
pub mod undo;
pub mod walk;
