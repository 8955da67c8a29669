//! The receipt for the terminal and as JSON.

use super::kinds::{KINDS, words_of};
use super::numbers::{count, counted, date_and_time, padded, rfc3339, size};
use super::rows::{self, Rows, shortened, without_owner};
use super::task::Task;
use super::{letters, to_do, words};
use crate::paths;
use crate::screen::{BAD, BOLD, CARE, FAINT, GOOD, say, styled};
use anstyle::Style;
use porter_kinds::receipt::{
    Amount, Balance, CountReceipt, Finding, ItemReceipt, PASSWORDS, Reason, Receipt, Verdict,
};
use porter_names::screen::on_screen;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use unicode_width::UnicodeWidthStr;

/// Lists longer than this are folded.
const LONGEST_LIST: usize = 10;

/// Each takes several lines; the page is for working them off.
const MOST_TO_DO: usize = 6;

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

/// The receipt in a sentence: one of three endings, and the numbers.
pub(crate) fn sentence(receipt: &Receipt) -> String {
    if receipt.needs_attention() {
        return needs_attention(receipt);
    }
    if receipt.machine.is_none() {
        return all_is_in_the_trunk(receipt);
    }
    let (items, ..) = receipt.totals();
    let proved =
        format!("{} landed: {}, proved byte for byte.", counted(items.landed, "item"), landed(receipt));
    let tasks = to_do::tasks(receipt);
    if tasks.is_empty() {
        let of = if items.not_chosen > 0 || not_chosen_now(receipt) { " that was chosen" } else { "" };
        return format!("All is well: everything{of} arrived, and nothing is left to do. {proved}");
    }
    let chosen = if items.not_chosen > 0 || not_chosen_now(receipt) {
        "that was chosen and can travel"
    } else {
        "that can travel"
    };
    let but = to_do::shut_passwords(receipt).map(|shut| format!(", but for {shut}")).unwrap_or_default();
    format!(
        "Everything {chosen} arrived{but}. Before handing over, {} left to do: {}. {proved}",
        if tasks.len() == 1 {
            "1 thing is".to_owned()
        } else {
            format!("{} things are", count(tasks.len() as u64))
        },
        to_do::by_person_in_words(&tasks)
    )
}

/// `3,124 files landed, and 1 was there already`: figures of the table.
fn landed(receipt: &Receipt) -> String {
    let Balance { landed, there_already, .. } = Balance::of(receipt);
    let verb = if there_already.files == 1 { "was" } else { "were" };
    match there_already.files {
        0 => counted(landed.files, "file"),
        there => format!("{}, and {} that {verb} there already", counted(landed.files, "file"), count(there)),
    }
}

fn not_chosen_now(receipt: &Receipt) -> bool {
    let findings = receipt.items.iter().flat_map(|item| &item.findings);
    findings.into_iter().any(|finding| finding.reason == Reason::NotChosenNow)
}

fn needs_attention(receipt: &Receipt) -> String {
    let (_, files, _) = receipt.totals();
    let wrong = Verdict::ALL
        .iter()
        .filter(|verdict| **verdict != Verdict::Landed)
        .map(|verdict| (attention_count(receipt, *verdict), verdict.words()))
        .filter(|(number, _)| *number > 0)
        .map(|(number, words)| format!("{} {words}", count(number)))
        .collect::<Vec<_>>();
    let words = verdict_words(receipt, Verdict::Landed);
    let there = Balance::of(receipt).there_already.files;
    let landed = counted(files.landed.saturating_sub(there), "file");
    let there = match there {
        0 => String::new(),
        1 => ", 1 was there already".to_owned(),
        there => format!(", {} were there already", count(there)),
    };
    format!("Needs attention: {}. {landed} {words}{there}.", wrong.join(", "))
}

