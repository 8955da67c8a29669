//! Mailboxes, counted: how many letters they hold.

pub mod mbox;
pub mod pst;
