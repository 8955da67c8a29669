//! What the commands show: in the terminal, as JSON, and as a page.

pub(crate) mod capture;
pub(crate) mod look;
pub(crate) mod numbers;
pub(crate) mod page;
pub(crate) mod receipt;
pub(crate) mod restore;
pub(crate) mod survey;
pub(crate) mod words;
