//! Carrying out a plan.

use super::RestoreError;
use super::by_depth::{First, by_depth};
use super::flusher::flush_meanwhile;
use super::landed_before::LandedBefore;
use super::lots::WholeFolders;
use super::plan::{Action, Due, NewFolder, Plan, Refused};
use super::report::RestoreReport;
use super::runner::{Runner, StepFailed};
use super::set_controls::{Turn, set_controls};
use super::write_ahead::{begin_journal, journal_failed};
use crate::events::{Conduct, Event, Stage};
use crate::host;
use crate::in_order::{in_order, workers};
use crate::journal::EntryKey;
use crate::journal::records::Records;
use crate::journal::{runs_in, sweep};
use porter_kinds::receipt::Reason;
use porter_trunk::{Content, Entry, Tally, Trunk, TrunkId};
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// Takes the steps of a plan. With a `records` folder each step is first written to a journal there.
///
/// An entry that cannot be written is named, and the rest goes on; a volume that takes nothing more ends the
/// run.
pub fn run_plan(
    trunk: &dyn Trunk,
    mut plan: Plan,
    records: Option<&Path>,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<RestoreReport, RestoreError> {
    conduct.send(&Event::StageBegan { stage: Stage::Restore, expected: plan.to_write });
    let _records = records.map(|records| Records::take(records, plan.target.root())).transpose()?;
    if let Some(records) = records {
        // Half-written files of a restore that was cut off belong to nobody.
        for run in runs_in(records).iter().filter(|run| run.undone.is_none()) {
            sweep(run, &plan.target).map_err(|cause| journal_failed(&run.journal, cause))?;
        }
    }
    trunk.will_read_in_all(plan.to_write.size_in_bytes);
    let (journal, mark) = match records {
        Some(records) => {
            let (journal, mark) = begin_journal(records, trunk, &plan)?;
            (Some(journal), mark)
        }
        None => (None, TrunkId::random().map_err(RestoreError::Mark)?.short()),
    };
    let refused = std::mem::take(&mut plan.refused);
    let runner = Runner {
        trunk,
        whole_folders: WholeFolders::of(&plan),
        target: &plan.target,
        mark: &mark,
        journal: journal.as_ref(),
        owners: Mutex::default(),
        linked: Mutex::default(),
        before: LandedBefore::nothing_yet(&plan.recurring, &plan.target),
        conduct,
    };
    let mut report = RestoreReport {
        written: Tally::default(),
        identical: plan.identical,
        set_aside: Vec::new(),
        renamed: Vec::new(),
        refused,
        registry_values: 0,
        controls_set: 0,
        letters: Vec::new(),
        flaws: Vec::new(),
        journal: journal.as_ref().map(|journal| journal.path().to_path_buf()),
    };
    for refused in &report.refused {
        runner.journal_refused(refused)?;
    }
    set_controls(&plan, Turn::First, &|lines| runner.see_written(lines), &mut report)?;
    runner.note_folders(&plan)?;
    // A disk's arm would go to and fro between the folders of several threads.
    let threads = if plan.spins { 1 } else { workers() };
    make_folders(&runner, &plan, threads, &mut report)?;
    flush_meanwhile(&plan.drives, || {
        let mut folders = Vec::new();
        take_steps(&runner, &plan, &mut report, |due| match due.entry.content {
            Content::File { .. } => true,
            Content::Folder => {
                if due.step.action == Action::FolderMade {
                    folders.push((due.at.clone(), Entry::clone(&due.entry)));
                }
                false
            }
            Content::Link { .. } => false,
        })?;
        // Links come last: no file of this restore can then be written through one.
        if plan.to_write.links + plan.identical.links > 0 {
            take_steps(&runner, &plan, &mut report, |due| matches!(due.entry.content, Content::Link { .. }))?;
        }
        if conduct.is_stopped() {
            return Err(RestoreError::Cancelled);
        }
        runner.edit(&plan, &mut report)?;
        runner.bring(&plan, &mut report)?;
        set_controls(&plan, Turn::Last, &|lines| runner.see_written(lines), &mut report)?;
        // A folder may be shut to us when it has its own rights, so those in it come first.
        let set = AtomicU64::new(0);
        by_depth(
            threads,
            First::Innermost,
            &folders,
            |(at, _)| at,
            |(at, entry)| {
                if let Ok(path) = plan.target.reach_folder(at) {
                    host::set_folder_metadata(&path.itself(), entry);
                    set.fetch_add(1, Ordering::Relaxed);
                }
            },
        );
        report.written += Tally { folders: set.into_inner(), ..Tally::default() };
        Ok(())
    })?;
    for drive in &plan.drives {
        host::flush(drive).map_err(|cause| RestoreError::Volume { path: drive.clone(), cause })?;
    }
    if let Some(journal) = &journal {
        journal.end(clock()).map_err(|cause| journal_failed(journal.path(), cause))?;
    }
    conduct.send(&Event::StageEnded { stage: Stage::Restore });
    Ok(report)
}

/// Makes the folders of a plan that are there before anything lands in them.
fn make_folders(
    runner: &Runner<'_>,
    plan: &Plan,
    threads: usize,
    report: &mut RestoreReport,
) -> Result<(), RestoreError> {
    let own = |folder: &&NewFolder| !runner.whole_folders.contain(&folder.at);
    let folders: Vec<&NewFolder> = plan.folders.iter().filter(own).collect();
    let failed = Mutex::new(None);
    let failure = || failed.lock().unwrap_or_else(PoisonError::into_inner);
    by_depth(
        threads,
        First::Outermost,
        &folders,
        |folder| &folder.at,
        |folder| {
            if failure().is_none()
                && let Err(cause) = runner.make_folder(folder)
            {
                failure().get_or_insert(cause);
            }
        },
    );
    let set_aside = folders.iter().filter_map(|folder| Some((folder.at.clone(), folder.set_aside.clone()?)));
    report.set_aside.extend(set_aside);
    failed.into_inner().unwrap_or_else(PoisonError::into_inner).map_or(Ok(()), Err)
}

/// The number of steps written to the journal and flushed at once: one by one, the flushes would take all the
/// time. The first stretch is short, so that work begins soon.
const FIRST_STRETCH: usize = 256;
const LONGEST_STRETCH: usize = 4096;

/// Takes those steps that are wanted.
fn take_steps(
    runner: &Runner<'_>,
    plan: &Plan,
    report: &mut RestoreReport,
    mut wanted: impl FnMut(&Due<'_>) -> bool + Send,
) -> Result<(), RestoreError> {
    let (trunk, conduct) = (runner.trunk, runner.conduct);
    let all_due = plan.due(trunk)?;
    let mut finding_failed = None;
    let mut failed = None;
    // A disk's arm would go to and fro between the files of several threads.
    let workers = if plan.spins { 1 } else { workers() };
    in_order(
        workers,
        |hand_over| {
            let mut stretch = Vec::new();
            let mut most = FIRST_STRETCH;
            let find = || -> Result<(), RestoreError> {
                for due in all_due {
                    let due = due?;
                    if wanted(&due) {
                        stretch.push(due);
                    }
                    if stretch.len() >= most {
                        most = LONGEST_STRETCH;
                        if !runner.write_ahead(&mut stretch, hand_over)? {
                            return Ok(());
                        }
                    }
                }
                runner.write_ahead(&mut stretch, hand_over).map(drop)
            };
            finding_failed = find().err();
        },
        |lot| {
            let taken = runner.take_all(&lot);
            (lot, taken)
        },
        |(lot, taken)| {
            for (due, taken) in lot.dues.into_iter().zip(taken) {
                match taken {
                    Ok(()) => report.note_landed(&due, conduct),
                    Err(StepFailed::Refused(reason)) => {
                        let refused = refused_step(&due, reason);
                        if refused.needs_attention {
                            let (item, path) = (&due.entry.item, &due.at);
                            conduct.send(&Event::Trouble { item, path, code: "not-written" });
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
            }
            true
        },
    );
    match (failed, finding_failed) {
        (Some(cause), _) | (None, Some(cause)) => Err(cause),
        (None, None) if conduct.is_stopped() => Err(RestoreError::Cancelled),
        (None, None) => Ok(()),
    }
}

fn refused_step(due: &Due<'_>, reason: Reason) -> Refused {
    Refused {
        item: Some(due.entry.item.clone()),
        key: Some(EntryKey::of(&due.entry.address)),
        path: due.entry.address.path.clone(),
        needs_attention: reason.needs_attention(),
        reason,
    }
}
