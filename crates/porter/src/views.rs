//! Views of the commands: in the terminal, as JSON, and as a page.

pub(crate) mod capture;
pub(crate) mod choose;
pub(crate) mod compared;
pub(crate) mod html;
pub(crate) mod junit;
pub(crate) mod kind;
pub(crate) mod kinds;
pub(crate) mod letters;
pub(crate) mod look;
pub(crate) mod machines;
pub(crate) mod mailboxes;
pub(crate) mod mend;
pub(crate) mod numbers;
pub(crate) mod page;
pub(crate) mod receipt;
pub(crate) mod restore;
pub(crate) mod rows;
pub(crate) mod rules;
pub(crate) mod script;
pub(crate) mod sheet;
pub(crate) mod signed;
pub(crate) mod survey;
mod task;
mod to_do;
pub(crate) mod undo;
pub(crate) mod words;
