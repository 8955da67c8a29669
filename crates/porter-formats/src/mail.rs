//! Mailboxes, counted: how many letters they hold; and the addresses that a program offers.

pub mod autocomplete;
pub mod emlx;
pub mod maildir;
pub mod mbox;
pub mod oe_account;
pub mod pst;
