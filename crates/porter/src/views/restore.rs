//! Views of a restore, before and after.

use super::kinds::KINDS;
use super::numbers::{count, counted, size};
use super::rows::{self, Rows, shortened, without_owner};
use super::survey::system;
use super::words;
use crate::paths;
use crate::screen::{BOLD, CARE, FAINT, GOOD, say, styled};
use anstream::adapter::strip_str;
use porter_core::restore::plan::ItemPlan;
use porter_core::restore::{Plan, Refused, RestoreReport};
use porter_kinds::receipt::Reason;
use porter_names::RelativePath;
use porter_names::screen::on_screen;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// Lists longer than this are folded.
pub(super) const LONGEST_LIST: usize = 10;

/// A page that shows that a printer prints.
pub(crate) fn test_page(printer: &str, from: &str) -> String {
    let ruler: String = (1..=7).map(|tens| format!("----+---{tens}0")).collect();
    format!("Loyal Porter: test page\r\n\r\n{printer}\r\nas it was on {from}\r\n\r\n{ruler}\r\n\x0c")
}

/// The plan, before anything is written.
pub(crate) fn show_plan(plan: &Plan, from: &str, to: &str, with_items: bool) {
    say(styled(BOLD, format_args!("Restoring {from} to {to}")));
    for (old, new) in &plan.outline.account_names {
        say(format_args!("  {old} -> {new}"));
    }
    if plan.outline.same_machine {
        say(styled(
            CARE,
            format_args!(
                "  This is the machine that the trunk was captured from: what is there and the same stays, what differs is set aside."
            ),
        ));
    }
    if let Some((old, new)) = &plan.outline.older_system {
        say(styled(
            CARE,
            format_args!(
                "  {} is older than {}: what programs keep may be of a later version than the ones here understand.",
                system(new),
                system(old)
            ),
        ));
    }
    say("");
    if with_items && show_destinations(plan) {
        say("");
    }
    say(row(
        "to write",
        &format!("{}, {}", counted(plan.to_write.files, "file"), size(plan.to_write.size_in_bytes)),
    ));
    say(row("there already", &format!("{}, byte for byte", counted(plan.identical.files, "file"))));
    let set_aside: Vec<_> = plan.set_aside().collect();
    say(row("to set aside", &counted(set_aside.len() as u64, "entry")));
    show_pairs(set_aside.iter().map(|(from, to)| (from, to)), set_aside.len());
    let renamed = &plan.renamed;
    if !renamed.is_empty() {
        say(row(
            "other names",
            &format!(
                "{}: their own names cannot be held there, or are taken",
                counted(renamed.len() as u64, "entry")
            ),
        ));
        show_pairs(renamed.iter().map(|row| (&row.key.path, &row.at)), renamed.len());
    }
    for merged in plan.changes.merged() {
        let added = merged.added;
        let words = if added.is_nothing() {
            "nothing that is not there already".to_owned()
        } else {
            format!("{} and {}", counted(added.bookmarks, "bookmark"), counted(added.folders, "folder"))
        };
        say(row("bookmarks", &format!("{}: {words} into {}", merged.account, merged.into)));
    }
    for bring in plan.changes.brings() {
        let (item, into) = (on_screen(bring.item.as_bytes()), on_screen(bring.into.as_bytes()));
        let (account, letters) = (on_screen(bring.account.as_bytes()), counted(bring.letters, "message"));
        say(row("letters", &format!("{account}: {letters} of {item} into {into}, behind what is there")));
    }
    let registry_values: u64 = plan.outline.destinations.iter().map(|item| item.registry_values).sum();
    let of_system =
        plan.changes.controls().iter().filter(|set| set.control.registry_key(&set.becomes).is_none());
    let shown: Vec<String> = of_system.map(|set| set.control.shown(&set.owner, &set.becomes)).collect();
    if !shown.is_empty() {
        say(row("to set", &on_screen(shown.join(", ").as_bytes())));
    }
    if registry_values > 0 {
        say(row("registry", &format!("{} into people's registries", counted(registry_values, "value"))));
    }
    show_refused(&plan.refused);
    show_notes(plan.changes.notes());
    if plan.changes.close_first().len() > 0 {
        let titles: Vec<&str> = plan.changes.close_first().collect();
        let words = format!(
            "{} is running there, and would overwrite what porter enters: close it first",
            titles.join(", ")
        );
        say(styled(CARE, row("in use", &words)));
    }
    say(row("free space", &size(plan.free_in_bytes)));
}

/// Remarks about items that land in spite of them.
pub(crate) fn show_notes(notes: &[(String, Reason)]) {
    for (item, reason) in notes.iter().take(LONGEST_LIST) {
        say(styled(CARE, row("not all", &on_screen(item.as_bytes()))));
        say(format_args!("        {}", words::reason(reason)));
    }
    fold(notes.len());
}

