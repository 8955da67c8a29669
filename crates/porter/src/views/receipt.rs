//! The receipt for the terminal and as JSON.

use super::browsers;
use super::by_hand::{self, Steps};
use super::numbers::{count, counted, date_and_time, padded, padded_left, rfc3339, size};
use super::words;
use crate::paths;
use crate::screen::{BAD, BOLD, CARE, FAINT, GOOD, say, styled};
use anstyle::Style;
use porter_core::machine::layout::Family;
use porter_core::receipt::{CountReceipt, Finding, ItemReceipt, Reason, Receipt, Verdict};
use porter_names::screen::on_screen;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// Lists longer than this are folded.
const LONGEST_LIST: usize = 10;

/// What is to be set by hand takes several lines each; the page is for working it off.
const MOST_BY_HAND: usize = 4;

/// A group of items: a person's, or everybody's.
pub(crate) struct Group<'r> {
    /// The person on the old machine; none for everybody's.
    pub(crate) account: Option<&'r str>,
    /// The person's name on the new machine.
    pub(crate) landed_in: Option<&'r str>,
    /// Their items.
    pub(crate) items: Vec<&'r ItemReceipt>,
}

/// The items by person, in the order of the trunk; everybody's last.
pub(crate) fn by_person(receipt: &Receipt) -> Vec<Group<'_>> {
    let mut groups: Vec<Group<'_>> = Vec::new();
    for item in &receipt.items {
        let account = item.account.as_deref();
        match groups.iter_mut().find(|group| group.account == account) {
            Some(group) => group.items.push(item),
            None => {
                let landed_in = receipt.accounts.iter().find(|(old, _)| Some(old.as_str()) == account);
                groups.push(Group {
                    account,
                    landed_in: landed_in.map(|(_, new)| new.as_str()),
                    items: vec![item],
                });
            }
        }
    }
    groups
}

/// What the whole receipt says, in one sentence.
pub(crate) fn sentence(receipt: &Receipt) -> String {
    let (items, files, _) = receipt.totals();
    let alone = receipt.machine.is_none();
    let landed = verdict_words(receipt, Verdict::Landed);
    let not_read = receipt.files_not_read;
    if !receipt.needs_attention() {
        let by_hand = receipt.by_hand().count() as u64;
        let to_install = receipt.to_install().count() as u64;
        let mut rest = String::new();
        if items.left_behind > by_hand {
            rest = format!("; {} left on purpose", counted(items.left_behind - by_hand, "item"));
        }
        if by_hand > 0 {
            rest.push_str(&format!("; {} to set by hand", counted(by_hand, "setting")));
        }
        if to_install > 0 && !alone {
            rest.push_str(&format!("; {} to install again", counted(to_install, "program")));
        }
        let items = counted(items.landed, "item");
        let proved = counted(files.landed.saturating_sub(not_read), "file");
        return match (not_read, not_read < files.landed) {
            (0, _) => format!("All is well: {items} {landed}, {proved} proved byte for byte{rest}."),
            (_, true) => format!(
                "All is well as far as was read: {items} {landed}, {proved} proved byte for byte; {} only looked up{rest}. --depth full proves all.",
                counted(not_read, "file")
            ),
            (_, false) => format!(
                "Nothing is missing: {items} {landed} with {}{rest}. No content was read; --depth full proves it.",
                counted(not_read, "file")
            ),
        };
    }
    let wrong = Verdict::ALL
        .iter()
        .filter(|verdict| **verdict != Verdict::Landed)
        .map(|verdict| (attention_count(receipt, *verdict), verdict.words()))
        .filter(|(number, _)| *number > 0)
        .map(|(number, words)| format!("{} {words}", count(number)))
        .collect::<Vec<_>>();
    format!("Needs attention: {}. {} {landed}.", wrong.join(", "), counted(files.landed, "file"))
}

fn attention_count(receipt: &Receipt, verdict: Verdict) -> u64 {
    let findings = receipt.items.iter().flat_map(|item| &item.findings).chain(&receipt.general);
    findings.filter(|finding| finding.needs_attention && finding.verdict == verdict).count() as u64
}

