//! Mailboxes, counted: how many letters they hold.

pub mod maildir;
pub mod mbox;
pub mod pst;
