//! Numbers, sizes and times for people.

use time::OffsetDateTime;

/// `1,234,567`.
pub(crate) fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

/// `1 file`, `1,234 files`.
pub(crate) fn counted(number: u64, one: &str) -> String {
    let plural = match (number, one.strip_suffix('y')) {
        (1, _) => one.to_owned(),
        (_, Some(stem)) if !one.ends_with("ay") => format!("{stem}ies"),
        _ => format!("{one}s"),
    };
    format!("{} {plural}", count(number))
}

/// Powers of ten, as drives and sticks are sold: `999 B`, `1.5 kB`, `12.3 GB`.
pub(crate) fn size(size_in_bytes: u64) -> String {
    if size_in_bytes < 1000 {
        return format!("{size_in_bytes} B");
    }
    let mut value = size_in_bytes as f64;
    let mut unit = "B";
    for larger in ["kB", "MB", "GB", "TB", "PB", "EB"] {
        if value < 999.95 {
            break;
        }
        value /= 1000.0;
        unit = larger;
    }
    format!("{value:.1} {unit}")
}

/// `2026-10-30`.
pub(crate) fn date(time: OffsetDateTime) -> String {
    format!("{:04}-{:02}-{:02}", time.year(), u8::from(time.month()), time.day())
}

/// `2026-10-30 16:42 UTC`.
pub(crate) fn date_and_time(time: OffsetDateTime) -> String {
    let time = time.to_offset(time::UtcOffset::UTC);
    format!("{} {:02}:{:02} UTC", date(time), time.hour(), time.minute())
}

/// RFC 3339, for JSON.
pub(crate) fn rfc3339(time: OffsetDateTime) -> String {
    time.format(&time::format_description::well_known::Rfc3339).unwrap_or_default()
}

/// Text cut to a width, with what is there as columns.
pub(crate) fn padded(text: &str, columns: usize) -> String {
    let width = unicode_width::UnicodeWidthStr::width(text);
    format!("{text}{}", " ".repeat(columns.saturating_sub(width)))
}

/// The same, with the text at the end.
pub(crate) fn padded_left(text: &str, columns: usize) -> String {
    let width = unicode_width::UnicodeWidthStr::width(text);
    format!("{}{text}", " ".repeat(columns.saturating_sub(width)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read_as_people_write_them() {
        assert_eq!((count(0), count(999), count(1_234_567)), ("0".into(), "999".into(), "1,234,567".into()));
        assert_eq!(counted(1, "entry") + "/" + &counted(1000, "entry"), "1 entry/1,000 entries");
        assert_eq!(
            [size(999), size(1000), size(999_960), size(12_345_678_901)],
            ["999 B", "1.0 kB", "1.0 MB", "12.3 GB"]
        );
        assert_eq!(padded("kite 🪁", 9), "kite 🪁  ");
    }
}
