//! The items that a person would name, and the duties of each kind: to be found, captured, landed and proved.
//! No interface code.
//!
//! - [`catalogue`]: the carry rules, which say what of a place is carried;
//! - [`part`], [`item`], [`caution`] and [`receipt`]: data;
//! - [`choice`] and [`wishes`]: what a person decides;
//! - [`crossing`]: from the old machine's places to the new one's;
//! - [`ground`] and [`changes`]: the facts known when items land, and a restore's changes beside copying
//!   files;
//! - [`kind`]: the duties of a kind; [`Kinds`]: those there are;
//! - [`profiles`]: profiles that programs list and register;
//! - [`registry_part`]: what items have in their owner's registry;
//! - [`account`], [`ruled`], [`browser`], [`drive`], [`also`], [`mail`],
//!   [`network_files`], [`printer`], [`printer_driver`] and [`setting`]: the kinds;
//! - [`forms`]: items taken out for other programs, and [`not_taken`]: reasons against it;
//! - [`value_kinds`]: the kinds whose items are values and no files;
//! - [`values`]: what settings and printers have in common.

pub mod account;
pub mod also;
pub mod bringing;
pub mod browser;
pub mod catalogue;
pub mod caution;
pub mod changes;
pub mod choice;
pub mod crossing;
pub mod drive;
pub mod existing;
pub mod font;
pub mod forms;
pub mod ground;
pub mod item;
mod joined_lines;
pub mod kind;
mod kinds;
pub mod mail;
pub mod network_files;
pub mod not_taken;
pub mod part;
pub mod printer;
pub mod printer_driver;
pub mod profiles;
pub mod receipt;
pub mod registry_part;
pub mod ruled;
pub mod scheduled_task;
pub mod setting;
mod trunk_file;
mod unpacked;
pub mod value_kinds;
pub mod values;
pub mod wishes;

pub use kinds::Kinds;
