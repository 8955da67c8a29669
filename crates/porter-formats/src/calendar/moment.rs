//! Points in time, as calendars write them.

use time::macros::format_description;
use time::{Date, OffsetDateTime, PrimitiveDateTime, UtcOffset};

/// A point in time, as a calendar says it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Moment {
    /// A whole day.
    Day(Date),
    /// The same for all the world.
    Utc(OffsetDateTime),
    /// The time on the clock in the entry's zone; on any clock, if it has none.
    Clock(PrimitiveDateTime),
}

pub(crate) fn clock(at: PrimitiveDateTime) -> String {
    let form = format_description!("[year][month][day]T[hour][minute][second]");
    at.format(&form).unwrap_or_default()
}

pub(super) fn day(day: Date) -> String {
    day.format(&format_description!("[year][month][day]")).unwrap_or_default()
}

pub(crate) fn utc(at: OffsetDateTime) -> String {
    let at = at.to_offset(UtcOffset::UTC);
    clock(PrimitiveDateTime::new(at.date(), at.time())) + "Z"
}

pub(super) fn value_of(moment: Moment) -> String {
    match moment {
        Moment::Day(of) => day(of),
        Moment::Utc(at) => utc(at),
        Moment::Clock(at) => clock(at),
    }
}

/// `20240506T070809Z`. None for another form.
pub(crate) fn utc_of(text: &str) -> Option<OffsetDateTime> {
    let form = format_description!("[year][month][day]T[hour][minute][second]Z");
    PrimitiveDateTime::parse(text, &form).ok().map(PrimitiveDateTime::assume_utc)
}
