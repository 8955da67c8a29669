//! A zone of the world, as a rule for its clocks.

use crate::content_lines::ContentLines;
use time::{Date, Duration, Month, OffsetDateTime, PrimitiveDateTime, Time, Weekday};

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Zone {
    /// Its name, as its program gave it.
    pub name: String,
    /// Minutes from its standard time to that of the world: -60 for the middle of Europe.
    pub bias_in_minutes: i32,
    /// How its clocks change. None if they do not.
    pub summer: Option<Summer>,
}

/// How clocks change for the summer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Summer {
    /// Minutes from summer time to that of the world: -120 for the middle of Europe.
    pub bias_in_minutes: i32,
    /// When it begins, by the clock of standard time.
    pub begins: Change,
    /// When it ends, by the clock of summer time.
    pub ends: Change,
}

/// When clocks change, each year.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Change {
    /// The month.
    pub month: Month,
    /// The first to fourth of its days of that name, or the last (5).
    pub nth: u8,
    /// The day of the week.
    pub day: Weekday,
    /// The time.
    pub at: Time,
}

impl Change {
    /// When it is in a year.
    fn in_year(self, year: i32) -> Option<PrimitiveDateTime> {
        let first = Date::from_calendar_date(year, self.month, 1).ok()?;
        let to_first =
            (7 + self.day.number_days_from_monday() - first.weekday().number_days_from_monday()) % 7;
        let weeks = i64::from(self.nth.clamp(1, 5)) - 1;
        let day = first.checked_add(Duration::days(i64::from(to_first) + 7 * weeks))?;
        let day = if day.month() == self.month { day } else { day.checked_sub(Duration::days(7))? };
        Some(PrimitiveDateTime::new(day, self.at))
    }
}

impl Zone {
    /// The time that the clocks of the zone show at a point in time.
    pub fn clock_at(&self, at_utc: OffsetDateTime) -> Option<PrimitiveDateTime> {
        let by = |bias: i32| {
            let at = at_utc.checked_sub(Duration::minutes(bias.into()))?;
            Some(PrimitiveDateTime::new(at.date(), at.time()))
        };
        let standard = by(self.bias_in_minutes)?;
        let Some(summer) = self.summer else { return Some(standard) };
        let in_summer = by(summer.bias_in_minutes)?;
        let begins = summer.begins.in_year(standard.year())?;
        let ends = summer.ends.in_year(standard.year())?;
        // South of the equator the summer goes over the turn of the year.
        let is_summer = if begins < ends {
            standard >= begins && in_summer < ends
        } else {
            standard >= begins || in_summer < ends
        };
        Some(if is_summer { in_summer } else { standard })
    }

    /// The point in time at which its clocks say that.
    pub fn utc_of(&self, clock: PrimitiveDateTime) -> Option<OffsetDateTime> {
        let by = |bias: i32| clock.assume_utc().checked_add(Duration::minutes(bias.into()));
        let summer = self.summer.and_then(|summer| by(summer.bias_in_minutes));
        // An hour that is there twice is the first one.
        let fits = summer.filter(|at| self.clock_at(*at) == Some(clock));
        fits.or_else(|| by(self.bias_in_minutes))
    }

    pub(crate) fn write(&self, lines: &mut ContentLines) {
        lines.raw("BEGIN", "VTIMEZONE");
        lines.text("TZID", &self.name);
        let offset = |bias: i32| {
            let sign = if bias > 0 { '-' } else { '+' };
            format!("{sign}{:02}{:02}", bias.abs() / 60, bias.abs() % 60)
        };
        let mut part = |name: &str, from: i32, to: i32, change: Option<Change>| {
            lines.raw("BEGIN", name);
            let begin = change.and_then(|change| change.in_year(1970));
            let begin = begin.map_or_else(|| "19700101T000000".to_owned(), super::moment::clock);
            lines.raw("DTSTART", &begin);
            if let Some(Change { month, nth, day, .. }) = change {
                let nth = if nth >= 5 { "-1".to_owned() } else { nth.max(1).to_string() };
                let day = &day.to_string().to_uppercase()[..2];
                lines.raw("RRULE", &format!("FREQ=YEARLY;BYMONTH={};BYDAY={nth}{day}", u8::from(month)));
            }
            lines.raw("TZOFFSETFROM", &offset(from));
            lines.raw("TZOFFSETTO", &offset(to));
            lines.raw("END", name);
        };
        let standard = self.bias_in_minutes;
        match self.summer {
            Some(Summer { bias_in_minutes, begins, ends }) => {
                part("STANDARD", bias_in_minutes, standard, Some(ends));
                part("DAYLIGHT", standard, bias_in_minutes, Some(begins));
            }
            None => part("STANDARD", standard, standard, None),
        }
        lines.raw("END", "VTIMEZONE");
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::{datetime, time};

    #[test]
    fn clocks_follow_the_summer_north_and_south() {
        let change = |month, nth, at| Change { month, nth, day: Weekday::Sunday, at };
        let berlin = Zone {
            name: "Berlin".to_owned(),
            bias_in_minutes: -60,
            summer: Some(Summer {
                bias_in_minutes: -120,
                begins: change(Month::March, 5, time!(2:00)),
                ends: change(Month::October, 5, time!(3:00)),
            }),
        };
        let auckland = Zone {
            name: "Auckland".to_owned(),
            bias_in_minutes: -720,
            summer: Some(Summer {
                bias_in_minutes: -780,
                begins: change(Month::September, 5, time!(2:00)),
                ends: change(Month::April, 1, time!(3:00)),
            }),
        };
        // As the database of zones of IANA has them.
        for (zone, utc, clock) in [
            (&berlin, datetime!(2024-03-31 00:59 UTC), datetime!(2024-03-31 1:59)),
            (&berlin, datetime!(2024-03-31 01:00 UTC), datetime!(2024-03-31 3:00)),
            (&berlin, datetime!(2024-10-27 00:59 UTC), datetime!(2024-10-27 2:59)),
            (&berlin, datetime!(2024-12-31 23:30 UTC), datetime!(2025-01-01 0:30)),
            (&auckland, datetime!(2024-01-15 00:00 UTC), datetime!(2024-01-15 13:00)),
            (&auckland, datetime!(2024-07-15 00:00 UTC), datetime!(2024-07-15 12:00)),
            (&auckland, datetime!(2024-12-31 12:00 UTC), datetime!(2025-01-01 1:00)),
        ] {
            assert_eq!(zone.clock_at(utc), Some(clock), "{utc}");
            assert_eq!(zone.utc_of(clock), Some(utc), "{clock}");
        }
        assert_eq!(berlin.clock_at(datetime!(2024-10-27 01:00 UTC)), Some(datetime!(2024-10-27 2:00)));
        let mut lines = ContentLines::default();
        berlin.write(&mut lines);
        let written = lines.finish();
        assert!(written.contains("DTSTART:19700329T020000\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\r\n"));
        assert!(written.contains("TZOFFSETFROM:+0100\r\nTZOFFSETTO:+0200\r\n"), "{written}");
    }
}
