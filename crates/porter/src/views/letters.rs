//! The letters that were taken out, folder by folder.

use super::mailboxes::thing_of;
use super::numbers::{count, counted};
use crate::failure::Outcome;
use crate::paths;
use crate::screen::{CARE, say, styled};
use porter_core::restore::RestoreReport;
use porter_kinds::mail::letters_out::{FolderTaken, LettersTaken};
use porter_kinds::receipt::LettersReceipt;
use porter_kinds::receipt::letters_brought::{BroughtKind, LettersBrought};
use porter_names::screen::on_screen;
use serde_json::{Value, json};
use std::path::Path;

/// The letters of an item that came into mail programs: a sentence for each program.
pub(crate) fn brought(letters: &[LettersReceipt]) -> Vec<String> {
    let of_program = |rows: &[LettersReceipt]| {
        let sum = |of: fn(&LettersReceipt) -> u64| rows.iter().map(of).sum::<u64>();
        let wanted = sum(|row| row.expected);
        let folders = rows.iter().filter(|row| row.expected > 0).count() as u64;
        let into = rows.first().map(|row| on_screen(row.into.as_bytes())).unwrap_or_default();
        let kind = rows.first().map(|row| row.kind).unwrap_or_default();
        let there = count(sum(|row| row.there_now));
        let mut words = vec![match kind {
            BroughtKind::Letters => {
                let (wanted, folders) = (counted(wanted, "letter"), counted(folders, "folder"));
                format!("{there} of {wanted} in {folders} are in {into}")
            }
            kind => format!("{there} of {} are in {into}", things(wanted, kind)),
        }];
        let others = [
            (sum(|row| row.doubles), "were there before"),
            (sum(|row| row.left_out), "not asked for"),
            (sum(|row| row.damaged), "damaged"),
        ];
        let others = others.into_iter().filter(|(number, _)| *number > 0);
        words.extend(others.map(|(number, why)| format!("{} {why}", count(number))));
        words.join(", ")
    };
    letters.chunk_by(is_of_one).map(of_program).collect()
}

/// True for two rows of one sentence.
pub(crate) fn is_of_one(a: &LettersReceipt, b: &LettersReceipt) -> bool {
    (a.kind, &a.into) == (b.kind, &b.into)
}

fn things(number: u64, kind: BroughtKind) -> String {
    match kind {
        BroughtKind::Letters => counted(number, "letter"),
        BroughtKind::Contacts => counted(number, "contact"),
        BroughtKind::Calendar if number == 1 => "1 event or task".to_owned(),
        BroughtKind::Calendar => format!("{} events and tasks", count(number)),
    }
}

/// Shows the letters that a restore brought into mail programs.
pub(crate) fn show_brought(report: &RestoreReport) {
    for of_item in report.letters.chunk_by(|(a, row), (b, other)| (a, row.kind) == (b, other.kind)) {
        let sum = |of: fn(&LettersBrought) -> u64| of_item.iter().map(|(_, row)| of(row)).sum::<u64>();
        let Some((item, LettersBrought { into, kind, .. })) = of_item.first() else { continue };
        say(format_args!(
            "{}: {} of {} came into {}, {} were there before, {} not asked for, {} damaged.",
            on_screen(item.as_bytes()),
            count(sum(|row| row.written)),
            things(sum(|row| row.found), *kind),
            on_screen(into.as_bytes()),
            count(sum(|row| row.doubles)),
            count(sum(|row| row.left_out)),
            count(sum(|row| row.damaged)),
        ));
    }
    for (item, flaw) in &report.flaws {
        let (item, flaw) = (on_screen(item.as_bytes()), on_screen(flaw.as_bytes()));
        say(styled(CARE, format_args!("! {item}: {flaw}")));
    }
}

/// The same as JSON: a row for each folder, and what could not be read.
pub(crate) fn brought_json(report: &RestoreReport) -> Value {
    let folder = |(item, row): &(String, LettersBrought)| {
        json!({
            "kind": row.kind, "item": item, "into": row.into, "folder": row.folder, "found": row.found, "written": row.written,
            "incomplete": row.incomplete, "doubles": row.doubles, "left_out": row.left_out, "damaged": row.damaged,
        })
    };
    json!({
        "folders": report.letters.iter().map(folder).collect::<Vec<_>>(),
        "not_read": report.flaws.iter().map(|(item, flaw)| json!({"item": item, "what": flaw})).collect::<Vec<_>>(),
    })
}

/// True if all letters came whole.
pub(crate) fn all_came(report: &RestoreReport) -> bool {
    report.flaws.is_empty() && report.letters.iter().all(|(_, row)| row.damaged + row.incomplete == 0)
}

/// Shows them. Something to look after if a letter is damaged, or a file could not be read.
pub(crate) fn show(taken: &LettersTaken, to: &Path) -> Outcome {
    let sum = |of: fn(&FolderTaken) -> u64| taken.folders.iter().map(of).sum::<u64>();
    let (found, written) = (sum(|row| row.found), sum(|row| row.written));
    let left_out = sum(|row| row.left_out);
    let (damaged, incomplete) = (sum(|row| row.damaged), sum(|row| row.incomplete));
    for row in taken.folders.iter().filter(|row| row.left_out < row.found) {
        let path = on_screen(row.path.join(" / ").as_bytes());
        let mut words = vec![format!("{} of {}", count(row.written), counted(row.found, "letter"))];
        words.extend((row.incomplete > 0).then(|| format!("{} without all parts", count(row.incomplete))));
        words.extend((row.left_out > 0).then(|| format!("{} not asked for", count(row.left_out))));
        words.extend((row.damaged > 0).then(|| format!("{} damaged", count(row.damaged))));
        say(format_args!("  {path}: {}", words.join(", ")));
    }
    for (path, kind, number) in &taken.others {
        let path = on_screen(path.join(" / ").as_bytes());
        let things = counted(*number, thing_of(*kind));
        say(format_args!("  {path}: {things} (--as contacts, calendar, tasks, journal or notes)"));
    }
    for flaw in &taken.flaws {
        say(styled(CARE, format_args!("! {}", on_screen(flaw.as_bytes()))));
    }
    let whole = counted(found, "letter");
    let by_choice =
        if left_out > 0 { format!("; {} were not asked for", count(left_out)) } else { String::new() };
    say(format_args!("Taken: {} of {whole} into {}{by_choice}", count(written), paths::shown(to)));
    Outcome::attention_if(damaged + incomplete > 0 || !taken.flaws.is_empty())
}