/// The report of what was done, which begins with `Restored.` or `Taken.`
pub(crate) fn show(done: &str, report: &RestoreReport) {
    say("");
    say(format_args!(
        "{} {} written, {}; {} there already; {} set aside, nothing deleted.",
        styled(GOOD, done),
        counted(report.written.files, "file"),
        size(report.written.size_in_bytes),
        counted(report.identical.files, "file"),
        counted(report.set_aside.len() as u64, "entry")
    ));
    if report.registry_values > 0 {
        say(format_args!("{} entered in people's registries.", counted(report.registry_values, "value")));
    }
    if report.controls_set > 0 {
        say(format_args!("{} of the running system set.", counted(report.controls_set, "part")));
    }
    let attention = report.refused.iter().filter(|refused| refused.needs_attention).count();
    if attention > 0 {
        say(styled(CARE, format_args!("{} did not land:", counted(attention as u64, "entry"))));
        show_cannot_land(&report.refused);
    }
    if let Some(journal) = &report.journal {
        say(styled(FAINT, format_args!("Recorded in {}", paths::shown(journal))));
    }
}

/// Each item by person, how much of it will be written, and where it goes. False if there is none.
fn show_destinations(plan: &Plan) -> bool {
    /// Narrower rows have no room beside.
    const WIDE: usize = 110;
    // Folders in which there is nothing are made, and no news.
    let is_news = |item: &&ItemPlan| item.to_write.files + item.to_write.links + item.registry_values > 0;
    let items: Vec<&ItemPlan> = plan.outline.destinations.iter().filter(is_news).collect();
    let owner = |item: &ItemPlan| item.id.split('/').next().unwrap_or_default().to_owned();
    let name = |item: &ItemPlan| without_owner(&item.id, Some(&owner(item))).to_owned();
    let longest = items.iter().map(|item| name(item).width()).max().unwrap_or_default();
    let is_wide = rows::width() >= WIDE;
    let rows = Rows::new(longest, 2, false);
    let mut whose = None;
    for item in &items {
        let owner = owner(item);
        if whose.as_ref() != Some(&owner) {
            say(styled(BOLD, if owner == "machine" { "For everybody" } else { &owner }));
            whose = Some(owner);
        }
        let named = |to: &RelativePath| {
            if to.is_root() { "the root of the drive".to_owned() } else { to.to_string() }
        };
        let mut to: Vec<String> = item.to.iter().map(named).collect();
        let files = item.to_write.files + item.to_write.links;
        if files > 0 && to.is_empty() {
            to.push("nowhere: see below".to_owned());
        } else if files == 0 {
            to.clear();
        }
        let values = (item.registry_values > 0)
            .then(|| format!("{} into the person's registry", counted(item.registry_values, "value")));
        let row = match files {
            0 => rows.name(&name(item)),
            _ => rows.row(&name(item), item.to_write.files, item.to_write.size_in_bytes, None),
        };
        let room = rows::width().saturating_sub(if is_wide { row.width() + 7 } else { 9 });
        let to: Vec<String> = to.iter().map(|to| shortened(to, room)).collect();
        let begin = if is_wide {
            format!("  {row}  {} ", styled(FAINT, "to"))
        } else {
            format!("      {} ", styled(FAINT, "to"))
        };
        if let (Some(values), 0) = (&values, files) {
            say(format_args!("  {row}  {values}"));
            continue;
        }
        if !is_wide || to.is_empty() {
            say(format_args!("  {row}"));
        }
        for (at, to) in to.iter().enumerate() {
            let begin =
                if at == 0 { begin.clone() } else { " ".repeat(strip_str(&begin).to_string().width()) };
            say(format_args!("{begin}{to}"));
        }
        if let Some(values) = values {
            say(format_args!("      {values}"));
        }
    }
    !items.is_empty()
}

pub(super) fn row(name: &str, value: &str) -> String {
    // The spaces stand outside of the style, so that a line that is broken goes on below the value.
    format!("  {}{} {value}", styled(BOLD, name), " ".repeat(14_usize.saturating_sub(name.width())))
}

fn show_pairs<'p>(pairs: impl Iterator<Item = (&'p RelativePath, &'p RelativePath)>, all: usize) {
    for (from, to) in pairs.take(LONGEST_LIST) {
        let to = to.name().map(on_screen).unwrap_or_default();
        say(format_args!("      {}", shortened(&from.to_string(), rows::width().saturating_sub(6))));
        say(format_args!(
            "        {} {}",
            styled(FAINT, "becomes"),
            shortened(&to, rows::width().saturating_sub(16))
        ));
    }
    fold(all);
}

pub(super) fn fold(all: usize) {
    if all > LONGEST_LIST {
        say(styled(FAINT, format_args!("      … and {} more; --json lists them all", all - LONGEST_LIST)));
    }
}

fn show_refused(refused: &[Refused]) {
    let mut kept: BTreeMap<String, u64> = BTreeMap::new();
    for row in refused.iter().filter(|row| !row.needs_attention) {
        let why = if let Reason::Held { why } = &row.reason {
            on_screen(why.as_bytes())
        } else {
            words::reason(&row.reason)
        };
        *kept.entry(why).or_default() += 1;
    }
    for (why, number) in kept {
        say(row("kept in trunk", &format!("{}: {why}", counted(number, "entry"))));
    }
    show_cannot_land(refused);
}

