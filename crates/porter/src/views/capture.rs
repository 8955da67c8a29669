//! Views of a capture.

use super::numbers::{counted, padded, size};
use super::words;
use crate::paths;
use crate::screen::{BOLD, CARE, FAINT, GOOD, say, styled, tell};
use crate::target_speed::time_for;
use porter_core::capture::{CaptureReport, Forecast};
use porter_core::packing::PackingList;
use porter_core::packing::list::Changes;
use porter_core::survey::Survey;
use porter_kinds::caution::Caution;
use porter_kinds::receipt::Verdict;
use porter_machine::Machine;
use porter_names::screen::on_screen;
use porter_trunk::{LeftBehind, LeftReason, Tally};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::Path;

/// Lists longer than this are folded.
const LONGEST_LIST: usize = 10;

/// Before the first byte.
pub(crate) fn show_forecast(
    machine: &Machine,
    forecast: &Forecast,
    trunk: &Path,
    bytes_per_second: Option<u64>,
) {
    say(format_args!(
        "{}: {} in {}, into {}",
        styled(BOLD, format_args!("Capturing {}", machine.name)),
        size(forecast.to_capture.size_in_bytes),
        counted(forecast.to_capture.files, "file"),
        paths::shown(trunk)
    ));
    say(format_args!(
        "The trunk takes up to {}; {} are free there.",
        size(forecast.needed_in_bytes),
        size(forecast.free_in_bytes)
    ));
    if let Some(speed) = bytes_per_second {
        let time = time_for(forecast.needed_in_bytes, speed);
        say(format_args!("Time: {time}, at the {}/s that this drive takes.", size(speed)));
    }
    if forecast.too_large > 0 {
        say(styled(
            CARE,
            format_args!(
                "! {} will be left: a FAT32 drive holds no file of 4 GiB or more. Use a drive with another file system.",
                counted(forecast.too_large, "file")
            ),
        ));
    }
}

/// The trunk was there already.
pub(crate) fn tell_going_on(files: u64, size_in_bytes: u64) {
    tell(format_args!(
        "Going on with the trunk that is there: {} with {} are safe in it already, and are read again only if they changed.",
        counted(files, "file"),
        size(size_in_bytes)
    ));
}

/// Packs of an earlier run that are of no use.
pub(crate) fn tell_set_aside(packs: &[String]) {
    for pack in packs {
        tell(styled(
            CARE,
            format_args!(
                "! {pack} is damaged. What was in it is captured again; {pack}.damaged may be deleted then."
            ),
        ));
    }
}

/// The items whose files are being written to.
pub(crate) fn running(survey: &Survey) -> impl Iterator<Item = &porter_kinds::item::Item> {
    let is_running = |caution: &Caution| matches!(caution, Caution::ProgramRunning { .. });
    survey
        .items
        .iter()
        .filter(move |row| row.chosen && row.cautions.iter().any(is_running))
        .map(|row| &row.item)
}

/// Running programs that write to the items about to be captured; on standard error, because they are no
/// result.
pub(crate) fn tell_running(survey: &Survey) {
    for row in survey.items.iter().filter(|row| row.chosen) {
        for caution in row.cautions.iter().filter(|caution| matches!(caution, Caution::ProgramRunning { .. }))
        {
            let words = words::caution(caution);
            tell(styled(CARE, format_args!("! {}: {}; {}.", row.item.id, words.what, words.advice)));
        }
    }
}

/// Differences from the machine at the time of the packing list; on standard error, because they are not the
/// result.
pub(crate) fn tell_changes(machine: &Machine, list: &PackingList, changes: &Changes) {
    let warn = |what: String| tell(styled(CARE, format_args!("! {what}")));
    if list.machine != machine.name {
        let (other, this) = (on_screen(list.machine.as_bytes()), on_screen(machine.name.as_bytes()));
        warn(format!("The packing list was written for {other}, and this is {this}."));
    }
    let other_size: Vec<String> = changes
        .other_size
        .iter()
        .map(|(id, then, now)| format!("{id} ({} then, {} now)", size(*then), size(*now)))
        .collect();
    for (what, ids) in [
        ("Not on the packing list, and left out", &changes.not_listed),
        ("On the packing list, and not there any more", &changes.gone),
        ("Of another size than on the packing list", &other_size),
    ] {
        if !ids.is_empty() {
            warn(format!("{what}: {}", ids.join(", ")));
        }
    }
}

/// How much room the trunk took.
pub(crate) struct Took {
    /// By this run, where that is known.
    pub(crate) written_in_bytes: Option<u64>,
    /// By all runs, if there were others before.
    pub(crate) all_in_bytes: Option<u64>,
}