fn all_is_in_the_trunk(receipt: &Receipt) -> String {
    let (items, files, _) = receipt.totals();
    let landed = verdict_words(receipt, Verdict::Landed);
    let not_read = receipt.files_not_read;
    let rest = match items.not_chosen {
        0 => String::new(),
        number => format!("; {} not chosen", counted(number, "item")),
    };
    let items = counted(items.landed, "item");
    let proved = counted(files.landed.saturating_sub(not_read), "file");
    match (not_read, not_read < files.landed) {
        (0, _) => format!("All is well: {items} {landed}, {proved} proved byte for byte{rest}."),
        (_, true) => format!(
            "All is well as far as was read: {items} {landed}, {proved} proved byte for byte; {} only looked up{rest}. --depth full proves all.",
            counted(not_read, "file")
        ),
        (_, false) => format!(
            "Nothing is missing: {items} {landed} with {}{rest}. No content was read; --depth full proves it.",
            counted(not_read, "file")
        ),
    }
}

/// The number of files of a verdict that a person should look at: a figure of the table. If no file is
/// damaged, the number of other damaged things: a folder, a value.
fn attention_count(receipt: &Receipt, verdict: Verdict) -> u64 {
    let findings = receipt.items.iter().flat_map(|item| &item.findings).chain(&receipt.general);
    let things =
        findings.filter(|finding| finding.needs_attention && finding.verdict == verdict).count() as u64;
    let worked_on: u64 = match verdict {
        Verdict::Changed => receipt.items.iter().map(|item| item.worked_on.files).sum(),
        _ => 0,
    };
    let files = receipt.totals().1.of(verdict).saturating_sub(worked_on);
    if things == 0 || files == 0 || !receipt.balances { things } else { files }
}

/// The word for a verdict. A check of a trunk alone has its own words: nothing has landed anywhere, and a
/// file that was not read may be present and damaged.
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
    let groups = by_person(receipt);
    let shown =
        groups.iter().flat_map(|group| &group.items).filter(|item| is_of_files(item) && is_news(item));
    let longest =
        shown.map(|item| without_owner(&item.id, item.account.as_deref()).width()).max().unwrap_or(0);
    let rows = Rows::new(longest, 2 + VERDICT + 2, false);
    for group in groups.into_iter().filter(has_news) {
        say("");
        say(styled(BOLD, person(&group)));
        let (left_out, chosen): (Vec<&ItemReceipt>, Vec<&ItemReceipt>) =
            group.items.iter().copied().partition(|item| is_left_out(item));
        if left_out.len() > MOST_LEFT_OUT {
            say(format_args!("  {}", styled(CARE, not_chosen(&left_out))));
        }
        let shown = if left_out.len() > MOST_LEFT_OUT { &chosen } else { &group.items };
        for item in shown.iter().filter(|item| is_of_files(item) && is_news(item)) {
            show_item(receipt, item, rows);
        }
        for (verdict, titles) in settings_in_rows(&group.items) {
            for (at, line) in in_lines(&on_screen(titles.as_bytes())).iter().enumerate() {
                let words = if at == 0 { verdict_words(receipt, verdict) } else { "" };
                say(format_args!("  {}  {line}", styled(style_of(verdict), padded(words, VERDICT))));
            }
        }
    }
    if !receipt.general.is_empty() {
        say("");
        say(styled(BOLD, "The whole of it"));
        show_findings(receipt, &receipt.general.iter().collect::<Vec<_>>());
    }
    show_planned(receipt);
    show_balance(receipt);
    show_to_do(receipt);
    say("");
    match &receipt.signed_by {
        Some(by) => say(format_args!("The trunk is signed by {}.", on_screen(by.as_bytes()))),
        None => say(styled(FAINT, "The trunk is not signed.")),
    }
    say(styled(if receipt.needs_attention() { BAD } else { GOOD }, sentence(receipt)));
}

/// At most this many rows that nobody asked for are shown of a person's things; more become one row.
const MOST_LEFT_OUT: usize = 3;

fn is_left_out(item: &ItemReceipt) -> bool {
    let is_so = |reason: &Reason| matches!(reason, Reason::NotChosenNow | Reason::NotChosenAtCapture);
    item.findings.iter().any(|finding| is_so(&finding.reason))
}