fn show_cannot_land(refused: &[Refused]) {
    let attention: Vec<&Refused> = refused.iter().filter(|row| row.needs_attention).collect();
    if attention.is_empty() {
        return;
    }
    say(styled(CARE, row("cannot land", &counted(attention.len() as u64, "entry"))));
    // A reason about a whole item is shown once, with all items that share it.
    let mut of_items: Vec<(&Reason, Vec<&str>)> = Vec::new();
    for row in attention.iter().filter(|row| row.reason.is_of_whole_item()) {
        let item = row.item.as_deref().unwrap_or("?");
        match of_items.iter_mut().find(|(reason, _)| **reason == row.reason) {
            Some((_, items)) if items.contains(&item) => {}
            Some((_, items)) => items.push(item),
            None => of_items.push((&row.reason, vec![item])),
        }
    }
    for (reason, items) in &of_items {
        items.iter().for_each(|item| say(format_args!("      {item}")));
        say(format_args!("        {}", words::reason(reason)));
    }
    let of_entries: Vec<&&Refused> = attention.iter().filter(|row| !row.reason.is_of_whole_item()).collect();
    for row in of_entries.iter().take(LONGEST_LIST) {
        let item = row.item.as_deref().unwrap_or("?");
        let room = rows::width().saturating_sub(8 + item.width());
        say(format_args!("      {item}  {}", shortened(&paths::in_a_row(&row.path), room.max(20))));
        say(format_args!("        {}", words::reason(&row.reason)));
    }
    fold(of_entries.len());
}

/// The check knows which of them are to be set.
pub(crate) fn tell_of_settings(number: u64) {
    say(format_args!(
        "Printers and settings of the whole machine in the trunk: {}. `porter check` says which of them to set by hand, and what to type.",
        count(number)
    ));
}

fn pairs_json(pairs: impl Iterator<Item = (RelativePath, RelativePath)>) -> Vec<Value> {
    pairs.map(|(from, to)| json!({"from": from.to_string(), "to": to.to_string()})).collect()
}

fn refused_json(refused: &[Refused]) -> Vec<Value> {
    let row = |row: &Refused| {
        json!({
            "item": row.item,
            "path": row.path.to_string(),
            "verdict": row.verdict(),
            "reason": words::reason(&row.reason),
            "needs_attention": row.needs_attention,
        })
    };
    refused.iter().map(row).collect()
}

fn notes_json(notes: &[(String, Reason)]) -> Vec<Value> {
    notes.iter().map(|(item, reason)| json!({"item": item, "reason": words::reason(reason)})).collect()
}

/// `porter-restore/1`, with nothing done.
pub(crate) fn plan_json(plan: &Plan) -> Value {
    let renamed = plan.renamed.iter().map(|row| (row.key.path.clone(), row.at.clone()));
    let mut json = json!({
        "format": "porter-restore/1",
        "tried_only": true,
        "accounts": plan.outline.accounts,
        "items": plan.outline.items,
        "destinations": plan.outline.destinations.iter().map(|item| json!({"id": item.id, "to": item.to.iter().map(ToString::to_string).collect::<Vec<_>>(), "written": item.to_write, "registry_values": item.registry_values})).collect::<Vec<_>>(),
        "written": plan.to_write,
        "identical": plan.identical,
        "set_aside": pairs_json(plan.set_aside()),
        "renamed": pairs_json(renamed),
        "same_machine": plan.outline.same_machine,
        "older_system": plan.outline.older_system.is_some(),
        "merged": plan.changes.merged().iter().map(|row| json!({"account": row.account, "into": row.into, "bookmarks": row.added.bookmarks, "folders": row.added.folders, "were_there": row.added.were_there})).collect::<Vec<_>>(),
        "notes": notes_json(plan.changes.notes()),
        "letters": plan.changes.brings().iter().map(|bring| json!({"item": bring.item, "account": bring.account, "into": bring.into, "letters": bring.letters, "at": bring.at.to_string()})).collect::<Vec<_>>(),
        "close_first": plan.changes.close_first().collect::<Vec<_>>(),
        "refused": refused_json(&plan.refused),
    });
    for (name, value) in KINDS.iter().filter_map(|words| words.in_plan(plan)) {
        json[name] = value;
    }
    json
}

/// `porter-restore/1`.
pub(crate) fn json(
    report: &RestoreReport,
    accounts: &BTreeMap<String, String>,
    notes: &[(String, Reason)],
) -> Value {
    let pairs = |pairs: &[(RelativePath, RelativePath)]| pairs_json(pairs.iter().cloned());
    json!({
        "format": "porter-restore/1",
        "tried_only": false,
        "accounts": accounts,
        "written": report.written,
        "registry_values": report.registry_values,
        "controls_set": report.controls_set,
        "identical": report.identical,
        "set_aside": pairs(&report.set_aside),
        "renamed": pairs(&report.renamed),
        "refused": refused_json(&report.refused),
        "notes": notes_json(notes),
        "letters": super::letters::brought_json(report),
        "journal": report.journal.as_ref().map(|path| paths::shown(path)),
    })
}
