//! When something comes again ([MS-OXOCAL] 2.2.1.44). Times in it are minutes since 1601, by the clock of the
//! event's zone.

use crate::calendar::moment::Moment;
use crate::calendar::recurrence::{End, Pattern, Recurrence};
use crate::encoding;
use time::macros::datetime;
use time::{Date, Duration, PrimitiveDateTime, Weekday};

/// The meaning of the bytes.
pub(super) struct Repeated {
    /// Its times that do not take place are days.
    pub(super) recurrence: Recurrence,
    /// Those that are not as the others.
    pub(super) changed: Vec<ChangedTime>,
    /// Those that do not take place, and those that are not as the others.
    without: Vec<Date>,
    /// When it begins and ends on each day, in minutes, if it has an hour.
    pub(super) hours: Option<(u32, u32)>,
    /// The first day.
    pub(super) first: Date,
}

/// A time that is not as the others.
pub(super) struct ChangedTime {
    pub(super) instead_of: PrimitiveDateTime,
    pub(super) begin: PrimitiveDateTime,
    pub(super) end: PrimitiveDateTime,
    pub(super) summary: Option<String>,
    pub(super) location: Option<String>,
}

impl Repeated {
    /// The times that do not take place: days, or the hour on each.
    pub(super) fn moments_without(&self, moment: impl Fn(Date) -> Moment) -> Vec<Moment> {
        let is_changed = |day: &Date| self.changed.iter().any(|changed| changed.instead_of.date() == *day);
        self.without.iter().filter(|day| !is_changed(day)).copied().map(moment).collect()
    }
}

struct Reader<'b> {
    rest: &'b [u8],
}

impl<'b> Reader<'b> {
    fn take(&mut self, length: usize) -> Option<&'b [u8]> {
        let (taken, rest) = self.rest.split_at_checked(length)?;
        self.rest = rest;
        Some(taken)
    }

    fn word(&mut self) -> Option<u16> {
        self.take(2)?.try_into().ok().map(u16::from_le_bytes)
    }

    fn long(&mut self) -> Option<u32> {
        self.take(4)?.try_into().ok().map(u32::from_le_bytes)
    }

    fn minutes(&mut self) -> Option<PrimitiveDateTime> {
        datetime!(1601-01-01 0:00).checked_add(Duration::minutes(self.long()?.into()))
    }

    /// A list of days behind their number, which is not believed.
    fn days(&mut self) -> Option<Vec<Date>> {
        let count = self.long()? as usize;
        (count <= self.rest.len() / 4).then_some(())?;
        (0..count).map(|_| self.minutes().map(PrimitiveDateTime::date)).collect()
    }

    fn passed_by(&mut self) -> Option<()> {
        let length = self.long()? as usize;
        self.take(length).map(drop)
    }
}

