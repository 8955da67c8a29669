//! Into a trunk: every entry of the chosen items is captured or listed as left, and the trunk is read back
//! before it counts.
//!
//! The space that is needed is estimated beforehand ([`forecast()`]) and corrected during the run
//! (`outlook`); `drive_order` puts files in the order in which a drive reads them fastest, `carrier` carries
//! one thing after the other, and `balance` accounts for all of them in the end.

mod balance;
mod carrier;
mod drive_order;
pub mod forecast;
mod listed;
mod outlook;
mod run;

pub use forecast::{Forecast, Shape, forecast, pass_by, trunk_around};
pub use run::{CaptureReport, Job, capture};

use porter_trunk::{Damage, TrunkError};
use std::path::PathBuf;

/// Why there is no trunk. Files captured until then stay where they are, unfinished.
#[derive(Debug, thiserror::Error)]
pub enum CaptureError {
    /// No item was chosen, or all of them are empty.
    #[error("there is nothing to capture")]
    NothingChosen,
    /// The trunk would lie on the machine that is captured.
    #[error("the trunk `{}` would lie on the old machine itself", .0.display())]
    TrunkOnOldMachine(PathBuf),
    /// The trunk would lie in something that is captured into it.
    #[error("the trunk `{}` would lie in `{item}`, and capture itself", trunk.display())]
    TrunkInItem {
        /// Where it would lie.
        trunk: PathBuf,
        /// The item that it would lie in.
        item: String,
    },
    /// The trunk would lie inside another one, which would then hold files that none of its lists names.
    #[error("the trunk would lie inside another one, `{}`", .0.display())]
    TrunkInTrunk(PathBuf),
    /// The trunk holds entries that this capture leaves out, and would drop them.
    #[error("the trunk holds what this capture leaves out: {}", .0.join(", "))]
    LeavesOut(Vec<String>),
    /// It will not fit.
    #[error("{needed_in_bytes} bytes are needed and {free_in_bytes} are free")]
    NoRoom {
        /// The space that the trunk may take.
        needed_in_bytes: u64,
        /// The free space of its volume.
        free_in_bytes: u64,
    },
    /// The trunk cannot be written.
    #[error(transparent)]
    Trunk(#[from] TrunkError),
    /// The trunk was written, and is not what was written when read back.
    #[error("what was read back of the trunk is not what was written")]
    ReadBack {
        /// The damaged files.
        damage: Vec<Damage>,
        /// Files of the trunk that were renamed: the next run captures their contents again.
        set_aside: Vec<String>,
    },
    /// The account of what was seen does not come out even: a fault of ours.
    #[error("`{item}`: not every entry is accounted for")]
    NotAccountedFor {
        /// The item where it does not.
        item: String,
    },
    /// The old machine's drive was unplugged, or its driver ended.
    #[error("the drive is gone")]
    DriveGone,
    /// Somebody asked to stop.
    #[error("stopped before it was done")]
    Cancelled,
}
