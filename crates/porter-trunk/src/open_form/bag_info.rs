//! `bag-info.txt`: the label once more, in the words that BagIt has for it (RFC 8493, 2.2.2).

use crate::{Label, Tally};
use time::OffsetDateTime;

pub(super) fn text(label: &Label, payload: Tally, finished_utc: OffsetDateTime) -> String {
    let mut text = String::new();
    let mut line = |name: &str, value: &str| {
        // A value is one line, whatever was typed.
        let value: String = value.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        if !value.trim().is_empty() {
            text.push_str(&format!("{name}: {}\n", value.trim()));
        }
    };
    line("Source-Organization", label.words.workshop.as_deref().unwrap_or_default());
    line("Contact-Name", label.words.technician.as_deref().unwrap_or_default());
    let system = &label.machine.system.product;
    line("External-Description", &format!("Files of {} ({system}), captured by porter", label.machine.name));
    line("External-Identifier", &label.trunk_id.to_string());
    line("Internal-Sender-Identifier", label.words.job.as_deref().unwrap_or_default());
    line("Internal-Sender-Description", label.words.owner.as_deref().unwrap_or_default());
    line("Porter-Return-To", label.words.return_to.as_deref().unwrap_or_default());
    let date = finished_utc.date();
    line("Bagging-Date", &format!("{:04}-{:02}-{:02}", date.year(), u8::from(date.month()), date.day()));
    line("Bag-Size", &size_in_words(payload.size_in_bytes));
    line("Payload-Oxum", &format!("{}.{}", payload.size_in_bytes, payload.files));
    line("Bag-Count", "1 of 1");
    line("Bag-Software-Agent", &label.made_by);
    text
}

/// RFC 8493 wants a size that a person can read.
fn size_in_words(size_in_bytes: u64) -> String {
    match size_in_bytes {
        0..1_000_000 => format!("{} KB", size_in_bytes.div_ceil(1000)),
        1_000_000..1_000_000_000 => format!("{} MB", size_in_bytes.div_ceil(1_000_000)),
        _ => format!("{} GB", size_in_bytes.div_ceil(1_000_000_000)),
    }
}