/// After the last.
pub(crate) fn show(report: &CaptureReport, trunk: &Path, trunk_id: &str, prove_later: bool, took: &Took) {
    say("");
    for (depth, what, tally) in balance_rows(report) {
        let what = padded(&format!("{}{what}", "  ".repeat(depth)), 20);
        say(format_args!("{} {}", if depth == 0 { styled(BOLD, what) } else { what }, tally_words(tally)));
    }
    say("");
    say(styled(GOOD, "Every entry is accounted for: these numbers add up."));

    let mut by_rule: BTreeMap<&str, Tally> = BTreeMap::new();
    for left in &report.left_behind {
        if let (LeftReason::Rule { why } | LeftReason::NotChosen { why }, Some(tally)) =
            (&left.reason, left.tally)
        {
            *by_rule.entry(why).or_default() += tally;
        }
    }
    if !by_rule.is_empty() {
        say("Not needed, or not chosen:");
        for (why, tally) in by_rule {
            let amount = format!("{}, {}", counted(tally.entries(), "entry"), size(tally.size_in_bytes));
            say(format_args!("  {}  {why}", padded(&amount, 24)));
        }
    }
    let attention: Vec<&LeftBehind> = need_attention(report).collect();
    if !attention.is_empty() {
        say("");
        say(styled(
            CARE,
            format_args!(
                "{} could not be captured as it should be:",
                counted(attention.len() as u64, "entry")
            ),
        ));
        for left in attention.iter().take(LONGEST_LIST) {
            say(format_args!("  {}", paths::in_a_row(&left.volume_path)));
            say(format_args!("      {}", words::left(&left.reason)));
            if let Some(kept) = &left.kept {
                say(format_args!("      {}", words::kept_state(kept)));
            }
        }
        if attention.len() > LONGEST_LIST {
            let more = attention.len() - LONGEST_LIST;
            say(styled(FAINT, format_args!("  … and {more} more; `porter check` lists them, --json too")));
        }
    }
    say("");
    let where_it_is = format!("Trunk {trunk_id} in {}", paths::shown(trunk));
    if prove_later {
        say(format_args!("{} {where_it_is} was not read back.", styled(CARE, "Written.")));
        say(format_args!("Before you rely on it: porter check {}", paths::shown(trunk)));
    } else {
        say(format_args!(
            "{} {where_it_is} was read back: every byte is what was written.",
            styled(GOOD, "Done.")
        ));
    }
    match (took.written_in_bytes, took.all_in_bytes) {
        (Some(added), Some(all)) => {
            say(format_args!("This run added {}; the trunk takes {} now.", size(added), size(all)));
        }
        (Some(written), None) => say(format_args!("It took {} on the drive.", size(written))),
        (None, _) => {}
    }
    if !report.packs_without_spare.is_empty() {
        let packs = report.packs_without_spare.join(", ");
        say(styled(CARE, format_args!("! There is no room for recovery data beside {packs}.")));
    }
}

/// The old machine's files, by their fate: the same words as on a receipt.
fn balance_rows(report: &CaptureReport) -> Vec<(usize, &'static str, Tally)> {
    let left = |verdict: Verdict| {
        let rows = report.left_behind.iter().filter(|left| Verdict::of_left(&left.reason) == verdict);
        let mut all = Tally::default();
        rows.for_each(|left| all += left.tally.unwrap_or_default());
        all
    };
    let rows = [
        (0, "on the old machine", report.seen),
        (1, "not needed", left(Verdict::NotNeeded)),
        (1, "not chosen", left(Verdict::NotChosen)),
        (1, "could not be read", left(Verdict::NotRead)),
        (1, "carried", report.captured),
    ];
    rows.into_iter()
        .filter(|(depth, what, tally)| *depth == 0 || *what == "carried" || tally.entries() > 0)
        .collect()
}

/// True if a person should look at anything.
pub(crate) fn needs_attention(report: &CaptureReport) -> bool {
    need_attention(report).next().is_some() || !report.packs_without_spare.is_empty()
}

fn need_attention(report: &CaptureReport) -> impl Iterator<Item = &LeftBehind> {
    report.left_behind.iter().filter(|left| left.reason.needs_attention())
}

/// Files, folders, links and bytes.
pub(crate) fn tally_words(tally: Tally) -> String {
    format!(
        "{}  {}  {}  {}",
        padded(&counted(tally.files, "file"), 14),
        padded(&counted(tally.folders, "folder"), 14),
        padded(&counted(tally.links, "link"), 9),
        size(tally.size_in_bytes)
    )
}

/// `porter-capture/1`.
pub(crate) fn json(report: &CaptureReport, trunk: &Path, trunk_id: &str) -> Value {
    let left_behind = report.left_behind.iter().map(|left| {
        json!({
            "path": left.volume_path.to_string(),
            "reason": words::left(&left.reason),
            "code": left.reason.code(),
            "item": left.item,
            "needs_attention": left.reason.needs_attention(),
            "files": left.tally.map(|tally| tally.files),
            "bytes": left.tally.map(|tally| tally.size_in_bytes),
            "kept": left.kept,
        })
    });
    json!({
        "format": "porter-capture/1",
        "trunk": {"id": trunk_id, "folder": paths::shown(trunk)},
        "seen": report.seen,
        "captured": report.captured,
        "left": report.left,
        "left_behind": left_behind.collect::<Vec<_>>(),
        "items": report.items,
        "packs_without_spare": report.packs_without_spare,
    })
}