/// What a verdict is called here: in a check of a trunk alone nothing has landed anywhere, and what was not read may be there and not be whole.
pub(crate) fn verdict_words(receipt: &Receipt, verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Landed if receipt.machine.is_none() && receipt.files_not_read > 0 => "there",
        Verdict::Landed if receipt.machine.is_none() => "whole",
        verdict => verdict.words(),
    }
}

/// For the terminal.
pub(crate) fn show(receipt: &Receipt) {
    let label = &receipt.trunk;
    let to = receipt.machine.as_ref().map(|machine| format!(" -> {}", machine.name)).unwrap_or_default();
    say(format_args!(
        "{}  {}{to}  trunk {}  {}",
        styled(BOLD, "Receipt"),
        label.machine.name,
        label.trunk_id.short(),
        styled(FAINT, date_and_time(receipt.checked_utc))
    ));
    let width = receipt.items.iter().map(|item| item.id.chars().count()).max().unwrap_or(0);
    for group in by_person(receipt) {
        say("");
        say(styled(BOLD, person(&group)));
        for item in group.items.iter().filter(|item| is_of_files(item)) {
            show_item(receipt, item, width);
        }
        let settings = group.items.iter().filter(|item| !is_of_files(item));
        let landed: Vec<&str> =
            settings.filter(|item| item.verdict == Verdict::Landed).map(|item| item.title.as_str()).collect();
        if !landed.is_empty() {
            let words = verdict_words(receipt, Verdict::Landed);
            say(format_args!(
                "  {}  {}",
                styled(GOOD, padded(words, 13)),
                on_screen(landed.join(", ").as_bytes())
            ));
        }
    }
    if !receipt.general.is_empty() {
        say("");
        say(styled(BOLD, "The whole of it"));
        show_findings(receipt, &receipt.general.iter().collect::<Vec<_>>());
    }
    show_by_hand(receipt);
    show_browsers(receipt);
    show_programs(receipt);
    show_planned(receipt);
    say("");
    match &receipt.signed_by {
        Some(by) => say(format_args!("The trunk is signed by {}.", on_screen(by.as_bytes()))),
        None => say(styled(FAINT, "The trunk is not signed.")),
    }
    say(styled(if receipt.needs_attention() { BAD } else { GOOD }, sentence(receipt)));
}

/// False for what is a handful of values.
pub(crate) fn is_of_files(item: &ItemReceipt) -> bool {
    !item.is_setting()
}

/// `12 of 12 mail folders`.
pub(crate) fn counts(item: &ItemReceipt) -> String {
    let count = |row: &CountReceipt| {
        format!("{} of {} {}", count(row.landed), count(row.captured), on_screen(row.name.as_bytes()))
    };
    let rows: Vec<String> = item.counts.iter().filter(|row| row.captured > 0).map(count).collect();
    rows.join(", ")
}

/// The new machine's system; of a trunk alone, the old one's.
pub(crate) fn new_system(receipt: &Receipt) -> Family {
    let system = receipt.machine.as_ref().map_or(&receipt.trunk.machine.system, |machine| &machine.system);
    Family::from_name(&system.family).unwrap_or(Family::Windows)
}

/// A row for each setting to set by hand: whose, what it was, what is there, and what to type.
pub(crate) struct ByHand<'r> {
    pub(crate) item: &'r ItemReceipt,
    pub(crate) was: String,
    pub(crate) now: String,
    pub(crate) steps: Steps,
}

pub(crate) fn by_hand(receipt: &Receipt) -> Vec<ByHand<'_>> {
    let to = new_system(receipt);
    let rows = receipt.by_hand().map(|(item, now)| ByHand {
        was: by_hand::values(&item.facts),
        now: by_hand::values(now),
        steps: by_hand::steps(&item.id, &item.facts, to),
        item,
    });
    rows.collect()
}

/// What of browsers does not come across by itself.
fn show_browsers(receipt: &Receipt) {
    let rows = browsers::by_hand(receipt);
    if rows.is_empty() {
        return;
    }
    say("");
    say(styled(BOLD, "Browsers: to do by hand"));
    for browsers::ByHand { item, steps } in rows {
        say(format_args!("  {}", item.id));
        steps.iter().for_each(|step| say(format_args!("      {step}")));
    }
}

