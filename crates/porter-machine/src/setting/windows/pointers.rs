//! Mouse pointers, with the files of those that a person chose.

use super::own::{EXPANDABLE, Own, TEXT, number_value, text_value};
use super::personal_setting::PersonalSetting;
use super::tell::{Spi, Tell};
use crate::registry::KeyValues;
use crate::setting::{Setting, is_local_file};
use porter_names::Facts;

const CURSORS: &str = "Control Panel\\Cursors";
const SCHEMES: &str = "Control Panel\\Cursors\\Schemes";
const NAMES: [&str; 17] = [
    "AppStarting",
    "Arrow",
    "Crosshair",
    "Hand",
    "Help",
    "IBeam",
    "No",
    "NWPen",
    "SizeAll",
    "SizeNESW",
    "SizeNS",
    "SizeNWSE",
    "SizeWE",
    "UpArrow",
    "Wait",
    "Pin",
    "Person",
];
const SCHEME: &str = "scheme";
const SOURCE: &str = "scheme-source";
const SIZE: &str = "base-size";
/// The standard of every Windows.
const STANDARD_SCHEME: &str = "Windows Default";
const STANDARD_SIZE: u32 = 32;

/// See the module.
pub(super) struct Pointers;

impl PersonalSetting for Pointers {
    fn id(&self) -> &'static str {
        "pointers"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let scheme = own.text(CURSORS, "");
        let source = own.number(CURSORS, "Scheme Source");
        let size = own.number(CURSORS, "CursorBaseSize");
        let has_own_scheme = scheme.as_deref().is_some_and(|name| !matches!(name, "" | STANDARD_SCHEME));
        let is_chosen = has_own_scheme || source == Some(1) || size.is_some_and(|size| size != STANDARD_SIZE);
        if !is_chosen {
            return own.setting(self.id(), "Mouse pointers", &[]).into_iter().collect();
        }
        // Windows draws the one whose text is empty; a fact is never empty.
        let file = |name: &str| {
            own.text(CURSORS, name).map(|file| if file.is_empty() { "-".to_owned() } else { file })
        };
        let mut facts: Vec<(&str, Option<String>)> = NAMES.iter().map(|name| (*name, file(name))).collect();
        // An own scheme is a list of the same files under its name.
        let list = scheme.as_deref().filter(|name| !name.is_empty()).and_then(|name| own.text(SCHEMES, name));
        facts.extend([
            (SCHEME, scheme),
            (SOURCE, source.map(|number| number.to_string())),
            (SIZE, size.map(|number| number.to_string())),
            ("scheme-files", list),
        ]);
        own.setting(self.id(), "Mouse pointers", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let is_file = |file: &str| file.is_empty() || is_local_file(file);
        let files = NAMES.iter().filter_map(|name| {
            let file = facts.get(*name)?;
            let file = if file == "-" { "" } else { file };
            is_file(file).then(|| text_value(name, EXPANDABLE, file))
        });
        let mut values: Vec<_> = files.collect();
        values.extend(facts.get(SCHEME).map(|name| text_value("", TEXT, name)));
        let number = |fact: &str| facts.get(fact)?.parse().ok();
        values.extend(number(SOURCE).map(|number| number_value("Scheme Source", number)));
        values.extend(number(SIZE).map(|number| number_value("CursorBaseSize", number)));
        let mut keys = vec![KeyValues { key: CURSORS.to_owned(), values }];
        if let (Some(name), Some(list)) = (facts.get(SCHEME), facts.get("scheme-files"))
            && list.split(',').all(is_file)
        {
            keys.push(KeyValues {
                key: SCHEMES.to_owned(),
                values: vec![text_value(name, EXPANDABLE, list)],
            });
        }
        keys
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![CURSORS]
    }

    fn tells(&self, key: &str, _: &str) -> Tell {
        if key.eq_ignore_ascii_case(CURSORS) { Tell::Spi(Spi::Pointers) } else { Tell::Nothing }
    }
}
