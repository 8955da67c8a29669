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