/// `not chosen, kept in the trunk: 14 items, 26.2 MB in 932 files`.
fn not_chosen(items: &[&ItemReceipt]) -> String {
    let sum = |of: fn(&ItemReceipt) -> u64| items.iter().map(|item| of(item)).sum::<u64>();
    let kept = (sum(|item| item.files.kept_in_trunk), sum(|item| item.bytes.kept_in_trunk));
    let left = (sum(|item| item.files.not_chosen), sum(|item| item.bytes.not_chosen));
    let (words, (files, bytes)) =
        if left.0 > kept.0 { ("left on the old machine", left) } else { ("kept in the trunk", kept) };
    let number = counted(items.len() as u64, "item");
    format!("not chosen, {words}: {number}, {} in {}", size(bytes), counted(files, "file"))
}

/// The longest verdict.
const VERDICT: usize = 17;

/// False for a folder in which there was nothing, or nothing but what stays in the trunk.
pub(crate) fn is_news(item: &ItemReceipt) -> bool {
    let has_counts = item.counts.iter().any(|row| row.captured > 0) || !item.letters.is_empty();
    let is_told = item.findings.iter().any(|finding| finding.needs_attention);
    item.files.landed > 0 || has_counts || is_told || item.verdict != Verdict::Landed
}

/// Each file of the old machine is in one row.
pub(crate) fn balance_rows(receipt: &Receipt) -> Vec<(usize, &'static str, Amount)> {
    if !receipt.balances {
        return Vec::new();
    }
    let balance = Balance::of(receipt);
    let alone = receipt.machine.is_none();
    let rows = [
        (0, "on the old machine", balance.on_old_machine()),
        (1, "not needed: caches and the like", balance.not_needed),
        (1, "not chosen", balance.not_chosen),
        (1, "could not be read", balance.not_read),
        (1, "carried", balance.carried()),
        (2, if alone { verdict_words(receipt, Verdict::Landed) } else { "landed" }, balance.landed),
        (2, "was there already", balance.there_already),
        (2, "landed, and worked on since", balance.worked_on),
        (2, "kept in the trunk", balance.kept_in_trunk),
        (2, if alone { "damaged or missing" } else { "left behind" }, balance.left_behind),
    ];
    rows.into_iter().filter(|(depth, _, amount)| *depth == 0 || amount.files > 0).collect()
}

fn show_balance(receipt: &Receipt) {
    if receipt.balances {
        say("");
    }
    for (depth, words, amount) in balance_rows(receipt) {
        let words = padded(&format!("{}{words}", "  ".repeat(depth)), 36);
        let words = if depth == 0 { styled(BOLD, words) } else { words };
        say(format_args!("{words}{}", rows::amount(amount.files, amount.size_in_bytes)));
    }
}

/// The most pressing of what is left to do; all of it is on the page.
fn show_to_do(receipt: &Receipt) {
    let tasks = to_do::tasks(receipt);
    if tasks.is_empty() {
        return;
    }
    say("");
    say(styled(BOLD, "Before handing over"));
    let mut whose: Option<Option<&str>> = None;
    for task in tasks.iter().take(MOST_TO_DO) {
        if whose != Some(task.whose.as_deref()) {
            whose = Some(task.whose.as_deref());
            let name =
                task.whose.as_deref().map_or("everybody".to_owned(), |name| on_screen(name.as_bytes()));
            say(format_args!("  for {name}"));
        }
        // Settings take several lines each, and stand on the page; of many programs one command says all.
        let (how, typed) = match (&task.was_and_now, task.commands.as_slice()) {
            (None, [_, ..]) => ("", task.commands.as_slice()),
            _ => (task.how.as_str(), &[][..]),
        };
        say(format_args!("    {}  {how}", styled(CARE, &task.what)));
        typed.iter().for_each(|line| say(format_args!("      {line}")));
    }
    if tasks.len() > MOST_TO_DO {
        let more = count((tasks.len() - MOST_TO_DO) as u64);
        say(styled(FAINT, format_args!("  … and {more} more; --page and --json list them all")));
    }
}

