//! The zone of an event ([MS-OXOCAL] 2.2.1.39 and 2.2.1.41).

use super::numbers::number;
use crate::calendar::zone::{Change, Summer, Zone};
use crate::encoding;
use time::{Month, Time, Weekday};

/// The rule of this year, among those of other years.
const IS_IN_FORCE: u64 = 2;

/// Reads the older form: one rule, without a name.
pub(super) fn of_rule(bytes: &[u8], name: &str) -> Option<Zone> {
    zone(bytes, [0, 4, 8], [14, 32], name)
}

/// Reads the newer form: a name, and rules by years.
pub(super) fn of_definition(bytes: &[u8]) -> Option<Zone> {
    const RULE_IN_BYTES: usize = 66;
    let header = number(bytes, 2, 2)? as usize;
    let letters = number(bytes, 6, 2)? as usize;
    let name = encoding::utf16(bytes.get(8..8 + 2 * letters)?);
    let rules = bytes.get(4 + header..)?.chunks_exact(RULE_IN_BYTES);
    let in_force =
        rules.clone().find(|rule| number(rule, 4, 2).is_some_and(|flags| flags & IS_IN_FORCE != 0));
    zone(in_force.or(rules.last())?, [22, 26, 30], [34, 50], &name)
}

/// `biases`: where the minutes of the zone, of its standard and of its summer time stand; `dates`: where the
/// begin of standard and that of summer time.
fn zone(bytes: &[u8], biases: [usize; 3], dates: [usize; 2], name: &str) -> Option<Zone> {
    const MOST_IN_MINUTES: i32 = 24 * 60;
    let [own, standard, summer] = biases.map(|at| number(bytes, at, 4).map(|bias| bias as u32 as i32));
    let (own, standard, summer) = (own?, standard?, summer?);
    let sum = |more: i32| own.checked_add(more).filter(|bias| bias.abs() <= MOST_IN_MINUTES);
    let [ends, begins] = dates.map(|at| change(bytes, at));
    let summer = match (begins, ends) {
        (Some(begins), Some(ends)) => Some(Summer { bias_in_minutes: sum(summer)?, begins, ends }),
        _ => None,
    };
    let name = if name.trim().is_empty() { "Zone" } else { name.trim() };
    Some(Zone { name: name.to_owned(), bias_in_minutes: sum(standard)?, summer })
}

/// A date of each year, as Windows writes it. None where clocks do not change.
fn change(bytes: &[u8], at: usize) -> Option<Change> {
    let [month, day, nth, hour, minute] =
        [2, 4, 6, 8, 10].map(|field| number(bytes, at + field, 2).and_then(|value| u8::try_from(value).ok()));
    Some(Change {
        month: Month::try_from(month?).ok()?,
        nth: nth?,
        day: Weekday::Sunday.nth_next(day.filter(|day| *day < 7)?),
        at: Time::from_hms(hour?, minute?, 0).ok()?,
    })
}
