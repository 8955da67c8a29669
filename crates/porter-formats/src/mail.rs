//! Mailboxes, counted: how many letters they hold; the addresses that a program offers; accounts.

pub mod apple_accounts;
pub mod autocomplete;
pub mod dbx;
pub mod emlx;
pub mod maildir;
pub mod mbox;
pub mod mbox_writer;
pub mod oe_account;
pub mod prf;
pub mod pst;
