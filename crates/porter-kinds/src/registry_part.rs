//! Items' keys in their owner's registry: captured with them, entered on the new machine, and read again
//! there.
//!
//! Which keys those are is said by the `[[registry]]` tables of carry rules. A person's registry is a hive,
//! `NTUSER.DAT`, on the drive of a Windows that does not run, and of one who is not signed in; of who is
//! signed in, the running system has it.
//!
//! - [`source`]: reading it, wherever it is;
//! - [`attach`]: the keys of an item;
//! - `coming`: the new machine's places for a trunk's keys;
//! - [`landing`]: how it gets there: a rewritten hive, or values set on the running system.
//! - [`proof`]: whether it is there;
//! - [`form`]: all of it as a file that Windows takes in by hand;

pub mod attach;
mod coming;
pub mod form;
pub mod landing;
pub mod proof;
pub mod source;
