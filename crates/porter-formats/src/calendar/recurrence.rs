//! When an entry comes again.

use super::moment::Moment;
use time::{Date, Weekday};

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recurrence {
    /// The rule.
    pub pattern: Pattern,
    /// The step, in days, weeks, months or years.
    pub interval: u32,
    /// When it ends.
    pub end: End,
    /// The first day of a week.
    pub week_begins_on: Weekday,
    /// The times at which it does not take place.
    pub without: Vec<Moment>,
}

/// Which days.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Pattern {
    /// Every day.
    Daily,
    /// On days of the week.
    Weekly(Vec<Weekday>),
    /// On a day of the month, or its last one if it is shorter.
    MonthlyOnDay(u8),
    /// On the first to fourth of some days of the week in a month, or on the last (-1).
    MonthlyOnNth(i8, Vec<Weekday>),
    /// On a day of a month.
    YearlyOnDay(u8, u8),
    /// On the first to fourth of some days of the week in a month, or on the last (-1).
    YearlyOnNth(u8, i8, Vec<Weekday>),
}

/// When it ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum End {
    /// Never.
    Never,
    /// After a number of times.
    Times(u32),
    /// On a day.
    On(Date),
}

impl Recurrence {
    /// The rule as RFC 5545 3.3.10 writes it. `until` is what its last day is there.
    pub(super) fn to_rule(&self, until: Option<String>) -> String {
        let (unit, days) = match &self.pattern {
            Pattern::Daily => ("DAILY", String::new()),
            Pattern::Weekly(days) => ("WEEKLY", format!(";BYDAY={}", names_of(days))),
            Pattern::MonthlyOnDay(day) => ("MONTHLY", on_day(*day)),
            Pattern::MonthlyOnNth(nth, days) => ("MONTHLY", on_nth(*nth, days)),
            Pattern::YearlyOnDay(2, 29) => ("YEARLY", format!(";BYMONTH=2{}", on_day(29))),
            Pattern::YearlyOnDay(month, day) => ("YEARLY", format!(";BYMONTH={month};BYMONTHDAY={day}")),
            Pattern::YearlyOnNth(month, nth, days) => {
                ("YEARLY", format!(";BYMONTH={month}{}", on_nth(*nth, days)))
            }
        };
        let mut rule = format!("FREQ={unit}");
        if self.interval > 1 {
            rule.push_str(&format!(";INTERVAL={}", self.interval));
        }
        rule.push_str(&days);
        match (self.end, until) {
            (End::Times(times), _) => rule.push_str(&format!(";COUNT={times}")),
            (End::On(_), Some(until)) => rule.push_str(&format!(";UNTIL={until}")),
            _ => {}
        }
        if self.week_begins_on != Weekday::Monday && matches!(self.pattern, Pattern::Weekly(_)) {
            rule.push_str(&format!(";WKST={}", names_of(&[self.week_begins_on])));
        }
        rule
    }
}

fn names_of(days: &[Weekday]) -> String {
    let name = |day: &Weekday| match day {
        Weekday::Monday => "MO",
        Weekday::Tuesday => "TU",
        Weekday::Wednesday => "WE",
        Weekday::Thursday => "TH",
        Weekday::Friday => "FR",
        Weekday::Saturday => "SA",
        Weekday::Sunday => "SU",
    };
    days.iter().map(name).collect::<Vec<_>>().join(",")
}

fn on_day(day: u8) -> String {
    match day {
        31.. => ";BYMONTHDAY=-1".to_owned(),
        // In a shorter month it is the last day.
        29 | 30 => {
            let days: Vec<String> = (28..=day).map(|day| day.to_string()).collect();
            format!(";BYMONTHDAY={};BYSETPOS=-1", days.join(","))
        }
        day => format!(";BYMONTHDAY={day}"),
    }
}

fn on_nth(nth: i8, days: &[Weekday]) -> String {
    format!(";BYDAY={};BYSETPOS={nth}", names_of(days))
}
