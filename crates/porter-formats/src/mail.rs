//! Mailboxes, counted: how many letters they hold; the addresses that a program offers; accounts.

pub mod address_list;
pub mod apple_accounts;
pub mod autocomplete;
pub mod dbx;
pub mod emlx;
pub mod head;
pub mod letter_flags;
pub mod maildir;
pub mod mapi;
pub mod mbox;
pub mod mbox_reader;
pub mod mbox_writer;
pub mod msg;
pub mod msg_writer;
pub mod oe_account;
pub mod parts;
pub mod prf;
pub mod pst;
pub mod role;
pub mod tnef;
pub(crate) mod transfer_encoding;
