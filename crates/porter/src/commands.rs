//! One file per command: its arguments, one call of the core, one view.

pub(crate) mod capture;
pub(crate) mod check;
mod choose;
pub(crate) mod demo;
mod homeless;
mod letter_words;
pub(crate) mod look;
pub(crate) mod machines;
pub(crate) mod passphrase;
pub(crate) mod receipt;
pub(crate) mod restore;
pub(crate) mod rules;
pub(crate) mod survey;
pub(crate) mod take;
pub(crate) mod undo;
pub(crate) mod workshop_key;