/// False for what is a handful of values.
pub(crate) fn is_of_files(item: &ItemReceipt) -> bool {
    !item.is_setting()
}

/// `12 of 12 mail folders`. A count of passwords says how many open, not how many lie there.
pub(crate) fn counts(receipt: &Receipt, item: &ItemReceipt) -> String {
    let count = |row: &CountReceipt| {
        let opens = row.name == PASSWORDS && receipt.machine.is_some();
        format!(
            "{} of {} {}{}",
            count(row.landed),
            count(row.captured),
            on_screen(row.name.as_bytes()),
            if opens { " open here" } else { "" }
        )
    };
    let rows: Vec<String> = item.counts.iter().filter(|row| row.captured > 0).map(count).collect();
    rows.join(", ")
}

/// False if a person's part of the receipt would be its heading alone.
fn has_news(group: &Group<'_>) -> bool {
    let shown = group.items.iter().any(|item| is_of_files(item) && is_news(item));
    let left_out = group.items.iter().filter(|item| is_left_out(item)).count();
    shown || left_out > MOST_LEFT_OUT || !settings_in_rows(&group.items).is_empty()
}

/// Items that a person sets up by hand, each with the task that it leaves.
fn by_hand(receipt: &Receipt) -> impl Iterator<Item = (&ItemReceipt, Task)> {
    receipt.by_hand().filter_map(|(item, _)| {
        let tasks = words_of(&item.kind)?.tasks(item, receipt);
        Some((item, tasks.into_iter().find(|task| task.was_and_now.is_some())?))
    })
}

/// `odile`, `tamsin -> tamsin.okafor`, `For everybody`.
pub(crate) fn person(group: &Group<'_>) -> String {
    match (group.account, group.landed_in) {
        (None, _) => "For everybody".to_owned(),
        (Some(old), Some(new)) if old != new => format!("{old} -> {new}"),
        (Some(old), _) => old.to_owned(),
    }
}

fn show_item(receipt: &Receipt, item: &ItemReceipt, rows: Rows) {
    let (files, bytes) = amount_of(item);
    let (name, counts) = (without_owner(&item.id, item.account.as_deref()), counts(receipt, item));
    say(format_args!(
        "  {}  {}",
        styled(style_of(item.verdict), padded(verdict_words(receipt, item.verdict), VERDICT)),
        if files == 0 && !counts.is_empty() { rows.name(name) } else { rows.row(name, files, bytes, None) }
    ));
    if !counts.is_empty() {
        say_counts(&counts);
    }
    letters::brought(&item.letters).iter().for_each(|line| say_counts(line));
    let attention: Vec<&Finding> = item.findings.iter().filter(|finding| finding.needs_attention).collect();
    show_findings(receipt, &attention);
    show_findings(receipt, &landed_as(item));
    show_findings(receipt, &worked_on(item));
}

