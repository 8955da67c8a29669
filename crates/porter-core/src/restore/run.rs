//! Carrying out a plan.

use super::host::{self, Owner, owner_like};
use super::journal::{FORMAT, Journal, JournalLine, PathField};
use super::land::{NotLanded, give_name, not_written, write_aside};
use super::plan::{Action, NewFolder, Plan, Refused, Step};
use super::{EntryKey, RestoreError};
use crate::events::{Conduct, Event, Stage};
use crate::in_order::in_order;
use crate::receipt::Reason;
use porter_names::RelativePath;
use porter_source::HostTree;
use porter_trunk::{Content, ContentHash, Tally, Trunk};
use std::collections::{BTreeSet, HashMap};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// What a restore did.
#[derive(Debug)]
pub struct RestoreReport {
    /// What was written.
    pub written: Tally,
    /// What was there already, byte for byte.
    pub identical: Tally,
    /// What was set aside, and its dated name.
    pub set_aside: Vec<(RelativePath, RelativePath)>,
    /// What landed under another name than its own.
    pub renamed: Vec<(RelativePath, RelativePath)>,
    /// What did not land.
    pub refused: Vec<Refused>,
    /// The record of it all on the machine; none for a take.
    pub journal: Option<PathBuf>,
}

/// Takes the steps of a plan. With a `records` folder each step is first written to a journal there.
///
/// An entry that cannot be written is named, and the rest goes on; a volume that takes nothing more ends the run.
pub fn run_plan(
    trunk: &dyn Trunk,
    plan: Plan,
    records: Option<&Path>,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<RestoreReport, RestoreError> {
    conduct.send(&Event::StageBegan { stage: Stage::Restore, expected: plan.to_write });
    let journal = match records {
        Some(records) => Some(begin_journal(records, trunk, &plan)?),
        None => None,
    };
    let runner = Runner {
        trunk,
        target: &plan.target,
        journal: journal.as_ref(),
        owners: Mutex::default(),
        linked: Mutex::default(),
        conduct,
    };
    let mut report = RestoreReport {
        written: Tally::default(),
        identical: plan.identical,
        set_aside: Vec::new(),
        renamed: Vec::new(),
        refused: Vec::new(),
        journal: journal.as_ref().map(|journal| journal.path().to_path_buf()),
    };
    for refused in &plan.refused {
        runner.journal_refused(refused)?;
    }
    report.refused = plan.refused;
    for folder in &plan.folders {
        runner.make_folder(folder)?;
        if let Some(to) = &folder.set_aside {
            report.set_aside.push((folder.at.clone(), to.clone()));
        }
    }

    // A check has to know which folder stands for which.
    for step in plan.steps.iter().filter(|step| step.renamed && step.entry.content == Content::Folder) {
        runner.write(|| JournalLine::FoundAs {
            entry: EntryKey::of(&step.entry.address),
            at: PathField(step.at.clone()),
        })?;
    }

    // Links come last: no file of this restore can then be written through one.
    let is_link = |step: &&Step| matches!(step.entry.content, Content::Link { .. });
    let is_file = |step: &&Step| matches!(step.entry.content, Content::File { .. });
    let steps = plan.steps.iter().filter(is_file).chain(plan.steps.iter().filter(is_link));
    let mut failed = None;
    in_order(
        |hand_over| {
            for step in steps {
                trunk.will_read(&step.entry);
                if conduct.is_stopped() || !hand_over(step, step.entry.size_in_bytes()) {
                    return;
                }
            }
        },
        |step| (step, runner.take(step)),
        |(step, taken)| {
            match taken {
                Ok(()) => report.note_landed(step, conduct),
                Err(StepFailed::Refused(reason)) => {
                    let refused = refused_step(step, reason);
                    if refused.needs_attention {
                        conduct.send(&Event::Trouble {
                            item: &step.entry.item,
                            path: &step.at,
                            code: "not-written",
                        });
                    }
                    if let Err(cause) = runner.journal_refused(&refused) {
                        failed = Some(cause);
                        return false;
                    }
                    report.refused.push(refused);
                }
                Err(StepFailed::Ends(cause)) => {
                    failed = Some(cause);
                    return false;
                }
            }
            true
        },
    );
    if let Some(cause) = failed {
        return Err(cause);
    }
    if conduct.is_stopped() {
        return Err(RestoreError::Cancelled);
    }
    // The innermost first, because making a thing in a folder changes the folder's time.
    for step in plan.steps.iter().rev().filter(|step| step.action == Action::FolderMade) {
        if let Ok(path) = plan.target.host_path(&step.at) {
            host::set_folder_metadata(&path, &step.entry);
            report.written += Tally::FOLDER;
        }
    }
    let drives: BTreeSet<&Path> = plan.steps.iter().map(|step| plan.target.drive_of(&step.at)).collect();
    for drive in drives {
        host::flush(drive).map_err(|cause| RestoreError::Volume { path: drive.to_path_buf(), cause })?;
    }
    if let Some(journal) = &journal {
        journal.end(clock()).map_err(|cause| journal_failed(journal.path(), cause))?;
    }
    conduct.send(&Event::StageEnded { stage: Stage::Restore });
    Ok(report)
}

impl RestoreReport {
    fn note_landed(&mut self, step: &Step, conduct: Conduct<'_>) {
        if step.renamed {
            self.renamed.push((step.entry.address.path.clone(), step.at.clone()));
        }
        match &step.action {
            Action::Identical | Action::FolderMade => return,
            Action::SetAside(to) => self.set_aside.push((step.at.clone(), to.clone())),
            Action::Create => {}
        }
        if let Content::File { size_in_bytes, .. } = step.entry.content {
            self.written += Tally::file(size_in_bytes);
            conduct.send(&Event::File { item: &step.entry.item, path: &step.at, size_in_bytes });
        } else {
            self.written += Tally::LINK;
        }
    }
}

fn refused_step(step: &Step, reason: Reason) -> Refused {
    Refused {
        item: Some(step.entry.item.clone()),
        key: Some(EntryKey::of(&step.entry.address)),
        path: step.entry.address.path.clone(),
        needs_attention: reason.needs_attention(),
        reason,
    }
}

fn begin_journal(records: &Path, trunk: &dyn Trunk, plan: &Plan) -> Result<Journal, RestoreError> {
    let first = JournalLine::Begin {
        format: FORMAT.to_owned(),
        trunk_id: trunk.label().trunk_id.clone(),
        started_utc: plan.planned_utc,
        accounts: plan.accounts.clone(),
        items: plan.items.clone(),
    };
    Journal::begin(records, &first).map_err(|cause| journal_failed(records, cause))
}

fn journal_failed(path: &Path, cause: io::Error) -> RestoreError {
    RestoreError::Journal { path: path.to_path_buf(), cause }
}

enum StepFailed {
    Refused(Reason),
    Ends(RestoreError),
}

struct Runner<'a> {
    trunk: &'a dyn Trunk,
    target: &'a HostTree,
    journal: Option<&'a Journal>,
    /// Whose the things in a folder are to be: the folder's owner's.
    owners: Mutex<HashMap<PathBuf, Option<Owner>>>,
    /// Where files with several names landed, by their numbers in the trunk.
    linked: Mutex<HashMap<u64, (PathBuf, ContentHash)>>,
    conduct: Conduct<'a>,
}

