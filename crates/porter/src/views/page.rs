//! The receipt as a page: one file without anything from outside, to be read on a screen, printed on A4 in black and
//! white, signed, and understood by the PC's owner too.

use super::numbers::{count, counted, date_and_time, size};
use super::receipt::{by_person, landed_as, person, planned, sentence, verdict_words};
use super::survey::system;
use super::words;
use porter_core::receipt::{Finding, ItemReceipt, Receipt, Verdict};
use std::fmt::Write;

/// More rows than this of one item stay in the JSON receipt.
const MOST_FINDINGS: usize = 200;

/// The whole page.
pub(crate) fn html(receipt: &Receipt) -> String {
    let mut page = String::new();
    let label = &receipt.trunk;
    let title = match &receipt.machine {
        Some(machine) => format!("Receipt: {} to {}", label.machine.name, machine.name),
        None => format!("Receipt: trunk of {}", label.machine.name),
    };
    // Writing to a String cannot fail, here and below.
    let _ = write!(
        page,
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{}</title>\n<style>{}</style>\n</head>\n<body>\n<main>\n",
        text(&title),
        include_str!("page.css")
    );
    head(&mut page, receipt);
    verdict(&mut page, receipt);
    attention(&mut page, receipt);
    items(&mut page, receipt);
    other_names(&mut page, receipt);
    as_planned(&mut page, receipt);
    explain(&mut page, receipt);
    sign(&mut page);
    let _ = write!(
        page,
        "<footer>Trunk {} &middot; checked {} by {}</footer>\n</main>\n</body>\n</html>\n",
        text(&label.trunk_id.to_string()),
        text(&date_and_time(receipt.checked_utc)),
        text(concat!("porter ", env!("CARGO_PKG_VERSION")))
    );
    page
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
        ("Job", &label.job),
        ("Owner", &label.owner),
        ("Technician", &label.technician),
        ("Workshop", &label.workshop),
    ] {
        if let Some(value) = value {
            fact(name, value);
        }
    }
    let _ = write!(page, "</dl>\n</header>\n");
}

fn verdict(page: &mut String, receipt: &Receipt) {
    let (items, files, bytes) = receipt.totals();
    let class = if receipt.needs_attention() { "look" } else { "well" };
    let _ = write!(page, "<section class=\"verdict {class}\">\n<p>{}</p>\n", text(&sentence(receipt)));
    let _ = write!(page, "<table>\n<thead><tr><td></td>");
    let shown: Vec<Verdict> = Verdict::ALL
        .into_iter()
        .filter(|verdict| *verdict == Verdict::Landed || items.of(*verdict) + files.of(*verdict) > 0)
        .collect();
    for verdict in &shown {
        let _ = write!(page, "<th scope=\"col\">{}</th>", text(verdict_words(receipt, *verdict)));
    }
    let _ = writeln!(page, "</tr></thead>\n<tbody>");
    for (name, numbers) in [("Items", items), ("Files", files)] {
        let _ = write!(page, "<tr><th scope=\"row\">{name}</th>");
        for verdict in &shown {
            let _ = write!(page, "<td>{}</td>", count(numbers.of(*verdict)));
        }
        let _ = writeln!(page, "</tr>");
    }
    let _ = write!(page, "<tr><th scope=\"row\">Size</th>");
    for verdict in &shown {
        let _ = write!(page, "<td>{}</td>", size(bytes.of(*verdict)));
    }
    let _ = write!(page, "</tr>\n</tbody>\n</table>\n</section>\n");
}

/// What a person has to look at stands before everything that went well.
fn attention(page: &mut String, receipt: &Receipt) {
    if !receipt.needs_attention() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Please look at these</h2>\n");
    for item in &receipt.items {
        let rows: Vec<&Finding> = item.findings.iter().filter(|finding| finding.needs_attention).collect();
        findings(page, receipt, &of_whom(item), &rows);
    }
    findings(page, receipt, "The trunk itself", &receipt.general.iter().collect::<Vec<_>>());
    let _ = writeln!(page, "</section>");
}

/// `odile: Documents`.
fn of_whom(item: &ItemReceipt) -> String {
    match &item.account {
        Some(account) => format!("{account}: {}", item.title),
        None => item.title.clone(),
    }
}

/// What to look for under another name.
fn other_names(page: &mut String, receipt: &Receipt) {
    if receipt.items.iter().all(|item| landed_as(item).is_empty()) {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Landed under another name</h2>\n");
    for item in &receipt.items {
        findings(page, receipt, &of_whom(item), &landed_as(item));
    }
    let _ = writeln!(page, "</section>");
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
            text(&finding.path.to_string()),
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
            "<table class=\"items\">\n<caption>{}</caption>\n<thead><tr><th scope=\"col\">Item</th>\
             <th scope=\"col\">Verdict</th><th scope=\"col\">Files</th><th scope=\"col\">Size</th></tr></thead>\n<tbody>\n",
            text(&person(&group))
        );
        for item in &group.items {
            row(page, receipt, item);
        }
        let _ = write!(page, "</tbody>\n</table>\n");
    }
    let _ = writeln!(page, "</section>");
}

fn row(page: &mut String, receipt: &Receipt, item: &ItemReceipt) {
    let (files, bytes) = match item.verdict {
        Verdict::LeftBehind => (item.files.left_behind, item.bytes.left_behind),
        _ => (item.files.landed, item.bytes.landed),
    };
    let _ = writeln!(
        page,
        "<tr class=\"{}\"><td><bdi>{}</bdi></td><td>{}</td><td>{}</td><td>{}</td></tr>",
        if item.verdict == Verdict::Landed { "well" } else { "look" },
        text(&item.title),
        text(verdict_words(receipt, item.verdict)),
        count(files),
        size(bytes)
    );
}

/// What was left or kept on purpose.
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
    let first = if receipt.machine.is_some() {
        "<dt>landed</dt><dd>It is on the new machine, and every byte was read and is what was captured.</dd>"
    } else {
        "<dt>whole</dt><dd>It is in the trunk, and every byte was read and is what was captured.</dd>"
    };
    let _ = write!(
        page,
        "<section class=\"explain\">\n<h2>What the verdicts mean</h2>\n<dl>\n{first}\n\
         <dt>changed</dt><dd>It is there, but it is not what was captured.</dd>\n\
         <dt>missing</dt><dd>It is not there.</dd>\n\
         <dt>kept existing</dt><dd>Something else was there already, and was kept.</dd>\n\
         <dt>left behind</dt><dd>It was not taken along, or stayed in the trunk; the reason stands beside it.</dd>\n</dl>\n</section>\n"
    );
}

fn sign(page: &mut String) {
    let _ = write!(
        page,
        "<section class=\"sign\">\n<p>I have looked at the new machine, and I have received what this receipt lists.</p>\n\
         <div><span>Owner: date and signature</span><span>Technician: date and signature</span></div>\n</section>\n"
    );
}

/// Text that cannot be taken for markup, or steer what shows it.
fn text(text: &str) -> String {
    let harmless = porter_names::screen::on_screen(text.as_bytes());
    let mut escaped = String::with_capacity(harmless.len());
    for c in harmless.chars() {
        match c {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' => escaped.push_str("&quot;"),
            '\'' => escaped.push_str("&#39;"),
            _ => escaped.push(c),
        }
    }
    escaped
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hostile_name_is_only_text() {
        assert_eq!(text("<script>'&\u{202e}\x1b"), "&lt;script&gt;&#39;&amp;\\u{202e}\\u{1b}");
    }
}
