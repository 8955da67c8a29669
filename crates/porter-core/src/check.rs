//! The proof: a trunk against itself, or a machine against a trunk.
//!
//! On a machine each entry is looked for where it belongs (`entry_on_machine`, `finder`), its content is read
//! and compared (`same_content`), and judged (`fate`). The meaning of an item's entries together is counted
//! again (`landed_meaning`). Entries that are missing on purpose are reported as such (`left_behind`).

mod entry_on_machine;
mod fate;
mod finder;
mod landed_meaning;
mod left_behind;
mod machine;
mod programs;
mod same_content;
mod trunk;

pub use machine::check_machine;
pub use trunk::{Proved, check_trunk, prove_trunk};

use porter_kinds::choice::BadPattern;
use porter_kinds::crossing::accounts::AccountsError;
use porter_trunk::TrunkError;

/// Why there is no receipt.
#[derive(Debug, thiserror::Error)]
pub enum CheckError {
    /// The trunk cannot be used.
    #[error(transparent)]
    Trunk(#[from] TrunkError),
    /// The accounts that were named do not exist.
    #[error(transparent)]
    Accounts(#[from] AccountsError),
    /// A pattern cannot be understood.
    #[error(transparent)]
    Pattern(#[from] BadPattern),
    /// Somebody asked to stop.
    #[error("stopped before it was done")]
    Cancelled,
}