/// Reads them. None if they contradict themselves, or are of a calendar that is not the usual one.
/// `code_page` is that of texts.
pub(super) fn repeated(bytes: &[u8], code_page: u32) -> Option<Repeated> {
    const YEARLY: u16 = 0x200d;
    let mut reader = Reader { rest: bytes };
    let (_, _, frequency, kind) = (reader.word()?, reader.word()?, reader.word()?, reader.word()?);
    let (calendar, _, period, _) = (reader.word()?, reader.long()?, reader.long()?, reader.long()?);
    // The default, and Gregorian ones in several languages.
    if !matches!(calendar, 0 | 1 | 2 | 9..=12) {
        return None;
    }
    let is_yearly = frequency == YEARLY;
    let (kind, day, days, nth) = match kind {
        0 => (kind, 0, 0, 0),
        1 => (kind, 0, reader.long()?, 0),
        2 | 4 => (kind, reader.long()?, 0, 0),
        3 => (kind, 0, reader.long()?, reader.long()?),
        _ => return None,
    };
    let (end_kind, times, week) = (reader.long()?, reader.long()?, reader.long()?);
    let (without, changed_days) = (reader.days()?, reader.days()?);
    let (first, last) = (reader.minutes()?.date(), reader.minutes()?.date());
    let days = days_of(days);
    if matches!(kind, 1 | 3) && days.is_empty() {
        return None;
    }
    let nth = if nth == 5 { -1 } else { i8::try_from(nth).ok()? };
    let month = u8::from(first.month());
    let day = if kind == 4 { 31 } else { u8::try_from(day).ok()? };
    let pattern = match (kind, is_yearly) {
        (0, _) => Pattern::Daily,
        (1, _) => Pattern::Weekly(days),
        (2 | 4, false) => Pattern::MonthlyOnDay(day),
        (2 | 4, true) => Pattern::YearlyOnDay(month, day),
        (_, false) => Pattern::MonthlyOnNth(nth, days),
        (_, true) => Pattern::YearlyOnNth(month, nth, days),
    };
    let interval = match (kind, is_yearly) {
        (0, _) => period / (24 * 60),
        (1, _) => period,
        (_, false) => period,
        (_, true) => period / 12,
    };
    let end = match end_kind {
        0x2021 => End::On(last),
        0x2022 => End::Times(times.max(1)),
        _ => End::Never,
    };
    let week_begins_on = Weekday::Sunday.nth_next(u8::try_from(week).ok().filter(|day| *day < 7)?);
    let recurrence =
        Recurrence { pattern, interval: interval.max(1), end, week_begins_on, without: Vec::new() };
    let mut found = Repeated { recurrence, changed: Vec::new(), without, hours: None, first };
    // Only events go on from here. A change that is cut off takes nothing from the rest.
    if of_event(&mut reader, &mut found, code_page).is_none() && found.hours.is_none() {
        found.without.retain(|day| !changed_days.contains(day));
    }
    Some(found)
}

fn days_of(mask: u32) -> Vec<Weekday> {
    (0..7).filter(|day| mask >> day & 1 == 1).map(|day| Weekday::Sunday.nth_next(day)).collect()
}

fn of_event(reader: &mut Reader<'_>, found: &mut Repeated, code_page: u32) -> Option<()> {
    const WITH_MARKS: u32 = 0x3009;
    let (_, version) = (reader.long()?, reader.long()?);
    found.hours = Some((reader.long()?, reader.long()?));
    let count = reader.word()?;
    for _ in 0..count {
        let changed = changed_time(reader, code_page)?;
        found.changed.push(changed);
    }
    reader.passed_by()?;
    // The same texts again, in full.
    for changed in &mut found.changed {
        if version >= WITH_MARKS {
            reader.passed_by()?;
        }
        reader.passed_by()?;
        // Only those that differ are there.
        let texts = [&mut changed.summary, &mut changed.location];
        if texts.iter().all(|text| text.is_none()) {
            continue;
        }
        reader.take(12)?;
        for text in texts.into_iter().flatten() {
            let length = reader.word()?;
            *text = encoding::utf16(reader.take(2 * usize::from(length))?);
        }
        reader.passed_by()?;
    }
    Some(())
}

