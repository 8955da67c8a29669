//! Sources of data that programs know by name (ODBC). The driver of each is a library of the machine: a
//! source is set up by hand, where its driver is.

use super::own::Own;
use super::personal_setting::PersonalSetting;
use crate::account::id_from_name;
use crate::setting::Setting;

/// Below `Software` of a person, or `SOFTWARE` of the machine.
const KEY: &str = "ODBC\\ODBC.INI";
/// Names of sources, with those of their drivers.
const SOURCES: &str = "ODBC Data Sources";
/// Values that are not carried: the driver's file is another one on each machine, and passwords stay.
const LEFT: [&str; 4] = ["Driver", "Setup", "PWD", "Password"];

/// See the module.
pub(super) struct DataSources;

/// The sources in a registry; `root` leads to its `Software`.
pub fn read(own: &Own<'_>, root: &str) -> Vec<Setting> {
    let key = format!("{root}{KEY}");
    let source = |(name, driver, _): (String, String, bool)| {
        let values = own.all_texts(&format!("{key}\\{name}"));
        let is_left = |value: &str| LEFT.iter().any(|left| left.eq_ignore_ascii_case(value));
        let kept = values.iter().filter(|(value, text, _)| !is_left(value) && !text.is_empty());
        let mut facts = vec![("name", Some(name.clone())), ("driver", Some(driver))];
        facts.extend(kept.map(|(value, text, _)| (value.as_str(), Some(text.clone()))));
        let id = format!("odbc/{}", id_from_name(name.as_bytes()));
        own.setting(&id, &format!("Data source {name}"), &facts)
    };
    own.all_texts(&format!("{key}\\{SOURCES}")).into_iter().filter_map(source).collect()
}

impl PersonalSetting for DataSources {
    fn id(&self) -> &'static str {
        "odbc"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        read(own, "Software\\")
    }
}