impl Runner<'_> {
    fn write(&self, line: impl FnOnce() -> JournalLine) -> Result<(), RestoreError> {
        match self.journal {
            Some(journal) => journal.write(&line()).map_err(|cause| journal_failed(journal.path(), cause)),
            None => Ok(()),
        }
    }

    fn journal_refused(&self, refused: &Refused) -> Result<(), RestoreError> {
        match &refused.key {
            Some(key) => {
                self.write(|| JournalLine::Refused { entry: key.clone(), reason: refused.reason.clone() })
            }
            None => Ok(()),
        }
    }

    fn host_path(&self, path: &RelativePath) -> Result<PathBuf, Reason> {
        self.target.host_path(path).map_err(|cause| Reason::NotWritten { detail: cause.to_string() })
    }

    fn owner_in(&self, folder: &Path) -> Option<Owner> {
        let mut owners = self.owners.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(owner) = owners.get(folder) {
            return *owner;
        }
        let owner = owner_like(folder);
        owners.insert(folder.to_path_buf(), owner);
        owner
    }

    /// A folder that cannot be made shows in each entry that should have gone into it.
    fn make_folder(&self, folder: &NewFolder) -> Result<(), RestoreError> {
        let Ok(path) = self.host_path(&folder.at) else { return Ok(()) };
        if let Some(to) = &folder.set_aside {
            let Ok(aside) = self.host_path(to) else { return Ok(()) };
            self.write(|| JournalLine::SetAside {
                at: PathField(folder.at.clone()),
                to: PathField(to.clone()),
            })?;
            if host::rename_without_replacing(&path, &aside).is_err() {
                return Ok(());
            }
        }
        self.write(|| JournalLine::Folder { at: PathField(folder.at.clone()) })?;
        match fs::create_dir(&path) {
            Ok(()) => {
                let owner = path.parent().and_then(|above| self.owner_in(above));
                host::set_folder_owner(&path, owner);
                Ok(())
            }
            Err(cause) => match not_written(cause) {
                NotLanded::VolumeFailed(cause) => Err(RestoreError::Volume { path, cause }),
                NotLanded::Refused(_) => Ok(()),
            },
        }
    }

    fn take(&self, step: &Step) -> Result<(), StepFailed> {
        let key = || EntryKey::of(&step.entry.address);
        let at = || PathField(step.at.clone());
        let set_aside = match &step.action {
            Action::FolderMade => return Ok(()),
            Action::Identical => {
                return if step.renamed {
                    self.write(|| JournalLine::FoundAs { entry: key(), at: at() }).map_err(StepFailed::Ends)
                } else {
                    Ok(())
                };
            }
            Action::Create => None,
            Action::SetAside(to) => Some(to),
        };
        let path = self.host_path(&step.at).map_err(StepFailed::Refused)?;
        let aside = set_aside.map(|to| self.host_path(to)).transpose().map_err(StepFailed::Refused)?;
        let owner = path.parent().and_then(|folder| self.owner_in(folder));
        let sort = |failed| match failed {
            NotLanded::Refused(reason) => StepFailed::Refused(reason),
            NotLanded::VolumeFailed(cause) => {
                StepFailed::Ends(RestoreError::Volume { path: path.clone(), cause })
            }
        };
        // Files with several names come one after the other: the second finds the first.
        let mut linked = step
            .entry
            .same_file
            .map(|number| (number, self.linked.lock().unwrap_or_else(PoisonError::into_inner)));
        let same_as = linked.as_ref().and_then(|(number, linked)| {
            let (path, hash) = linked.get(number)?;
            matches!(step.entry.content, Content::File { hash: ours, .. } if ours == *hash)
                .then_some(path.as_path())
        });
        let waiting =
            write_aside(self.trunk, &step.entry, &path, owner, same_as, self.conduct).map_err(sort)?;
        if let Some(to) = set_aside {
            self.write(|| JournalLine::SetAside { at: at(), to: PathField(to.clone()) })
                .map_err(StepFailed::Ends)?;
        }
        self.write(|| JournalLine::Land { entry: key(), at: at(), renamed: step.renamed })
            .map_err(StepFailed::Ends)?;
        give_name(waiting, &path, aside.as_deref()).map_err(sort)?;
        if let (Some((number, linked)), Content::File { hash, .. }) = (&mut linked, &step.entry.content) {
            linked.insert(*number, (path, *hash));
        }
        Ok(())
    }
}
