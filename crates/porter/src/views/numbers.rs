//! Numbers, sizes and times for people.

use std::sync::atomic::{AtomicI32, Ordering};
use time::{OffsetDateTime, UtcOffset};

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

/// `1 bookmark`, `3 pages in history`.
pub(crate) fn number_of(number: u64, plural: &str) -> String {
    let (first, rest) =
        plural.split_once(' ').map_or((plural, String::new()), |(first, rest)| (first, format!(" {rest}")));
    if number == 1 {
        format!("1 {}{rest}", first.trim_end_matches('s'))
    } else {
        format!("{} {plural}", count(number))
    }
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

/// The difference of this place's clocks to UTC, in seconds.
static ZONE_IN_SECONDS: AtomicI32 = AtomicI32::new(0);

/// Finds out the time zone of this place. Only a program of one thread may ask on Unix, so this is for its
/// beginning; without an answer times are shown as UTC.
pub(crate) fn know_zone() {
    if let Ok(zone) = UtcOffset::current_local_offset() {
        ZONE_IN_SECONDS.store(zone.whole_seconds(), Ordering::Relaxed);
    }
}

/// As the clocks of this place show it, with what they differ by: `2026-10-30 17:42 +01:00`, `2026-10-30
/// 16:42 UTC`.
pub(crate) fn date_and_time(time: OffsetDateTime) -> String {
    let zone =
        UtcOffset::from_whole_seconds(ZONE_IN_SECONDS.load(Ordering::Relaxed)).unwrap_or(UtcOffset::UTC);
    in_zone(time, zone)
}

fn in_zone(time: OffsetDateTime, zone: UtcOffset) -> String {
    let time = time.to_offset(zone);
    let (hours, minutes, _) = zone.as_hms();
    let sign = if zone.is_negative() { '-' } else { '+' };
    let zone = match zone.is_utc() {
        true => "UTC".to_owned(),
        false => format!("{sign}{:02}:{:02}", hours.unsigned_abs(), minutes.unsigned_abs()),
    };
    format!("{} {:02}:{:02} {zone}", date(time), time.hour(), time.minute())
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
        let at = time::macros::datetime!(2026-10-30 23:42 UTC);
        let zone = |hours, minutes| UtcOffset::from_hms(hours, minutes, 0).unwrap();
        assert_eq!(in_zone(at, zone(5, 30)), "2026-10-31 05:12 +05:30");
        assert_eq!(in_zone(at, zone(-3, -30)), "2026-10-30 20:12 -03:30");
        assert_eq!(in_zone(at, UtcOffset::UTC), "2026-10-30 23:42 UTC");
        assert_eq!(padded("kite 🪁", 9), "kite 🪁  ");
    }
}