fn show_by_hand(receipt: &Receipt) {
    let rows = by_hand(receipt);
    if rows.is_empty() {
        return;
    }
    say("");
    say(styled(BOLD, "To set by hand"));
    for row in rows.iter().take(MOST_BY_HAND) {
        let whose = row.item.account.as_deref().map(|account| format!("{account}: ")).unwrap_or_default();
        let title = on_screen(row.item.title.as_bytes());
        say(format_args!(
            "  {}  {}",
            styled(CARE, format_args!("{whose}{title}")),
            styled(FAINT, &row.steps.how)
        ));
        row.steps.commands.iter().for_each(|line| say(format_args!("      {line}")));
    }
    fold(rows.len(), MOST_BY_HAND);
}

fn show_programs(receipt: &Receipt) {
    let names: Vec<String> = receipt.to_install().map(|program| on_screen(program.name.as_bytes())).collect();
    if names.is_empty() || receipt.machine.is_none() {
        return;
    }
    say("");
    say(styled(BOLD, "To install again"));
    for name in names.iter().take(LONGEST_LIST) {
        say(format_args!("  {name}"));
    }
    fold(names.len(), LONGEST_LIST);
}

fn fold(number: usize, shown: usize) {
    if number > shown {
        let more = count((number - shown) as u64);
        say(styled(FAINT, format_args!("  … and {more} more; --page and --json list them all")));
    }
}

/// `odile`, `tamsin -> tamsin.okafor`, `For everybody`.
pub(crate) fn person(group: &Group<'_>) -> String {
    match (group.account, group.landed_in) {
        (None, _) => "For everybody".to_owned(),
        (Some(old), Some(new)) if old != new => format!("{old} -> {new}"),
        (Some(old), _) => old.to_owned(),
    }
}

fn show_item(receipt: &Receipt, item: &ItemReceipt, width: usize) {
    let (files, bytes) = match item.verdict {
        Verdict::LeftBehind => (item.files.left_behind, item.bytes.left_behind),
        _ => (item.files.landed, item.bytes.landed),
    };
    say(format_args!(
        "  {}  {}  {:>7} {:<5}  {:>9}",
        styled(style_of(item.verdict), padded(verdict_words(receipt, item.verdict), 13)),
        padded(&item.id, width),
        count(files),
        if files == 1 { "file" } else { "files" },
        with_counts(&size(bytes), item)
    ));
    let attention: Vec<&Finding> = item.findings.iter().filter(|finding| finding.needs_attention).collect();
    show_findings(receipt, &attention);
    show_findings(receipt, &landed_as(item));
}

fn with_counts(size: &str, item: &ItemReceipt) -> String {
    match counts(item) {
        counts if counts.is_empty() => size.to_owned(),
        counts => format!("{}  {}", padded_left(size, 9), styled(FAINT, counts)),
    }
}

/// The same few reasons come up in most items, so they are told once.
fn show_planned(receipt: &Receipt) {
    let in_items = planned(receipt);
    if in_items.is_empty() {
        return;
    }
    say("");
    say(styled(BOLD, "Good to know"));
    for (why, number) in in_items {
        say(format_args!("  {}  {why}", padded(&format!("in {}", counted(number, "item")), 12)));
    }
}

/// What landed under another name than its own.
pub(crate) fn landed_as(item: &ItemReceipt) -> Vec<&Finding> {
    let is_landed_as =
        |finding: &&Finding| matches!(finding.reason, Reason::LandedAs { .. } | Reason::KeptExisting { .. });
    item.findings.iter().filter(is_landed_as).collect()
}

/// What somebody has worked on since it landed.
pub(crate) fn worked_on(item: &ItemReceipt) -> Vec<&Finding> {
    item.findings.iter().filter(|finding| matches!(finding.reason, Reason::ChangedSince { .. })).collect()
}

