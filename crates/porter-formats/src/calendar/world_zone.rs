//! The world's zones by their names (the IANA database): `Europe/Lisbon`.

use super::zone::{Change, Summer, Zone};
use time::{Month, OffsetDateTime, PrimitiveDateTime, Time, UtcOffset, Weekday};
use tz::timezone::{RuleDay, TransitionRule};

/// A zone of the world.
#[derive(Clone, Copy)]
pub struct WorldZone {
    name: &'static str,
    zone: tz::TimeZoneRef<'static>,
}

impl WorldZone {
    /// None for a name that is not in the table.
    pub fn called(name: &str) -> Option<Self> {
        let zone = tzdb_data::find_tz(name.as_bytes())?;
        let name = tzdb_data::TZ_NAMES.iter().find(|known| known.eq_ignore_ascii_case(name))?;
        Some(Self { name, zone: *zone })
    }

    /// Its name in the table.
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// The time that its clocks showed at a point in time.
    pub fn clock_at(&self, at_utc: OffsetDateTime) -> Option<PrimitiveDateTime> {
        let seconds = self.zone.find_local_time_type(at_utc.unix_timestamp()).ok()?.ut_offset();
        let there = at_utc.to_offset(UtcOffset::from_whole_seconds(seconds).ok()?);
        Some(PrimitiveDateTime::new(there.date(), there.time()))
    }

    /// Its rule as it is today. None if no calendar can say it.
    pub fn as_zone(&self) -> Option<Zone> {
        let bias = |seconds: i32| -(seconds / 60);
        let (standard, summer) = match self.zone.extra_rule() {
            Some(TransitionRule::Fixed(always)) => (always.ut_offset(), None),
            Some(TransitionRule::Alternate(rule)) => {
                let summer = Summer {
                    bias_in_minutes: bias(rule.dst().ut_offset()),
                    begins: change(rule.dst_start(), rule.dst_start_time())?,
                    ends: change(rule.dst_end(), rule.dst_end_time())?,
                };
                (rule.std().ut_offset(), Some(summer))
            }
            None => (self.zone.local_time_types().last()?.ut_offset(), None),
        };
        Some(Zone { name: self.name.to_owned(), bias_in_minutes: bias(standard), summer })
    }
}

/// None for a change on a numbered day of the year, or on the day before or behind.
fn change(day: &RuleDay, at_in_seconds: i32) -> Option<Change> {
    let RuleDay::MonthWeekDay(day) = day else { return None };
    let week_day = match day.week_day() {
        0 => Weekday::Sunday,
        number => Weekday::Monday.nth_next(number - 1),
    };
    let seconds = u32::try_from(at_in_seconds).ok()?;
    let part = |number: u32| u8::try_from(number).ok();
    let at = Time::from_hms(part(seconds / 3600)?, part(seconds / 60 % 60)?, part(seconds % 60)?).ok()?;
    Some(Change { month: Month::try_from(day.month()).ok()?, nth: day.week(), day: week_day, at })
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn clocks_go_as_they_went_and_the_rule_is_that_of_today() {
        let lisbon = WorldZone::called("europe/lisbon").unwrap();
        assert_eq!(lisbon.clock_at(datetime!(2026-07-04 9:00 UTC)), Some(datetime!(2026-07-04 10:00)));
        // In these years it had the time of the middle of Europe.
        assert_eq!(lisbon.clock_at(datetime!(1994-07-04 9:00 UTC)), Some(datetime!(1994-07-04 11:00)));
        let zone = lisbon.as_zone().unwrap();
        assert_eq!((&*zone.name, zone.bias_in_minutes), ("Europe/Lisbon", 0));
        assert_eq!(zone.clock_at(datetime!(2026-07-04 9:00 UTC)), Some(datetime!(2026-07-04 10:00)));
        let summer = zone.summer.unwrap();
        assert_eq!((summer.bias_in_minutes, summer.begins.nth, summer.ends.month), (-60, 5, Month::October));
        assert_eq!(WorldZone::called("Asia/Kolkata").unwrap().as_zone().unwrap().bias_in_minutes, -330);
        assert!(WorldZone::called("Marsh/Nowhere").is_none());
    }
}
