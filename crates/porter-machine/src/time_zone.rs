//! Time zones by Windows' names and by those of the IANA database.
//!
//! Windows has one name for many of IANA's; the pairs here are those of Unicode's CLDR for the whole world (`windowsZones.xml`,
//! territory 001), and the names of a few neighbours.

use crate::Setting;
use porter_names::RelativePath;
use porter_source::Volume;

/// Windows' name, and IANA's.
const PAIRS: &[(&str, &str)] = &[
    ("Dateline Standard Time", "Etc/GMT+12"),
    ("Aleutian Standard Time", "America/Adak"),
    ("Hawaiian Standard Time", "Pacific/Honolulu"),
    ("Alaskan Standard Time", "America/Anchorage"),
    ("Pacific Standard Time", "America/Los_Angeles"),
    ("US Mountain Standard Time", "America/Phoenix"),
    ("Mountain Standard Time", "America/Denver"),
    ("Central America Standard Time", "America/Guatemala"),
    ("Central Standard Time", "America/Chicago"),
    ("Central Standard Time (Mexico)", "America/Mexico_City"),
    ("Canada Central Standard Time", "America/Regina"),
    ("SA Pacific Standard Time", "America/Bogota"),
    ("Eastern Standard Time", "America/New_York"),
    ("US Eastern Standard Time", "America/Indianapolis"),
    ("Venezuela Standard Time", "America/Caracas"),
    ("Atlantic Standard Time", "America/Halifax"),
    ("Pacific SA Standard Time", "America/Santiago"),
    ("SA Western Standard Time", "America/La_Paz"),
    ("Newfoundland Standard Time", "America/St_Johns"),
    ("E. South America Standard Time", "America/Sao_Paulo"),
    ("Argentina Standard Time", "America/Buenos_Aires"),
    ("SA Eastern Standard Time", "America/Cayenne"),
    ("Greenland Standard Time", "America/Godthab"),
    ("Montevideo Standard Time", "America/Montevideo"),
    ("Azores Standard Time", "Atlantic/Azores"),
    ("Cape Verde Standard Time", "Atlantic/Cape_Verde"),
    ("UTC", "Etc/UTC"),
    ("GMT Standard Time", "Europe/London"),
    ("GMT Standard Time", "Europe/Dublin"),
    ("GMT Standard Time", "Europe/Lisbon"),
    ("Greenwich Standard Time", "Atlantic/Reykjavik"),
    ("Morocco Standard Time", "Africa/Casablanca"),
    ("W. Europe Standard Time", "Europe/Berlin"),
    ("W. Europe Standard Time", "Europe/Amsterdam"),
    ("W. Europe Standard Time", "Europe/Oslo"),
    ("W. Europe Standard Time", "Europe/Rome"),
    ("W. Europe Standard Time", "Europe/Stockholm"),
    ("W. Europe Standard Time", "Europe/Vienna"),
    ("W. Europe Standard Time", "Europe/Zurich"),
    ("Central Europe Standard Time", "Europe/Budapest"),
    ("Central Europe Standard Time", "Europe/Prague"),
    ("Central Europe Standard Time", "Europe/Belgrade"),
    ("Romance Standard Time", "Europe/Paris"),
    ("Romance Standard Time", "Europe/Brussels"),
    ("Romance Standard Time", "Europe/Copenhagen"),
    ("Romance Standard Time", "Europe/Madrid"),
    ("Central European Standard Time", "Europe/Warsaw"),
    ("W. Central Africa Standard Time", "Africa/Lagos"),
    ("GTB Standard Time", "Europe/Bucharest"),
    ("GTB Standard Time", "Europe/Athens"),
    ("FLE Standard Time", "Europe/Kiev"),
    ("FLE Standard Time", "Europe/Helsinki"),
    ("E. Europe Standard Time", "Europe/Chisinau"),
    ("Egypt Standard Time", "Africa/Cairo"),
    ("South Africa Standard Time", "Africa/Johannesburg"),
    ("Israel Standard Time", "Asia/Jerusalem"),
    ("Jordan Standard Time", "Asia/Amman"),
    ("Kaliningrad Standard Time", "Europe/Kaliningrad"),
    ("Turkey Standard Time", "Europe/Istanbul"),
    ("Arabic Standard Time", "Asia/Baghdad"),
    ("Arab Standard Time", "Asia/Riyadh"),
    ("Belarus Standard Time", "Europe/Minsk"),
    ("Russian Standard Time", "Europe/Moscow"),
    ("E. Africa Standard Time", "Africa/Nairobi"),
    ("Iran Standard Time", "Asia/Tehran"),
    ("Arabian Standard Time", "Asia/Dubai"),
    ("Azerbaijan Standard Time", "Asia/Baku"),
    ("Mauritius Standard Time", "Indian/Mauritius"),
    ("Georgian Standard Time", "Asia/Tbilisi"),
    ("Caucasus Standard Time", "Asia/Yerevan"),
    ("Afghanistan Standard Time", "Asia/Kabul"),
    ("West Asia Standard Time", "Asia/Tashkent"),
    ("Ekaterinburg Standard Time", "Asia/Yekaterinburg"),
    ("Pakistan Standard Time", "Asia/Karachi"),
    ("India Standard Time", "Asia/Kolkata"),
    ("India Standard Time", "Asia/Calcutta"),
    ("Sri Lanka Standard Time", "Asia/Colombo"),
    ("Nepal Standard Time", "Asia/Katmandu"),
    ("Central Asia Standard Time", "Asia/Bishkek"),
    ("Bangladesh Standard Time", "Asia/Dhaka"),
    ("Myanmar Standard Time", "Asia/Rangoon"),
    ("SE Asia Standard Time", "Asia/Bangkok"),
    ("N. Central Asia Standard Time", "Asia/Novosibirsk"),
    ("North Asia Standard Time", "Asia/Krasnoyarsk"),
    ("China Standard Time", "Asia/Shanghai"),
    ("North Asia East Standard Time", "Asia/Irkutsk"),
    ("Singapore Standard Time", "Asia/Singapore"),
    ("W. Australia Standard Time", "Australia/Perth"),
    ("Taipei Standard Time", "Asia/Taipei"),
    ("Tokyo Standard Time", "Asia/Tokyo"),
    ("Korea Standard Time", "Asia/Seoul"),
    ("Yakutsk Standard Time", "Asia/Yakutsk"),
    ("Cen. Australia Standard Time", "Australia/Adelaide"),
    ("AUS Central Standard Time", "Australia/Darwin"),
    ("E. Australia Standard Time", "Australia/Brisbane"),
    ("AUS Eastern Standard Time", "Australia/Sydney"),
    ("West Pacific Standard Time", "Pacific/Port_Moresby"),
    ("Tasmania Standard Time", "Australia/Hobart"),
    ("Vladivostok Standard Time", "Asia/Vladivostok"),
    ("Central Pacific Standard Time", "Pacific/Guadalcanal"),
    ("New Zealand Standard Time", "Pacific/Auckland"),
    ("Fiji Standard Time", "Pacific/Fiji"),
    ("Tonga Standard Time", "Pacific/Tongatapu"),
    ("Samoa Standard Time", "Pacific/Apia"),
];

/// Windows' name for one of IANA's.
pub fn windows_name(iana: &str) -> Option<&'static str> {
    PAIRS.iter().find(|(_, name)| *name == iana).map(|(windows, _)| *windows)
}

/// IANA's first name for one of Windows'.
pub fn iana_name(windows: &str) -> Option<&'static str> {
    PAIRS.iter().find(|(name, _)| *name == windows).map(|(_, iana)| *iana)
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