/// Words between commas in as many lines as they need, each below the other.
fn in_lines(words: &str) -> Vec<String> {
    let room = rows::width().saturating_sub(2 + VERDICT + 2);
    let mut lines = vec![String::new()];
    for word in words.split_inclusive(", ") {
        match lines.last_mut() {
            Some(line) if line.is_empty() || line.width() + word.trim_end().width() <= room => {
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines.iter().map(|line| line.trim_end().to_owned()).collect()
}

fn say_counts(counts: &str) {
    for line in in_lines(counts) {
        say(styled(FAINT, format_args!("  {}  {line}", padded("", VERDICT))));
    }
}

/// The files of an item that its verdict is about: all of them that landed, if any did.
pub(crate) fn amount_of(item: &ItemReceipt) -> (u64, u64) {
    let verdict = match item.verdict {
        Verdict::KeptInTrunk | Verdict::NotChosen | Verdict::NotNeeded => item.verdict,
        _ => Verdict::Landed,
    };
    (item.files.of(verdict), item.bytes.of(verdict))
}

/// The same few reasons come up in most items, so they are shown once.
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

/// Findings that landed under another name than their own.
pub(crate) fn landed_as(item: &ItemReceipt) -> Vec<&Finding> {
    let is_landed_as =
        |finding: &&Finding| matches!(finding.reason, Reason::LandedAs { .. } | Reason::KeptExisting { .. });
    item.findings.iter().filter(is_landed_as).collect()
}

/// Findings that somebody has worked on since they landed, and those that landed with another date.
pub(crate) fn worked_on(item: &ItemReceipt) -> Vec<&Finding> {
    let is_named =
        |finding: &&Finding| matches!(finding.reason, Reason::ChangedSince { .. } | Reason::TimeDiffers);
    item.findings.iter().filter(is_named).collect()
}

/// Why else things did not simply land, as it was planned: each reason with the number of items it comes up
/// in.
pub(crate) fn planned(receipt: &Receipt) -> BTreeMap<String, u64> {
    let is_planned = |f: &&Finding| {
        !f.needs_attention
            && f.verdict != Verdict::NotNeeded
            && !matches!(
                f.reason,
                Reason::LandedAs { .. }
                    | Reason::KeptExisting { .. }
                    | Reason::SetByHand { .. }
                    | Reason::Entered { .. }
                    | Reason::OpensByItself
                    | Reason::ToOpen { .. }
                    | Reason::OpensAll { .. }
                    | Reason::NoSuchProgram { .. }
                    | Reason::ChangedSince { .. }
                    | Reason::TimeDiffers
            )
    };
    let mut in_items = BTreeMap::new();
    // A finding about a whole item is among the tasks, unless there is nothing to do.
    let in_part = |item: &&ItemReceipt| {
        receipt.machine.is_none() || item.verdict != Verdict::KeptInTrunk || stays_without_task(item)
    };
    for item in receipt.items.iter().filter(in_part) {
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

/// The titles of settings that landed, and of those that stay in the trunk and are nothing to do: a row each.
/// The others are tasks.
pub(crate) fn settings_in_rows(items: &[&ItemReceipt]) -> Vec<(Verdict, String)> {
    let is_in_row = |item: &ItemReceipt, verdict: Verdict| match verdict {
        Verdict::KeptInTrunk => stays_without_task(item),
        verdict => item.verdict == verdict,
    };
    let row = |verdict: Verdict| {
        let settings = items.iter().filter(|item| !is_of_files(item) && is_in_row(item, verdict));
        let titles: Vec<&str> = settings.map(|item| item.title.as_str()).collect();
        (!titles.is_empty()).then(|| (verdict, titles.join(", ")))
    };
    [Verdict::Landed, Verdict::KeptExisting, Verdict::KeptInTrunk].into_iter().filter_map(row).collect()
}

/// Where the commands are that are left to do.
pub(crate) fn tell_of_script(path: &Path, commands: usize) {
    say("");
    say(format_args!(
        "{} with commands to type: they stand in {}, to be run on the new machine.",
        counted(commands as u64, "task"),
        paths::shown(path)
    ));
}

/// True for a setting that stays in the trunk and is nothing to do.
pub(crate) fn stays_without_task(item: &ItemReceipt) -> bool {
    let is_nothing_to_do = |finding: &Finding| {
        matches!(finding.reason, Reason::NotKnownThere { .. } | Reason::KeepsItsName { .. })
    };
    item.verdict == Verdict::KeptInTrunk
        && item.set_by_hand().is_none()
        && item.findings.iter().any(is_nothing_to_do)
}

fn show_findings(receipt: &Receipt, findings: &[&Finding]) {
    // Findings that say more than "nothing is there" come first.
    let (nowhere, telling): (Vec<&Finding>, Vec<&Finding>) =
        findings.iter().partition(|finding| finding.reason == Reason::NotThere);
    for finding in telling.into_iter().chain(nowhere).take(LONGEST_LIST) {
        let verdict = verdict_words(receipt, finding.verdict);
        say(format_args!(
            "      {}  {}",
            styled(if finding.needs_attention { style_of(finding.verdict) } else { CARE }, verdict),
            shortened(&paths::in_a_row(&finding.path), rows::width().saturating_sub(8 + verdict.len()))
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
        Verdict::NotNeeded | Verdict::NotChosen | Verdict::KeptInTrunk | Verdict::KeptExisting => CARE,
        Verdict::NotRead | Verdict::LeftBehind | Verdict::Changed | Verdict::Missing => BAD,
    }
}

/// Which of the three.
fn ending(receipt: &Receipt) -> &'static str {
    match receipt.needs_attention() {
        true => "needs-attention",
        false if to_do::tasks(receipt).is_empty() => "all-is-well",
        false => "to-do",
    }
}

fn balance(receipt: &Receipt) -> Value {
    let balance = Balance::of(receipt);
    let amount = |amount: Amount| json!({"files": amount.files, "bytes": amount.size_in_bytes});
    json!({
        "on_old_machine": amount(balance.on_old_machine()),
        "not_needed": amount(balance.not_needed),
        "not_chosen": amount(balance.not_chosen),
        "not_read": amount(balance.not_read),
        "carried": amount(balance.carried()),
        "landed": amount(balance.landed),
        "there_already": amount(balance.there_already),
        "worked_on": amount(balance.worked_on),
        "kept_in_trunk": amount(balance.kept_in_trunk),
        "left_behind": amount(balance.left_behind),
    })
}

/// `porter-receipt/2`.
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
            "worked_on": {"files": item.worked_on.files, "bytes": item.worked_on.size_in_bytes},
            "there_already": {"files": item.there_already.files, "bytes": item.there_already.size_in_bytes},
            "counts": item.counts.iter().map(|row| json!({"name": row.name, "captured": row.captured, "landed": row.landed})).collect::<Vec<_>>(),
            "letters": item.letters,
            "facts": item.facts,
            "reasons": item.findings.iter().map(finding).collect::<Vec<_>>(),
        })
    };
    let by_hand = by_hand(receipt).map(|(item, task)| {
        let (was, now) = task.was_and_now.unwrap_or_default();
        json!({
            "item": item.id,
            "title": item.title,
            "was": was,
            "now": now,
            "how": task.how,
            "type": task.commands,
        })
    });
    let programs = receipt.programs.iter().map(|row| {
        let mut program = json!(row.program);
        program["installed_as"] = json!(row.installed_as);
        program
    });
    let mut json = json!({
        "format": "porter-receipt/2",
        "trunk": receipt.trunk,
        "proof": receipt.proof,
        "signed_by": receipt.signed_by,
        "machine": receipt.machine,
        "accounts": receipt.accounts.iter().map(|(old, new)| json!({"old": old, "new": new})).collect::<Vec<_>>(),
        "checked_utc": rfc3339(receipt.checked_utc),
        "files_not_read": receipt.files_not_read,
        "needs_attention": receipt.needs_attention(),
        "ending": ending(receipt),
        "totals": {"items": items, "files": files, "bytes": bytes},
        "balance": balance(receipt),
        "to_do": to_do::tasks(receipt).into_iter().map(|task| json!({"account": task.whose, "what": task.what, "how": task.how, "type": task.commands})).collect::<Vec<_>>(),
        "items": receipt.items.iter().map(item).collect::<Vec<_>>(),
        "by_hand": by_hand.collect::<Vec<_>>(),
        "programs": programs.collect::<Vec<_>>(),
        "reasons": receipt.general.iter().map(finding).collect::<Vec<_>>(),
    });
    for (name, value) in KINDS.iter().filter_map(|words| words.in_receipt(receipt)) {
        json[name] = value;
    }
    json
}
