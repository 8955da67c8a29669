//! Two receipts side by side.

use super::numbers::{counted, date_and_time};
use super::receipt::sentence;
use super::restore::{LONGEST_LIST, fold};
use super::words;
use crate::paths;
use crate::screen::{BAD, BOLD, CARE, GOOD, say, styled};
use anstyle::Style;
use porter_kinds::receipt::compared::Row;
use porter_kinds::receipt::{Compared, Receipt, Verdict};
use serde_json::{Value, json};

/// Differences that a second check found.
pub(crate) fn show(earlier: &Receipt, later: &Receipt, compared: &Compared) {
    say(styled(
        BOLD,
        format_args!(
            "Trunk {}: the receipt of {} against that of {}",
            later.trunk.trunk_id.short(),
            date_and_time(later.checked_utc),
            date_and_time(earlier.checked_utc)
        ),
    ));
    for (id, then, now) in &compared.items {
        let word = |verdict: &Option<Verdict>| verdict.map_or("not on it", Verdict::words);
        say(format_args!("  {id}: {}, before {}", word(now), word(then)));
    }
    list(GOOD, "settled", &compared.settled);
    list(BAD, "new", &compared.new);
    list(CARE, "still open", &compared.open);
    say(sentence(later));
}

fn list(style: Style, word: &str, rows: &[Row]) {
    if rows.is_empty() {
        return;
    }
    say(format_args!("  {} {}", styled(style, word), counted(rows.len() as u64, "entry")));
    for row in rows.iter().take(LONGEST_LIST) {
        let item = row.item.as_deref().unwrap_or("the trunk");
        say(format_args!(
            "      {}  {item}  {}",
            row.finding.verdict.words(),
            paths::in_a_row(&row.finding.path)
        ));
    }
    fold(rows.len());
}

/// `porter-receipts-compared/1`.
pub(crate) fn json(compared: &Compared) -> Value {
    let rows = |rows: &[Row]| -> Vec<Value> {
        let row = |row: &Row| {
            json!({
                "item": row.item,
                "path": row.finding.path.to_string(),
                "verdict": row.finding.verdict,
                "reason": words::reason(&row.finding.reason),
            })
        };
        rows.iter().map(row).collect()
    };
    let item = |(id, then, now): &(String, Option<Verdict>, Option<Verdict>)| json!({"id": id, "before": then, "now": now});
    json!({
        "format": "porter-receipts-compared/1",
        "items": compared.items.iter().map(item).collect::<Vec<_>>(),
        "settled": rows(&compared.settled),
        "new": rows(&compared.new),
        "open": rows(&compared.open),
    })
}
