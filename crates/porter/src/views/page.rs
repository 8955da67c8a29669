//! The receipt as a page: one file without anything from outside, to be read on a screen, printed on A4 in
//! black and white, signed, and understood by the PC's owner too.

use super::html::{self, text};
use super::numbers::{count, counted, date_and_time, size};
use super::receipt::{
    amount_of, balance_rows, by_person, counts, is_news, is_of_files, landed_as, person, planned, sentence,
    settings_in_rows, verdict_words, worked_on,
};
use super::survey::system;
use super::{letters, to_do, words};
use crate::paths;
use porter_kinds::receipt::{ByVerdict, Finding, ItemReceipt, LettersReceipt, Receipt, Verdict};
use porter_names::screen::on_screen;
use std::fmt::Write;

/// More rows than this of one item stay in the JSON receipt.
const MOST_FINDINGS: usize = 200;

/// The whole page.
pub(crate) fn html(receipt: &Receipt) -> String {
    let label = &receipt.trunk;
    let title = match &receipt.machine {
        Some(machine) => format!("Receipt: {} to {}", label.machine.name, machine.name),
        None => format!("Receipt: trunk of {}", label.machine.name),
    };
    let sheet = match &label.words.job {
        Some(job) => format!("Job {job}"),
        None => format!("Trunk {}", label.trunk_id.short()),
    };
    let mut page = html::begin_sheets(&title, &sheet);
    head(&mut page, receipt);
    verdict(&mut page, receipt);
    attention(&mut page, receipt);
    before_handing_over(&mut page, receipt);
    sign(&mut page);
    let _ = write!(page, "<div class=\"appendix\">\n<h1>Appendix: everything in detail</h1>\n");
    items(&mut page, receipt);
    to_install(&mut page, receipt);
    to_type(&mut page, receipt);
    named(&mut page, receipt, "Landed under another name", landed_as);
    named(&mut page, receipt, "Worked on since it landed, or landed with another date", worked_on);
    as_planned(&mut page, receipt);
    explain(&mut page, receipt);
    let _ = writeln!(page, "</div>");
    let checked = date_and_time(receipt.checked_utc);
    let state = receipt.proof.as_ref().map(|proof| format!(" \u{b7} capture {}", proof.capture));
    let signer = match &receipt.signed_by {
        Some(by) => format!(" \u{b7} signed by {by}"),
        None => " \u{b7} not signed".to_owned(),
    };
    let foot =
        format!("Trunk {}{}{signer} \u{b7} checked {checked}", label.trunk_id, state.unwrap_or_default());
    html::end(page, &foot)
}

fn head(page: &mut String, receipt: &Receipt) {
    let label = &receipt.trunk;
    let _ = write!(page, "<header>\n<p class=\"maker\">Loyal Porter</p>\n<h1>Receipt</h1>\n<dl>\n");
    let mut fact = |name: &str, value: &str| {
        let _ = writeln!(page, "<div><dt>{}</dt><dd>{}</dd></div>", text(name), text(value));
    };
    let machine = |name: &str, of: &porter_trunk::SystemLabel| format!("{name}, {}", system(of));
    fact("From", &machine(&label.machine.name, &label.machine.system));
    match &receipt.machine {
        Some(new) => fact("To", &machine(&new.name, &new.system)),
        None => fact("Checked", "the trunk alone, not yet on another machine"),
    }
    fact("Captured", &date_and_time(label.started_utc));
    fact("Checked on", &date_and_time(receipt.checked_utc));
    for (name, value) in [
        ("Job", &label.words.job),
        ("Owner", &label.words.owner),
        ("Technician", &label.words.technician),
        ("Workshop", &label.words.workshop),
    ] {
        if let Some(value) = value {
            fact(name, value);
        }
    }
    let _ = write!(page, "</dl>\n</header>\n");
}

