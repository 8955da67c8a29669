//! Numbers and times as Outlook keeps them.

use time::OffsetDateTime;

/// A little-endian number of up to eight bytes.
pub(in crate::mail) fn number(bytes: &[u8], at: usize, length: usize) -> Option<u64> {
    let of_number = bytes.get(at..at.checked_add(length)?)?;
    Some(of_number.iter().rev().fold(0, |number, byte| number << 8 | u64::from(*byte)))
}

/// Between the beginnings of 1601 and of 1970.
const BETWEEN_IN_SECONDS: i64 = 11_644_473_600;

/// In 100 ns since 1601; none before that.
pub(in crate::mail) fn ticks(utc: OffsetDateTime) -> Option<u64> {
    let seconds = u64::try_from(utc.unix_timestamp().checked_add(BETWEEN_IN_SECONDS)?).ok()?;
    seconds.checked_mul(10_000_000)
}

/// From 100 ns since 1601.
pub(super) fn utc(ticks: u64) -> Option<OffsetDateTime> {
    let seconds = i64::try_from(ticks / 10_000_000).ok()?.checked_sub(BETWEEN_IN_SECONDS)?;
    OffsetDateTime::from_unix_timestamp(seconds).ok()
}
