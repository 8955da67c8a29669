//! Variables that a person set.

use super::own::{EXPANDABLE, Own, TEXT, text_value};
use super::personal_setting::PersonalSetting;
use super::tell::Tell;
use crate::registry::KeyValues;
use crate::setting::Setting;
use crate::setting::variables::{is_of_system, may_be_set};
use porter_names::Facts;

const KEY: &str = "Environment";
const PATH: &str = "Path";

/// See the module.
pub(super) struct Environment;

impl PersonalSetting for Environment {
    fn id(&self) -> &'static str {
        "environment"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let rows = own.all_texts(KEY);
        let is_own = |name: &str| name.eq_ignore_ascii_case(PATH) || !is_of_system(name);
        let facts: Vec<(&str, Option<String>)> = rows
            .iter()
            .filter(|(name, ..)| is_own(name))
            .map(|(name, text, _)| (name.as_str(), Some(text.clone())))
            .collect();
        own.setting(self.id(), "Environment variables", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        let kind = |text: &str| if text.contains('%') { EXPANDABLE } else { TEXT };
        let values = facts.iter().filter(|(name, _)| comes_in(name)).map(|(name, text)| {
            if name.eq_ignore_ascii_case(PATH) {
                let merged = with_entries(&there.text(KEY, PATH).unwrap_or_default(), text);
                text_value(PATH, EXPANDABLE, &merged)
            } else {
                text_value(name, kind(text), text)
            }
        });
        vec![KeyValues { key: KEY.to_owned(), values: values.collect() }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![KEY]
    }

    fn has_value(&self, _: &str, name: &str) -> bool {
        comes_in(name)
    }

    /// Further entries of `Path` are no loss.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.iter().all(|(name, value)| {
            let there =
                now.iter().find(|(other, _)| other.eq_ignore_ascii_case(name)).map(|(_, value)| value);
            there.is_some_and(|there| {
                there == value || (name.eq_ignore_ascii_case(PATH) && with_entries(there, value) == *there)
            })
        })
    }

    fn tells(&self, key: &str, _: &str) -> Tell {
        if key.eq_ignore_ascii_case(KEY) { Tell::Section("Environment") } else { Tell::Nothing }
    }
}

fn comes_in(name: &str) -> bool {
    name.eq_ignore_ascii_case(PATH) || may_be_set(name)
}

/// The entries there, and behind them those that they lack.
fn with_entries(there: &str, more: &str) -> String {
    let mut entries: Vec<&str> = there.split(';').filter(|entry| !entry.is_empty()).collect();
    for entry in more.split(';').filter(|entry| !entry.is_empty()) {
        if !entries.iter().any(|known| known.eq_ignore_ascii_case(entry)) {
            entries.push(entry);
        }
    }
    entries.join(";")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn entries_are_added_to_a_path_once_and_code_does_not_come_in() {
        assert_eq!(with_entries("C:\\a;C:\\b;", "c:\\B;C:\\c"), "C:\\a;C:\\b;C:\\c");
        assert_eq!(with_entries("", "C:\\c"), "C:\\c");
        assert!(comes_in("KITES") && comes_in("Path"));
        for refused in ["UserInitMprLogonScript", "cor_profiler_path", "TEMP", "", "a=b", "NODE_OPTIONS"] {
            assert!(!comes_in(refused), "{refused}");
        }
    }
}