fn verdict(page: &mut String, receipt: &Receipt) {
    let class = if receipt.needs_attention() { "look" } else { "well" };
    let _ = write!(page, "<section class=\"verdict {class}\">\n<p>{}</p>\n", text(&sentence(receipt)));
    if !receipt.balances {
        let _ = writeln!(page, "</section>");
        return;
    }
    let _ = write!(
        page,
        "<table class=\"balance\">\n<caption>What became of the old machine's files</caption>\n\
         <thead><tr><td></td><th scope=\"col\">Files</th><th scope=\"col\">Size</th></tr></thead>\n<tbody>\n"
    );
    for (depth, words, amount) in balance_rows(receipt) {
        let _ = writeln!(
            page,
            "<tr><th scope=\"row\" class=\"depth{depth}\">{}</th><td>{}</td><td>{}</td></tr>",
            text(words),
            count(amount.files),
            size(amount.size_in_bytes)
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n</section>\n");
}

/// The findings that a person has to look at come first.
fn attention(page: &mut String, receipt: &Receipt) {
    if !receipt.needs_attention() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Please look at these</h2>\n");
    for item in &receipt.items {
        let rows: Vec<&Finding> = item.findings.iter().filter(|finding| finding.needs_attention).collect();
        findings(page, receipt, &of_whom(item), &rows);
    }
    findings(page, receipt, "The whole of it", &receipt.general.iter().collect::<Vec<_>>());
    let _ = writeln!(page, "</section>");
}

/// `odile: Documents`.
fn of_whom(item: &ItemReceipt) -> String {
    match &item.account {
        Some(account) => format!("{account}: {}", item.title),
        None => item.title.clone(),
    }
}

/// Files that are to be known by name, though nobody has to do anything: folded, because they can be many.
fn named(page: &mut String, receipt: &Receipt, heading: &str, of: impl Fn(&ItemReceipt) -> Vec<&Finding>) {
    let number: usize = receipt.items.iter().map(|item| of(item).len()).sum();
    if number == 0 {
        return;
    }
    let number = counted(number as u64, "entry");
    let _ =
        write!(page, "<section>\n<h2>{heading}</h2>\n<details>\n<summary><span>{number}</span></summary>\n");
    for item in &receipt.items {
        findings(page, receipt, &of_whom(item), &of(item));
    }
    let _ = write!(page, "</details>\n</section>\n");
}

fn findings(page: &mut String, receipt: &Receipt, heading: &str, rows: &[&Finding]) {
    if rows.is_empty() {
        return;
    }
    let _ = write!(page, "<h3>{}</h3>\n<table class=\"findings\">\n", text(heading));
    let _ = writeln!(
        page,
        "<thead><tr><th scope=\"col\">Verdict</th><th scope=\"col\">What</th><th scope=\"col\">Why, and what to do</th></tr></thead>\n<tbody>"
    );
    for finding in rows.iter().take(MOST_FINDINGS) {
        let _ = writeln!(
            page,
            "<tr><td>{}</td><td><bdi>{}</bdi></td><td>{}</td></tr>",
            text(verdict_words(receipt, finding.verdict)),
            text(&paths::in_a_row(&finding.path)),
            text(&words::reason(&finding.reason))
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n");
    if rows.len() > MOST_FINDINGS {
        let more = count((rows.len() - MOST_FINDINGS) as u64);
        let _ = writeln!(page, "<p>and {more} more, listed in the receipt as JSON</p>");
    }
}

fn items(page: &mut String, receipt: &Receipt) {
    let _ = write!(page, "<section>\n<h2>Everything, by person</h2>\n");
    for group in by_person(receipt) {
        let _ = write!(
            page,
            "<details>\n<summary><h3><bdi>{}</bdi></h3> <span>{}</span></summary>\n<table class=\"items\">\n\
             <thead><tr><th scope=\"col\">Item</th>\
             <th scope=\"col\">Verdict</th><th scope=\"col\">Files</th><th scope=\"col\">Size</th></tr></thead>\n<tbody>\n",
            text(&person(&group)),
            text(&in_short(receipt, &group.items))
        );
        for item in group.items.iter().filter(|item| is_of_files(item) && is_news(item)) {
            row(page, receipt, item);
        }
        settings(page, receipt, &group.items);
        let _ = write!(page, "</tbody>\n</table>\n</details>\n");
    }
    let _ = writeln!(page, "</section>");
}

/// `20 items landed, 1 missing; 2,411 files, 120.4 MB`.
fn in_short(receipt: &Receipt, items: &[&ItemReceipt]) -> String {
    let (mut verdicts, mut files, mut bytes) = (ByVerdict::default(), 0, 0);
    for item in items {
        verdicts.add(item.verdict, 1);
        files += item.files.landed;
        bytes += item.bytes.landed;
    }
    let shown = Verdict::ALL.into_iter().filter(|verdict| verdicts.of(*verdict) > 0).map(|verdict| {
        let number = verdicts.of(verdict);
        let number = if verdict == Verdict::Landed { counted(number, "item") } else { count(number) };
        format!("{number} {}", verdict_words(receipt, verdict))
    });
    format!("{}; {}, {}", shown.collect::<Vec<_>>().join(", "), counted(files, "file"), size(bytes))
}

fn row(page: &mut String, receipt: &Receipt, item: &ItemReceipt) {
    let (files, bytes) = amount_of(item);
    let counts = match counts(receipt, item) {
        counts if counts.is_empty() => counts,
        counts => format!("<br><small>{}</small>", text(&counts)),
    };
    let _ = writeln!(
        page,
        "<tr class=\"{}\"><th scope=\"row\"><bdi>{}</bdi>{counts}</th><td>{}</td><td>{}</td><td>{}</td></tr>",
        if item.verdict == Verdict::Landed { "well" } else { "look" },
        text(&item.title),
        text(verdict_words(receipt, item.verdict)),
        if files > 0 { count(files) } else { String::new() },
        if files > 0 { size(bytes) } else { String::new() }
    );
    letters_brought(page, &item.letters);
}

/// The letters that came into a mail program: a sentence, and folded behind it each folder.
fn letters_brought(page: &mut String, letters: &[LettersReceipt]) {
    let of_programs = letters.chunk_by(letters::is_of_one);
    for (of_program, line) in of_programs.zip(letters::brought(letters)) {
        let _ = write!(
            page,
            "<tr class=\"well\"><td colspan=\"4\"><details class=\"letters\"><summary>{}</summary>\n<table>\n<thead><tr><th>Folder</th><th>found</th><th>landed</th>\
             <th>doubles</th><th>not asked for</th><th>damaged</th><th>there now</th></tr></thead>\n<tbody>\n",
            text(&line)
        );
        for row in of_program {
            let numbers = [row.found, row.written, row.doubles, row.left_out, row.damaged, row.there_now];
            let numbers: String =
                numbers.iter().map(|number| format!("<td>{}</td>", count(*number))).collect();
            let folder = text(&on_screen(row.folder.join(" / ").as_bytes()));
            let _ = writeln!(page, "<tr><th scope=\"row\"><bdi>{folder}</bdi></th>{numbers}</tr>");
        }
        page.push_str("</tbody>\n</table></details></td></tr>\n");
    }
}

/// Settings that are nothing to do, in one row for each verdict.
fn settings(page: &mut String, receipt: &Receipt, items: &[&ItemReceipt]) {
    for (verdict, titles) in settings_in_rows(items) {
        let class = if verdict == Verdict::Landed { " class=\"well\"" } else { "" };
        let _ = writeln!(
            page,
            "<tr{class}><th scope=\"row\"><bdi>{}</bdi></th><td>{}</td><td></td><td></td></tr>",
            text(&titles),
            text(verdict_words(receipt, verdict))
        );
    }
}

/// The tasks that are left, to be worked off with a pen.
fn before_handing_over(page: &mut String, receipt: &Receipt) {
    let tasks = to_do::tasks(receipt);
    if tasks.is_empty() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Before handing over</h2>\n<div class=\"to-do\">\n");
    let mut open: Option<(Option<&str>, Option<&str>)> = None;
    for task in &tasks {
        let (whose, topic) = (task.whose.as_deref(), task.topic);
        if open != Some((whose, topic)) {
            if open.is_some() {
                let _ = writeln!(page, "</ul>");
            }
            if open.is_none_or(|(before, _)| before != whose) {
                let _ = writeln!(page, "<h3><bdi>{}</bdi></h3>", text(whose.unwrap_or("For everybody")));
            }
            match topic {
                Some(topic) => {
                    let _ = writeln!(page, "<h4>{}</h4>", text(topic));
                }
                None if open.is_some_and(|(before, topic)| before == whose && topic.is_some()) => {
                    let _ = writeln!(page, "<h4>Other things</h4>");
                }
                None => {}
            }
            let _ = writeln!(page, "<ul class=\"tasks\">");
            open = Some((whose, topic));
        }
        let how = match task.commands.is_empty() || task.was_and_now.is_none() {
            true => text(&task.how),
            false => "see the appendix".to_owned(),
        };
        let _ = writeln!(page, "<li><b><bdi>{}</bdi></b> {how}</li>", text(&task.what));
    }
    let _ = write!(page, "</ul>\n</div>\n</section>\n");
}

/// Settings and printers, each with what to type.
fn to_type(page: &mut String, receipt: &Receipt) {
    let tasks = to_do::tasks(receipt);
    let is_typed = |task: &&super::task::Task| task.was_and_now.is_some() || !task.commands.is_empty();
    let mut rows = tasks.iter().filter(is_typed).peekable();
    if rows.peek().is_none() {
        return;
    }
    let _ = write!(
        page,
        "<section>\n<h2>What to type</h2>\n<table class=\"findings by-hand\">\n<thead><tr>\
         <th scope=\"col\">What</th><th scope=\"col\">What to do</th></tr></thead>\n<tbody>\n"
    );
    for task in rows {
        let values = task
            .was_and_now
            .as_ref()
            .map(|(was, now)| format!("<br><small>was {}; now {}</small>", text(was), text(now)));
        let lines: Vec<String> =
            task.commands.iter().map(|line| format!("<br><code>{}</code>", text(line))).collect();
        let whose = task.whose.as_deref().map(|whose| format!("{whose}: ")).unwrap_or_default();
        let _ = writeln!(
            page,
            "<tr><th scope=\"row\"><bdi>{}{}</bdi>{}</th><td>{}{}</td></tr>",
            text(&whose),
            text(&task.what),
            values.unwrap_or_default(),
            text(&task.how),
            lines.concat()
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n</section>\n");
}

/// The programs that the new machine does not have.
fn to_install(page: &mut String, receipt: &Receipt) {
    if receipt.to_install().next().is_none() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Programs to install again</h2>\n");
    html::programs(page, receipt.to_install().cloned());
    let _ = writeln!(page, "</section>");
}

/// The entries that were left or kept on purpose.
fn as_planned(page: &mut String, receipt: &Receipt) {
    let planned = planned(receipt);
    if planned.is_empty() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Good to know</h2>\n<ul>\n");
    for (why, number) in planned {
        let _ = writeln!(page, "<li>in {}: {}</li>", counted(number, "item"), text(&why));
    }
    let _ = writeln!(page, "</ul>\n</section>");
}

fn explain(page: &mut String, receipt: &Receipt) {
    let words = verdict_words(receipt, Verdict::Landed);
    let what = match (receipt.machine.is_some(), receipt.files_not_read) {
        (true, _) => "It is on the new machine, and every byte was read and is what was captured.".to_owned(),
        (false, 0) => "It is in the trunk, and every byte was read and is what was captured.".to_owned(),
        (false, number) => format!(
            "It is in the trunk, by its name and length. No content was read of {}.",
            counted(number, "file")
        ),
    };
    let first = format!("<dt>{words}</dt><dd>{what}</dd>");
    let _ = write!(
        page,
        "<section class=\"explain\">\n<h2>What the verdicts mean</h2>\n<dl>\n{first}\n\
         <dt>changed</dt><dd>It is there, but it is not what was captured.</dd>\n\
         <dt>missing</dt><dd>It is not there.</dd>\n\
         <dt>kept existing</dt><dd>Something else was there already, and was kept.</dd>\n\
         <dt>left behind</dt><dd>It should have landed, and did not.</dd>\n\
         <dt>not read</dt><dd>It could not be read on the old machine.</dd>\n\
         <dt>kept in the trunk</dt><dd>It was captured, and is not put on the new machine unless somebody asks for it.</dd>\n\
         <dt>not chosen</dt><dd>Somebody chose not to take it along.</dd>\n\
         <dt>not needed</dt><dd>Programs or the system make it again: caches and the like.</dd>\n</dl>\n</section>\n"
    );
}

fn sign(page: &mut String) {
    let _ = write!(
        page,
        "<section class=\"sign\">\n<p>I have looked at the new machine, and I have received what this receipt lists.</p>\n\
         <div><span>Owner: date and signature</span><span>Technician: date and signature</span></div>\n</section>\n"
    );
}
