//! The job: from an old machine to a new one, with proof. No interface code.
//!
//! A person's things flow one way, and so do these modules:
//!
//! 1. [`machine`]: what stands before us: its system, its accounts, its places;
//! 2. [`catalogue`]: the carry rules, which say what of a place is carried;
//! 3. [`kinds`] and [`item`]: the things a person would name, found on the machine;
//!    ([`registry_part`] is what they have in their owner's registry);
//! 4. [`walk`] and [`survey`]: how much of each there is, and what to beware of;
//! 5. [`packing`]: which items are chosen;
//! 6. [`capture`]: into a trunk, read back before it counts;
//! 7. [`restore`]: plan, then run, with a journal;
//! 8. [`check`] and [`receipt`]: the proof;
//! 9. [`undo`]: a restore, taken back.
//!
//! The long operations send [`events`] and stop when asked to; [`in_order`] spreads their work over threads.

mod ahead;
mod attributes;
pub mod capture;
pub mod catalogue;
pub mod caution;
pub mod changes;
pub mod check;
pub mod choice;
pub mod crossing;
pub mod events;
pub mod existing;
pub mod ground;
mod host;
pub mod in_order;
pub mod item;
pub mod journal;
pub mod kind;
pub mod kinds;
mod look_inside;
pub mod machine;
mod meaning;
pub mod packing;
pub mod part;
mod proof;
pub mod receipt;
pub mod registry_part;
pub mod restore;
pub mod survey;
pub mod undo;
pub mod walk;
pub mod wishes;
