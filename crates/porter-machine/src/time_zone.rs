//! Time zones by Windows' names and by those of the IANA database.
//!
//! Windows has one name for many of IANA's. The table is Unicode's CLDR (`windowsZones.xml`, with the aliases
//! of `timezone.xml`), made by `cargo xtask time-zones`.

use crate::Setting;
use porter_names::RelativePath;
use porter_source::Volume;

/// A line for each of Windows' names: it, and those of IANA's.
const ZONES: &str = include_str!("time_zone/zones.tsv");

fn rows() -> impl Iterator<Item = (&'static str, &'static str)> {
    ZONES.lines().filter(|line| !line.starts_with('#')).filter_map(|line| line.split_once('\t'))
}

/// Windows' name for one of IANA's, today's or an earlier one.
pub fn windows_name(iana: &str) -> Option<&'static str> {
    rows().find(|(_, names)| names.split(' ').any(|name| name == iana)).map(|(windows, _)| windows)
}

/// IANA's usual name for one of Windows'.
pub fn iana_name(windows: &str) -> Option<&'static str> {
    rows().find(|(name, _)| *name == windows)?.1.split(' ').next()
}

/// IANA's name, from `localtime`, which is a link into the database of zones.
pub(super) fn linked_at(volume: &dyn Volume, path: &str) -> Option<String> {
    let link = RelativePath::from_bytes(path.as_bytes()).ok()?;
    let target = String::from_utf8(volume.link_target(&link).ok()?).ok()?;
    Some(target.split_once("zoneinfo/")?.1.to_owned())
}

/// The setting, of a Windows.
pub(super) fn of_windows(name: String) -> Option<Setting> {
    let iana = iana_name(&name).map(str::to_owned);
    Setting::new("time-zone", "Time zone", &[("windows", Some(name)), ("iana", iana)])
}

/// The setting, of another system.
pub(super) fn of_iana(name: String) -> Option<Setting> {
    let windows = windows_name(&name).map(str::to_owned);
    Setting::new("time-zone", "Time zone", &[("windows", windows), ("iana", Some(name))])
}

/// The rules of a zone, as Windows' table of zones has them: `TZI` (`REG_TZI_FORMAT` of
/// `TIME_ZONE_INFORMATION`). Differences are in minutes; dates are the eight numbers of a `SYSTEMTIME`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ZoneRules {
    /// From local time to UTC.
    pub bias: i32,
    /// Added to it in winter.
    pub standard_bias: i32,
    /// Added to it in summer.
    pub daylight_bias: i32,
    /// When winter begins.
    pub standard_date: [u16; 8],
    /// When summer begins.
    pub daylight_date: [u16; 8],
}

impl ZoneRules {
    /// None unless they are 44 bytes.
    pub fn from_bytes(tzi: &[u8]) -> Option<Self> {
        let bytes: &[u8; 44] = tzi.try_into().ok()?;
        let number = |at: usize| {
            let four = [bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]];
            i32::from_le_bytes(four)
        };
        let date = |at: usize| {
            let mut date = [0; 8];
            for (unit, pair) in date.iter_mut().zip(bytes[at..at + 16].as_chunks::<2>().0) {
                *unit = u16::from_le_bytes(*pair);
            }
            date
        };
        Some(Self {
            bias: number(0),
            standard_bias: number(4),
            daylight_bias: number(8),
            standard_date: date(12),
            daylight_date: date(28),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rules_of_a_zone_are_as_windows_has_them() {
        // `TZI` of *GMT Standard Time*: winter begins on the last Sunday of October at two, summer on the
        // last Sunday of March at one.
        let mut tzi = Vec::new();
        for number in [0_i32, 0, -60] {
            tzi.extend(number.to_le_bytes());
        }
        for unit in [0_u16, 10, 0, 5, 2, 0, 0, 0, 0, 3, 0, 5, 1, 0, 0, 0] {
            tzi.extend(unit.to_le_bytes());
        }
        let rules = ZoneRules::from_bytes(&tzi).unwrap();
        assert_eq!((rules.bias, rules.standard_bias, rules.daylight_bias), (0, 0, -60));
        assert_eq!(rules.standard_date, [0, 10, 0, 5, 2, 0, 0, 0]);
        assert_eq!(rules.daylight_date, [0, 3, 0, 5, 1, 0, 0, 0]);
        assert_eq!(ZoneRules::from_bytes(&tzi[1..]), None);
    }
}
