//! Installed programs: the `Uninstall` keys
//! (<https://learn.microsoft.com/windows/win32/msi/uninstall-registry-key>).

use super::RegistryKey;
use crate::program::Program;
use time::{Date, Month};

/// Below `SOFTWARE`, for 64 and 32 bits.
const OF_MACHINE: [&str; 2] = [
    "Microsoft\\Windows\\CurrentVersion\\Uninstall",
    "Wow6432Node\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
];
/// Below a person's own registry.
const OF_PERSON: [&str; 2] = [
    "Software\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
    "Software\\Wow6432Node\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
];

/// Everybody's programs, of `SOFTWARE`.
pub fn of_machine(software: &impl RegistryKey) -> Vec<Program> {
    in_keys(software, &OF_MACHINE)
}

/// A person's own programs, of that person's registry.
pub fn of_person(own: &impl RegistryKey) -> Vec<Program> {
    in_keys(own, &OF_PERSON)
}

fn in_keys<K: RegistryKey>(root: &K, paths: &[&str]) -> Vec<Program> {
    let keys = paths.iter().filter_map(|path| root.subkey(path));
    let rows = keys.flat_map(|key| {
        let names = key.subkey_names();
        names.into_iter().filter_map(move |name| key.subkey(&name)).collect::<Vec<K>>()
    });
    rows.filter_map(|row| program(&row)).collect()
}

/// None for what people are not shown: parts of programs, updates, parts of the system.
fn program(row: &impl RegistryKey) -> Option<Program> {
    let text = |name: &str| row.text(name).map(|text| text.trim().to_owned()).filter(|text| !text.is_empty());
    let is_hidden = row.number("SystemComponent") == Some(1)
        || text("ParentKeyName").is_some()
        || text("ReleaseType").is_some_and(|kind| kind.contains("Update") || kind.contains("Hotfix"));
    if is_hidden {
        return None;
    }
    Some(Program {
        name: text("DisplayName")?,
        version: text("DisplayVersion"),
        publisher: text("Publisher"),
        installed_on: text("InstallDate").and_then(|date| date_of(&date)),
        // In units of 1024 bytes.
        size_in_bytes: row.number("EstimatedSize").and_then(|size| size.checked_mul(1024)),
        account: None,
    })
}

/// `20261123`.
fn date_of(text: &str) -> Option<Date> {
    let number: u32 = text.parse().ok().filter(|_| text.len() == 8)?;
    let month = Month::try_from(u8::try_from(number / 100 % 100).ok()?).ok()?;
    Date::from_calendar_date(i32::try_from(number / 10_000).ok()?, month, u8::try_from(number % 100).ok()?)
        .ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_hive::write::{Heading, Version, to_bytes};
    use porter_hive::{Hive, KeyTree};
    use time::macros::date;

    #[test]
    fn what_people_are_shown_is_listed_and_updates_and_parts_are_not() {
        let mut root = KeyTree::new("SOFTWARE");
        let cad = root.key(OF_MACHINE[0]).key("{KITE}");
        cad.set_text("DisplayName", "KiteCAD ")
            .set_text("DisplayVersion", "4.2")
            .set_text("InstallDate", "20190231");
        root.key(OF_MACHINE[0])
            .key("KB1")
            .set_text("DisplayName", "A patch")
            .set_text("ReleaseType", "Security Update");
        root.key(OF_MACHINE[0])
            .key("part")
            .set_text("DisplayName", "A part")
            .set_number("SystemComponent", 1);
        root.key(OF_MACHINE[0]).key("nameless").set_text("DisplayVersion", "1");
        let wind = root.key(OF_MACHINE[1]).key("wind");
        wind.set_text("DisplayName", "Windrose")
            .set_text("InstallDate", "20190228")
            .set_number("EstimatedSize", 2048);
        let heading =
            Heading { version: Version::V1_5, last_written: 0, sequence: 1, file_name: String::new() };
        let hive = Hive::from_bytes(to_bytes(&root, &heading).unwrap()).unwrap();
        let programs = of_machine(&hive.root().unwrap());
        let names: Vec<&str> = programs.iter().map(|program| program.name.as_str()).collect();
        assert_eq!(names, ["KiteCAD", "Windrose"]);
        assert_eq!((programs[0].version.as_deref(), programs[0].installed_on), (Some("4.2"), None));
        assert_eq!(programs[1].installed_on, Some(date!(2019 - 02 - 28)));
        assert_eq!(programs[1].size_in_bytes, Some(2 << 20));
    }
}
