//! What items have in their owner's registry: captured with them, entered on the new machine, and read again
//! there.
//!
//! Which keys those are is said by the `[[registry]]` tables of carry rules. A person's registry is a hive,
//! `NTUSER.DAT`, on the drive of a Windows that does not run, and of one who is not signed in; of who is
//! signed in, the running system has it.
//!
//! - [`source`]: reading it, wherever it is;
//! - [`attach`]: what of it an item has;
//! - `coming`: what of a trunk's goes where on the new machine;
//! - [`landing`]: how it gets there: a hive written anew, or values set on the running system.
//! - [`proof`]: whether it is there;
//! - [`form`]: all of it as a file that Windows takes in by hand;

pub mod attach;
mod coming;
pub mod form;
pub mod landing;
pub mod proof;
pub mod source;