/// Why else things did not simply land, as it was planned: each reason with the number of items it comes up in.
pub(crate) fn planned(receipt: &Receipt) -> BTreeMap<String, u64> {
    let is_planned = |f: &&Finding| {
        !f.needs_attention
            && !matches!(
                f.reason,
                Reason::LandedAs { .. } | Reason::KeptExisting { .. } | Reason::SetByHand { .. }
            )
    };
    let mut in_items = BTreeMap::new();
    for item in &receipt.items {
        let reasons: BTreeSet<String> = item
            .findings
            .iter()
            .filter(is_planned)
            .map(|finding| words::in_general(&finding.reason))
            .collect();
        for why in reasons {
            *in_items.entry(why).or_default() += 1;
        }
    }
    in_items
}

fn show_findings(receipt: &Receipt, findings: &[&Finding]) {
    // What says more than that nothing is there comes first.
    let (nowhere, telling): (Vec<&Finding>, Vec<&Finding>) =
        findings.iter().partition(|finding| finding.reason == Reason::NotThere);
    for finding in telling.into_iter().chain(nowhere).take(LONGEST_LIST) {
        let verdict = verdict_words(receipt, finding.verdict);
        say(format_args!(
            "      {}  {}",
            styled(style_of(finding.verdict), verdict),
            paths::in_a_row(&finding.path)
        ));
        say(format_args!("        {}", words::reason(&finding.reason)));
    }
    if findings.len() > LONGEST_LIST {
        let more = findings.len() - LONGEST_LIST;
        say(styled(FAINT, format_args!("      … and {} more; --json - lists them all", count(more as u64))));
    }
}

fn style_of(verdict: Verdict) -> Style {
    match verdict {
        Verdict::Landed => GOOD,
        Verdict::LeftBehind | Verdict::KeptExisting => CARE,
        Verdict::Changed | Verdict::Missing => BAD,
    }
}

/// `porter-receipt/1`.
pub(crate) fn json(receipt: &Receipt) -> Value {
    let (items, files, bytes) = receipt.totals();
    let finding = |finding: &Finding| {
        let mut row = json!({
            "path": finding.path.to_string(),
            "verdict": finding.verdict,
            "reason": words::reason(&finding.reason),
            "needs_attention": finding.needs_attention,
            "details": finding.reason,
        });
        if let Some(expected_at) = &finding.expected_at {
            row["expected_at"] = expected_at.to_string().into();
        }
        row
    };
    let item = |item: &ItemReceipt| {
        json!({
            "id": item.id,
            "kind": item.kind,
            "account": item.account,
            "title": item.title,
            "verdict": item.verdict,
            "files": item.files,
            "bytes": item.bytes,
            "counts": item.counts.iter().map(|row| json!({"name": row.name, "captured": row.captured, "landed": row.landed})).collect::<Vec<_>>(),
            "facts": item.facts,
            "reasons": item.findings.iter().map(finding).collect::<Vec<_>>(),
        })
    };
    let by_hand = by_hand(receipt).into_iter().map(|row| {
        json!({
            "item": row.item.id,
            "title": row.item.title,
            "was": row.was,
            "now": row.now,
            "how": row.steps.how,
            "type": row.steps.commands,
        })
    });
    let programs = receipt.programs.iter().map(|row| {
        let mut program = json!(row.program);
        program["installed_as"] = json!(row.installed_as);
        program
    });
    json!({
        "format": "porter-receipt/1",
        "trunk": receipt.trunk,
        "proof": receipt.proof,
        "signed_by": receipt.signed_by,
        "machine": receipt.machine,
        "accounts": receipt.accounts.iter().map(|(old, new)| json!({"old": old, "new": new})).collect::<Vec<_>>(),
        "checked_utc": rfc3339(receipt.checked_utc),
        "files_not_read": receipt.files_not_read,
        "needs_attention": receipt.needs_attention(),
        "totals": {"items": items, "files": files, "bytes": bytes},
        "items": receipt.items.iter().map(item).collect::<Vec<_>>(),
        "by_hand": by_hand.collect::<Vec<_>>(),
        "browsers_by_hand": browsers::by_hand(receipt)
            .into_iter()
            .map(|row| json!({"item": row.item.id, "steps": row.steps}))
            .collect::<Vec<_>>(),
        "programs": programs.collect::<Vec<_>>(),
        "reasons": receipt.general.iter().map(finding).collect::<Vec<_>>(),
    })
}
