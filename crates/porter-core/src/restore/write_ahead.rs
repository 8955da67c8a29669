//! Lines written to the journal before their steps: a step without its line is not taken.

use super::RestoreError;
use super::lots::Lot;
use super::plan::{Action, Due, Plan, Refused};
use super::runner::Runner;
use crate::in_order::BYTES_FOR_A_PIECE;
use crate::journal::EntryKey;
use crate::journal::Journal;
use crate::journal::runs_in;
use crate::journal::{FORMAT, JournalLine, PathField};
use porter_kinds::changes::Moved;
use porter_trunk::{Content, ContentHash, Trunk, TrunkId};
use std::fs;
use std::io;
use std::path::Path;

/// Begins the journal of a restore, or continues that of the latest one if it is of this trunk and was cut
/// off: then an undo takes back both. Returns the mark of its waiting files, too.
pub(super) fn begin_journal(
    records: &Path,
    trunk: &dyn Trunk,
    plan: &Plan,
) -> Result<(Journal, String), RestoreError> {
    let latest = runs_in(records).into_iter().rfind(|run| run.undone.is_none());
    if let Some(run) = latest.filter(|run| run.can_go_on(&trunk.label().trunk_id)) {
        let line = JournalLine::GoOn {
            started_utc: plan.planned_utc,
            accounts: plan.outline.accounts.clone(),
            items: plan.outline.items.clone(),
            land_held: plan.land_held.clone(),
        };
        let journal =
            Journal::go_on(&run.journal, &line).map_err(|cause| journal_failed(&run.journal, cause))?;
        return Ok((journal, run.mark().to_owned()));
    }
    let mark = TrunkId::random().map_err(RestoreError::Mark)?.short();
    let first = JournalLine::Begin {
        format: FORMAT.to_owned(),
        trunk_id: trunk.label().trunk_id.clone(),
        from: trunk.label().machine.name.clone(),
        mark: mark.clone(),
        started_utc: plan.planned_utc,
        accounts: plan.outline.accounts.clone(),
        items: plan.outline.items.clone(),
        land_held: plan.land_held.clone(),
    };
    let journal = Journal::begin(records, &first).map_err(|cause| journal_failed(records, cause))?;
    Ok((journal, mark))
}

pub(super) fn journal_failed(path: &Path, cause: io::Error) -> RestoreError {
    RestoreError::Journal { path: path.to_path_buf(), cause }
}

/// The journal's line for an entry's step, if there is a step.
fn line_of(due: &Due<'_>) -> Option<JournalLine> {
    let entry = EntryKey::of(&due.entry.address);
    let at = PathField(due.at.clone());
    match due.step.action {
        Action::FolderMade => None,
        Action::Identical => match (&due.entry.content, due.step.renamed) {
            (Content::File { hash, .. }, false) if due.adapted.is_some() => {
                Some(JournalLine::FoundAdapted { entry, blake3: *hash })
            }
            (_, renamed) => renamed.then_some(JournalLine::FoundAs { entry, at }),
        },
        Action::Create | Action::SetAside(_) | Action::Beside => Some(JournalLine::Land {
            entry,
            at,
            aside: due.aside().map(PathField),
            renamed: due.step.renamed,
            kept_existing: due.step.action == Action::Beside,
            link: matches!(due.entry.content, Content::Link { .. }),
            adapted: due.adapted.is_some(),
            blake3: match &due.entry.content {
                Content::File { hash, .. } => Some(*hash),
                Content::Link { target } => Some(ContentHash::of(target)),
                Content::Folder => None,
            },
        }),
    }
}

impl Runner<'_> {
    fn write_all(&self, lines: &[JournalLine]) -> Result<(), RestoreError> {
        match self.journal {
            Some(journal) if !lines.is_empty() => {
                journal.write(lines).map_err(|cause| journal_failed(journal.path(), cause))
            }
            _ => Ok(()),
        }
    }

    /// Writes lines and sees them onto the medium.
    pub(super) fn see_written(&self, lines: &[JournalLine]) -> Result<(), RestoreError> {
        self.write_all(lines)?;
        match self.journal {
            Some(journal) if !lines.is_empty() => {
                journal.flush().map_err(|cause| journal_failed(journal.path(), cause))
            }
            _ => Ok(()),
        }
    }

    /// Writes some steps ahead, sees that onto the medium, and only then hands them over. Says whether more
    /// is wanted.
    pub(super) fn write_ahead<'p>(
        &self,
        stretch: &mut Vec<Due<'p>>,
        hand_over: &mut dyn FnMut(Lot<'p>, u64) -> bool,
    ) -> Result<bool, RestoreError> {
        if let Some(journal) = self.journal {
            journal
                .write(stretch.iter().filter_map(line_of))
                .and_then(|()| journal.flush())
                .map_err(|cause| journal_failed(journal.path(), cause))?;
        }
        Ok(self.whole_folders.in_lots(self.trunk, stretch.drain(..), |lot| {
            let mut weight_in_bytes = 0_u64;
            for due in &lot.dues {
                if !self.before.comes_again(&due.entry) {
                    self.trunk.will_read(&due.entry);
                }
                let size_in_bytes = due.entry.size_in_bytes();
                let at_least = if lot.is_whole { BYTES_FOR_A_PIECE } else { 0 };
                weight_in_bytes = weight_in_bytes.saturating_add(size_in_bytes.max(at_least));
            }
            hand_over(lot, weight_in_bytes) && !self.conduct.is_stopped()
        }))
    }

    /// Writes down the changes of folders before they happen: those that change and those that are made. The
    /// folders that stand for another are named with them, for the check.
    pub(super) fn note_folders(&self, plan: &Plan) -> Result<(), RestoreError> {
        let Some(journal) = self.journal else { return Ok(()) };
        let mut lines: Vec<JournalLine> = plan
            .changes
            .moves()
            .iter()
            .cloned()
            .map(|Moved { item, from_place, from, to_place, to }| JournalLine::Moved {
                item,
                place: from_place,
                path: PathField(from),
                to_place,
                to: PathField(to),
            })
            .collect();
        for folder in plan.folders_that_change() {
            let modified =
                self.reach(&folder).ok().and_then(|path| fs::symlink_metadata(path).ok()?.modified().ok());
            if let Some(modified) = modified {
                lines.push(JournalLine::FolderWas {
                    at: PathField(folder.clone()),
                    modified_utc: modified.into(),
                });
            }
        }
        for folder in &plan.folders {
            let at = || PathField(folder.at.clone());
            let aside = folder.set_aside.clone();
            lines.extend(aside.map(|to| JournalLine::SetAside { at: at(), to: PathField(to) }));
            lines.push(JournalLine::Folder { at: at() });
        }
        for folder in plan.renamed.iter().filter(|row| row.is_folder) {
            let at = PathField(folder.at.clone());
            lines.push(JournalLine::FoundAs { entry: folder.key.clone(), at });
        }
        self.write_all(&lines)?;
        journal.flush().map_err(|cause| journal_failed(journal.path(), cause))
    }

    /// Writes what did not land.
    pub(super) fn journal_refused(&self, refused: &Refused) -> Result<(), RestoreError> {
        match &refused.key {
            Some(key) => {
                self.write_all(&[JournalLine::Refused { entry: key.clone(), reason: refused.reason.clone() }])
            }
            None => Ok(()),
        }
    }
}
