//! Views of an undo.

use super::numbers::{counted, date_and_time, size};
use super::restore::{LONGEST_LIST, fold, row};
use crate::paths;
use crate::screen::{BOLD, CARE, FAINT, GOOD, say, styled};
use porter_core::journal::{Record, Run};
use porter_core::undo::{Kept, UndoReport, WhyKept};
use serde_json::{Value, json};

/// The restores that a machine has seen, the latest first.
pub(crate) fn show_list(records: &[Record], machine: &str) {
    if records.is_empty() {
        say(format_args!("Nothing was restored to {machine} yet."));
        return;
    }
    say(styled(BOLD, format_args!("Restores to {machine}")));
    for record in records.iter().rev() {
        match record {
            Record::Run(run) => {
                say(format_args!("  {}  {}  {}", date_and_time(run.started_utc), what(run), state(run)));
            }
            Record::Unreadable(journal) => {
                say(styled(CARE, format_args!("  {}  cannot be read", paths::shown(journal))));
            }
        }
    }
    let stands = |record: &Record| matches!(record, Record::Run(run) if run.undone.is_none());
    if records.iter().any(stands) {
        say("");
        say("`porter undo` takes back the latest of those that stand.");
    }
}

fn what(run: &Run) -> String {
    let from = if run.from.is_empty() { String::new() } else { format!("{}, ", run.from) };
    format!("{from}trunk {}", run.trunk_id.short())
}

fn state(run: &Run) -> String {
    match (&run.undone, run.finished_utc) {
        (Some(undone), _) if undone.kept > 0 => {
            format!(
                "taken back {}; {} stayed",
                date_and_time(undone.finished_utc),
                counted(undone.kept, "entry")
            )
        }
        (Some(undone), _) => format!("taken back {}", date_and_time(undone.finished_utc)),
        (None, Some(_)) => "stands".to_owned(),
        (None, None) => "was cut off".to_owned(),
    }
}

/// The steps that would be undone.
pub(crate) fn show_plan(run: &Run, planned: &UndoReport, machine: &str) {
    say(styled(
        BOLD,
        format_args!(
            "Taking back the restore of {} to {machine}, {}",
            what(run),
            date_and_time(run.started_utc)
        ),
    ));
    say(row(
        "to remove",
        &format!(
            "{}, {}; {}",
            counted(planned.removed.files, "file"),
            size(planned.removed.size_in_bytes),
            counted(planned.removed.folders, "folder")
        ),
    ));
    say(row("to put back", &counted(planned.put_back, "entry")));
    show_kept(planned, "would stay");
}

/// The steps that were undone.
pub(crate) fn show(run: &Run, report: &UndoReport) {
    say(format_args!(
        "{} The restore of {} removed again: {}, {}. {} put back.",
        styled(GOOD, "Taken back."),
        what(run),
        counted(report.removed.files, "file"),
        size(report.removed.size_in_bytes),
        counted(report.put_back, "entry"),
    ));
    show_kept(report, "stayed");
    say(styled(FAINT, format_args!("Its journal is kept: {}", paths::shown(&run.journal))));
}

fn show_kept(report: &UndoReport, word: &str) {
    if report.unreadable_lines > 0 {
        let lines = counted(report.unreadable_lines, "line");
        say(styled(
            CARE,
            format_args!(
                "  {lines} of the journal cannot be read: what such a line tells of stays where it is"
            ),
        ));
    }
    let kept = &report.kept;
    if kept.is_empty() {
        return;
    }
    say(styled(CARE, row(word, &counted(kept.len() as u64, "entry"))));
    for kept in kept.iter().take(LONGEST_LIST) {
        say(format_args!("      {}", kept.at));
        say(format_args!("        {}", why(&kept.why)));
    }
    fold(kept.len());
}

fn why(why: &WhyKept) -> String {
    match why {
        WhyKept::Changed => "it is not what was restored: somebody has worked on it since. Look at it, and keep what is wanted".to_owned(),
        WhyKept::NotEmpty => "something that was not restored is in this folder".to_owned(),
        WhyKept::OriginalGone(aside) => format!("what was there before had been set aside as {aside}, and is gone: this is all there is"),
        WhyKept::NoLandingPlace(why) => format!("no rule known here restores anything there ({}). If a rule file of yours does, name it with --rules; else somebody has changed the journal", porter_names::screen::on_screen(why.as_bytes())),
        WhyKept::NotDone(detail) => format!("it could not be done ({detail}); close programs that use it, and undo again"),
    }
}

/// `porter-undo-list/1`.
pub(crate) fn list_json(records: &[Record]) -> Value {
    let row = |run: &Run| {
        json!({
            "started_utc": super::numbers::rfc3339(run.started_utc),
            "from": run.from,
            "trunk_id": run.trunk_id,
            "state": match (&run.undone, run.finished_utc) {
                (Some(_), _) => "taken-back",
                (None, Some(_)) => "stands",
                (None, None) => "cut-off",
            },
            "kept": run.undone.as_ref().map(|undone| undone.kept),
            "journal": paths::shown(&run.journal),
        })
    };
    let (mut restores, mut unreadable) = (Vec::new(), Vec::new());
    for record in records {
        match record {
            Record::Run(run) => restores.push(row(run)),
            Record::Unreadable(journal) => unreadable.push(paths::shown(journal)),
        }
    }
    json!({"format": "porter-undo-list/1", "restores": restores, "unreadable": unreadable})
}

/// `porter-undo/1`.
pub(crate) fn json(run: &Run, report: &UndoReport, tried_only: bool) -> Value {
    let kept = |kept: &Kept| json!({"at": kept.at.to_string(), "reason": why(&kept.why)});
    json!({
        "format": "porter-undo/1",
        "tried_only": tried_only,
        "trunk_id": run.trunk_id,
        "removed": report.removed,
        "put_back": report.put_back,
        "unreadable_lines": report.unreadable_lines,
        "kept": report.kept.iter().map(kept).collect::<Vec<_>>(),
        "journal": paths::shown(&run.journal),
    })
}
