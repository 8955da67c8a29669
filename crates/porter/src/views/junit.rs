//! A receipt as JUnit XML, for those who run porter by a script: a suite for each person, a test for each
//! item.

use super::html::text;
use super::receipt::{by_person, person, verdict_words};
use super::words;
use porter_kinds::receipt::{ItemReceipt, Receipt, Verdict};
use std::fmt::Write;

/// Rows that need attention fail; rows that were left behind are skipped.
pub(crate) fn xml(receipt: &Receipt) -> String {
    let mut xml = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    let (tests, failures, skipped) = numbers(receipt.items.iter());
    let name = text(&receipt.trunk.machine.name);
    let trunk = i32::from(receipt.general.iter().any(|finding| finding.needs_attention));
    let _ = writeln!(
        xml,
        "<testsuites name=\"{name}\" tests=\"{}\" failures=\"{}\" skipped=\"{skipped}\">",
        tests + 1,
        failures + trunk
    );
    for group in by_person(receipt) {
        let (tests, failures, skipped) = numbers(group.items.iter().copied());
        let _ = writeln!(
            xml,
            "  <testsuite name=\"{}\" tests=\"{tests}\" failures=\"{failures}\" skipped=\"{skipped}\">",
            text(&person(&group))
        );
        for item in group.items {
            test(&mut xml, receipt, item);
        }
        let _ = writeln!(xml, "  </testsuite>");
    }
    let _ = writeln!(xml, "  <testsuite name=\"trunk\" tests=\"1\" failures=\"{trunk}\" skipped=\"0\">");
    let _ = writeln!(xml, "    <testcase classname=\"trunk\" name=\"{}\">", receipt.trunk.trunk_id);
    for finding in receipt.general.iter().filter(|finding| finding.needs_attention) {
        let row = format!("{}: {}", finding.path, words::reason(&finding.reason));
        failure(&mut xml, finding.verdict.words(), &[row]);
    }
    let _ = write!(xml, "    </testcase>\n  </testsuite>\n</testsuites>\n");
    xml
}

fn fails(item: &ItemReceipt) -> bool {
    item.findings.iter().any(|finding| finding.needs_attention)
}

fn is_skipped(item: &ItemReceipt) -> bool {
    !fails(item) && item.verdict != Verdict::Landed
}

fn numbers<'i>(items: impl Iterator<Item = &'i ItemReceipt>) -> (i32, i32, i32) {
    items.fold((0, 0, 0), |(tests, failures, skipped), item| {
        (tests + 1, failures + i32::from(fails(item)), skipped + i32::from(is_skipped(item)))
    })
}

fn test(xml: &mut String, receipt: &Receipt, item: &ItemReceipt) {
    let _ = writeln!(xml, "    <testcase classname=\"{}\" name=\"{}\">", text(&item.kind), text(&item.id));
    let rows: Vec<String> = item
        .findings
        .iter()
        .filter(|finding| finding.needs_attention)
        .map(|f| format!("{} {}: {}", verdict_words(receipt, f.verdict), f.path, words::reason(&f.reason)))
        .collect();
    if !rows.is_empty() {
        failure(xml, verdict_words(receipt, item.verdict), &rows);
    } else if is_skipped(item) {
        let _ = writeln!(xml, "      <skipped message=\"{}\"/>", text(verdict_words(receipt, item.verdict)));
    }
    let _ = writeln!(xml, "    </testcase>");
}

fn failure(xml: &mut String, message: &str, rows: &[String]) {
    let rows: Vec<String> = rows.iter().map(|row| text(row)).collect();
    let _ = writeln!(xml, "      <failure message=\"{}\">{}</failure>", text(message), rows.join("\n"));
}
