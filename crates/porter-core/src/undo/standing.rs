//! Which restore of a machine an undo takes back.

use super::UndoError;
use crate::journal::{FIRST_FORMAT, FORMAT, Record, Run, SECOND_FORMAT};

/// The latest restore that was not taken back. None before one whose record cannot be read: their files that
/// were set aside would be mixed up.
pub fn last_standing(records: Vec<Record>) -> Result<Run, UndoError> {
    let standing = |record: &Record| match record {
        Record::Run(run) => run.undone.is_none(),
        Record::Unreadable(_) => true,
    };
    match records.into_iter().rfind(standing) {
        Some(Record::Run(run)) => Ok(*run),
        Some(Record::Unreadable(journal)) => Err(UndoError::Unreadable(journal)),
        None => Err(UndoError::NothingToUndo),
    }
}

/// Refuses a journal of another version than ours, with its reason.
pub(super) fn require_undoable(run: &Run) -> Result<(), UndoError> {
    match run.format() {
        FORMAT | SECOND_FORMAT => Ok(()),
        FIRST_FORMAT => Err(UndoError::TooEarly(run.journal.clone())),
        _ => Err(UndoError::TooLate(run.journal.clone())),
    }
}
