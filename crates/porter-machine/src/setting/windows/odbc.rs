//! Sources of data that programs know by name (ODBC). The driver of each is a library of the machine: a
//! source is set where its driver is, with the new machine's own file of it.

use super::own::{Own, TEXT, text_value};
use super::personal_setting::PersonalSetting;
use crate::account::id_from_name;
use crate::data_driver::{BITS, DRIVER, DataDriver, LISTS, driver_of};
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

/// Below `Software` of a person, or `SOFTWARE` of the machine.
pub const SOURCES_KEY: &str = "ODBC\\ODBC.INI";
/// Names of sources, with those of their drivers.
pub const SOURCES: &str = "ODBC Data Sources";
/// Values that are not carried: the driver's file is another one on each machine, and passwords stay.
const LEFT: [&str; 4] = ["Driver", "Setup", "PWD", "Password"];
/// The fact that names a source.
pub const NAME: &str = "name";
/// The fact that has the driver's file on the new machine. No trunk names it.
const DRIVER_FILE: &str = "driver-file";
/// A source has no longer name (`SQL_MAX_DSN_LENGTH` in `sqlext.h`), and none of these letters.
const LONGEST_NAME: usize = 32;
const NO_LETTERS_OF_NAMES: &str = "[]{}(),;?*=!@\\";

/// See the module.
pub(super) struct DataSources;

/// The sources in a registry; `root` leads to its `Software`.
pub fn read(own: &Own<'_>, root: &str) -> Vec<Setting> {
    let key = format!("{root}{SOURCES_KEY}");
    let source = |(name, driver, _): (String, String, bool)| {
        let values = own.all_texts(&format!("{key}\\{name}"));
        let is_left = |value: &str| LEFT.iter().any(|left| left.eq_ignore_ascii_case(value));
        let kept = values.iter().filter(|(value, text, _)| !is_left(value) && !text.is_empty());
        let mut facts = vec![(NAME, Some(name.clone())), (DRIVER, Some(driver))];
        facts.extend(kept.map(|(value, text, _)| (value.as_str(), Some(text.clone()))));
        let id = format!("odbc/{}", id_from_name(name.as_bytes()));
        own.setting(&id, &format!("Data source {name}"), &facts)
    };
    own.all_texts(&format!("{key}\\{SOURCES}")).into_iter().filter_map(source).collect()
}

/// The sources of everybody, by the machine's hive `SOFTWARE`.
pub fn of_machine(own: &Own<'_>) -> Vec<Setting> {
    let of_list = |(bits, root): (&'static str, &'static str)| {
        read(own, root).into_iter().map(move |mut source| {
            source.id = format!("{}-{bits}-bit", source.id);
            source.title = format!("{} ({bits} bits)", source.title);
            source.facts.insert(BITS.to_owned(), bits.to_owned());
            source
        })
    };
    LISTS.into_iter().flat_map(of_list).collect()
}

/// The values that are a source with that driver's file; `root` leads to `Software`. None for one whose name
/// cannot be one.
pub fn values_of(facts: &Facts, file: &str, root: &str) -> Vec<KeyValues> {
    let (Some(name), Some(driver)) = (facts.get(NAME), facts.get(DRIVER)) else { return Vec::new() };
    let is_name = !name.is_empty()
        && name.chars().count() <= LONGEST_NAME
        && !name.contains(|letter: char| letter.is_control() || NO_LETTERS_OF_NAMES.contains(letter))
        && !name.eq_ignore_ascii_case(SOURCES);
    if !is_name {
        return Vec::new();
    }
    // A source may name a library that translates for it.
    let may_come = |(fact, text): &(&String, &String)| {
        ![NAME, DRIVER, BITS, DRIVER_FILE].contains(&fact.as_str())
            && !LEFT.iter().any(|left| left.eq_ignore_ascii_case(fact))
            && !text.to_ascii_lowercase().ends_with(".dll")
            && !fact.contains('\0')
            && !text.contains('\0')
    };
    let mut values = vec![text_value("Driver", TEXT, file)];
    values.extend(facts.iter().filter(may_come).map(|(fact, text)| text_value(fact, TEXT, text)));
    vec![
        KeyValues { key: format!("{root}{SOURCES_KEY}\\{name}"), values },
        KeyValues {
            key: format!("{root}{SOURCES_KEY}\\{SOURCES}"),
            values: vec![text_value(name, TEXT, driver)],
        },
    ]
}

impl PersonalSetting for DataSources {
    fn id(&self) -> &'static str {
        "odbc"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        read(own, "Software\\")
    }

    fn of_machine(&self, facts: &Facts, drivers: &[DataDriver]) -> Facts {
        // Always: a trunk may not name a file of its own in its place.
        let file = driver_of(facts, drivers).map(|driver| driver.file.clone()).unwrap_or_default();
        Facts::from([(DRIVER_FILE.to_owned(), file)])
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let file = facts.get(DRIVER_FILE).filter(|file| !file.is_empty());
        file.map(|file| values_of(facts, file, "Software\\")).unwrap_or_default()
    }

    fn keys(&self) -> Vec<&'static str> {
        vec!["Software\\ODBC\\ODBC.INI"]
    }

    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.iter().all(|(name, value)| name == DRIVER_FILE || now.get(name) == Some(value))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_source_comes_with_the_new_machines_own_driver() {
        let facts = |rows: &[(&str, &str)]| -> Facts {
            rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
        };
        let kites = facts(&[
            ("name", "kites"),
            ("driver", "SQL Server"),
            ("bits", "32"),
            ("Server", "loft"),
            ("TranslationDLL", "\\\\elsewhere\\x.DLL"),
            ("PWD", "secret"),
        ]);
        let keys = values_of(&kites, "C:\\b.dll", "Wow6432Node\\");
        assert_eq!(keys[0].key, "Wow6432Node\\ODBC\\ODBC.INI\\kites");
        let expected = [text_value("Driver", TEXT, "C:\\b.dll"), text_value("Server", TEXT, "loft")];
        assert_eq!(keys[0].values, expected, "no library of the trunk's, and no password");
        assert_eq!(keys[1].values, [text_value("kites", TEXT, "SQL Server")]);
        for name in ["", "a\\b", "a=b", "ODBC Data Sources", &"k".repeat(33)] {
            let named = facts(&[("name", name), ("driver", "SQL Server")]);
            assert!(values_of(&named, "a.dll", "").is_empty(), "{name}");
        }
    }
}