fn changed_time(reader: &mut Reader<'_>, code_page: u32) -> Option<ChangedTime> {
    let (begin, end, instead_of) = (reader.minutes()?, reader.minutes()?, reader.minutes()?);
    let flags = reader.word()?;
    let has = |bit: u16| flags & bit != 0;
    let text = |reader: &mut Reader<'_>| {
        let (_, length) = (reader.word()?, reader.word()?);
        reader.take(length.into()).map(|text| encoding::of_code_page(text, code_page))
    };
    let summary = if has(0x1) { Some(text(reader)?) } else { None };
    // The kind of meeting, and when to remind.
    for bit in [0x2, 0x4, 0x8] {
        if has(bit) {
            reader.long()?;
        }
    }
    let location = if has(0x10) { Some(text(reader)?) } else { None };
    // Whether one is free, files, whether it is a whole day, and its colour.
    for bit in [0x20, 0x40, 0x80, 0x100] {
        if has(bit) {
            reader.long()?;
        }
    }
    Some(ChangedTime { instead_of, begin, end, summary, location })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::entry::Entry;
    use crate::calendar::to_calendar;
    use time::macros::date;

    fn minutes(day: Date) -> u32 {
        (day - date!(1601 - 01 - 01)).whole_days() as u32 * 24 * 60
    }

    /// A task's: without hours.
    fn bytes(frequency: u16, kind: u16, period: u32, of_kind: &[u32], end: [u32; 2], first: Date) -> Vec<u8> {
        let words = [0x3004, 0x3004, frequency, kind, 0];
        let mut bytes: Vec<u8> = words.into_iter().flat_map(u16::to_le_bytes).collect();
        let left_out = [1, minutes(date!(2026 - 03 - 03))];
        let rest = [[0, period, 0].as_slice(), of_kind, &end, &[1], &left_out, &[0]].concat();
        bytes.extend(rest.into_iter().flat_map(u32::to_le_bytes));
        bytes.extend([minutes(first), minutes(date!(2027 - 01 - 31))].into_iter().flat_map(u32::to_le_bytes));
        bytes
    }

    #[test]
    fn every_kind_of_rule_is_the_one_that_calendars_know() {
        const NEVER: [u32; 2] = [0x2023, 0];
        let first = date!(2026 - 02 - 03);
        let week = 1 << 1 | 1 << 5;
        for (frequency, kind, period, of_kind, end, rule) in [
            (0x200a, 0, 2 * 1440, &[][..], NEVER, "FREQ=DAILY;INTERVAL=2"),
            (0x200a, 1, 1, &[0b011_1110], NEVER, "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR"),
            (0x200b, 1, 3, &[week], [0x2022, 7], "FREQ=WEEKLY;INTERVAL=3;BYDAY=MO,FR;COUNT=7"),
            (0x200c, 2, 1, &[15], [0x2021, 12], "FREQ=MONTHLY;BYMONTHDAY=15;UNTIL=20270131"),
            (0x200c, 2, 1, &[30], NEVER, "FREQ=MONTHLY;BYMONTHDAY=28,29,30;BYSETPOS=-1"),
            (0x200c, 2, 1, &[31], NEVER, "FREQ=MONTHLY;BYMONTHDAY=-1"),
            (0x200c, 3, 2, &[1 << 4, 5], NEVER, "FREQ=MONTHLY;INTERVAL=2;BYDAY=TH;BYSETPOS=-1"),
            (0x200d, 2, 12, &[3], NEVER, "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=3"),
            (0x200d, 3, 24, &[1, 1], NEVER, "FREQ=YEARLY;INTERVAL=2;BYMONTH=2;BYDAY=SU;BYSETPOS=1"),
        ] {
            let whole = bytes(frequency, kind, period, of_kind, end, first);
            let found = repeated(&whole, 1252).unwrap();
            let without = found.moments_without(Moment::Day);
            assert_eq!(without, [Moment::Day(date!(2026 - 03 - 03))]);
            let recurrence = Some(Recurrence { without, ..found.recurrence });
            let entry = Entry { begin: Some(Moment::Day(found.first)), recurrence, ..Entry::default() };
            let written = to_calendar(&[entry]);
            assert!(written.contains(&format!("\r\nRRULE:{rule}\r\n")), "{rule}: {written}");
            assert!(written.contains("\r\nEXDATE;VALUE=DATE:20260303\r\n"), "{written}");
            assert!((0..whole.len()).all(|length| repeated(&whole[..length], 1252).is_none()));
        }
        let of_moon = bytes(0x200c, 10, 1, &[15], NEVER, first);
        assert!(repeated(&of_moon, 1252).is_none(), "another calendar is not taken for ours");
    }
}
