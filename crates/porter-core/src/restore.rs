//! Onto another machine: the whole plan first, then its steps under a journal.
//!
//! 1. [`porter_kinds::crossing`]: which account of the trunk is which on the machine, and where programs keep
//!    their data on another system;
//! 2. [`porter_kinds::changes`]: what the kinds decide beside files that are copied;
//! 3. [`plan`]: the fate of each entry, decided by the planner against the machine's files ([`target`]);
//! 4. [`run`]: the steps, each written to the [journal](crate::journal) before it is taken, and the controls
//!    of a running system.
//!
//! Nothing on the machine is deleted or overwritten: a file that differs is set aside under a dated name. No
//! link is followed, and none is made that leads out of its place.

mod brings;
mod by_depth;
mod edits;
mod flusher;
mod judge;
mod kept;
mod land;
mod landed_before;
mod lots;
pub mod plan;
mod planner;
mod planning;
pub mod report;
pub mod run;
mod runner;
mod set_controls;
pub mod target;
mod whole_folder;
mod write_ahead;
mod writing_back;

pub use plan::{Action, Outline, Plan, Refused, Step};
pub use planning::{Wishes, homeless, plan_restore, plan_take};
pub use report::RestoreReport;
pub use run::run_plan;

use crate::journal::records::{NotTaken, RecordsRefused};
use porter_kinds::crossing::accounts::AccountsError;
use porter_trunk::TrunkError;
use std::io;
use std::path::PathBuf;

/// Why nothing was restored, or not all of the plan.
#[derive(Debug, thiserror::Error)]
pub enum RestoreError {
    /// The trunk cannot be used.
    #[error(transparent)]
    Trunk(#[from] TrunkError),
    /// Accounts do not match.
    #[error(transparent)]
    Accounts(#[from] AccountsError),
    /// The machine is not a folder of the running system, so nothing can be written to it.
    #[error("this machine can only be read")]
    ReadOnlyMachine,
    /// The folder where porter keeps its records on the machine is not to be trusted.
    #[error(transparent)]
    Records(#[from] RecordsRefused),
    /// Another porter restores to the machine, or takes a restore back.
    #[error("another porter is at work on this machine")]
    MachineInUse {
        /// Its own description.
        holder: String,
    },
    /// It will not fit.
    #[error("{needed_in_bytes} bytes are needed and {free_in_bytes} are free")]
    NoRoom {
        /// The bytes that the plan writes.
        needed_in_bytes: u64,
        /// The free space of the volume.
        free_in_bytes: u64,
    },
    /// The folder where porter keeps its records on the machine is a link or a file.
    #[error("the folder for porter's records cannot be used: {0}")]
    RecordsInTheWay(String),
    /// The new machine's volume filled up, or is read-only: going on makes no sense.
    #[error("writing `{}`: {cause}", path.display())]
    Volume {
        /// The path that was to be written.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
    /// The journal cannot be kept, and without it nothing is changed.
    #[error("the journal `{}` cannot be written: {cause}", path.display())]
    Journal {
        /// The journal.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
    /// The system has no random numbers.
    #[error("no random numbers: {0}")]
    Mark(io::Error),
    /// Somebody asked to stop.
    #[error("stopped before it was done")]
    Cancelled,
}

impl From<NotTaken> for RestoreError {
    fn from(not_taken: NotTaken) -> Self {
        match not_taken {
            NotTaken::Refused(refused) => Self::Records(refused),
            NotTaken::InUse(holder) => Self::MachineInUse { holder },
            NotTaken::Io(path, cause) => Self::Journal { path, cause },
        }
    }
}
