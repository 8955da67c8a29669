//! A setting that is a fixed list of values.

use super::own::{EXPANDABLE, Own, TEXT, number_value, text_value};
use super::personal_setting::PersonalSetting;
use super::tell::Tell;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

/// See the module.
pub struct Table {
    /// Its id.
    pub id: &'static str,
    /// In words.
    pub title: &'static str,
    /// Its values.
    pub rows: &'static [Row],
    /// See [`PersonalSetting::programs`].
    pub programs: &'static [&'static str],
}

/// A value of the list.
pub struct Row {
    /// Its name among the facts.
    pub fact: &'static str,
    /// The key it is in.
    pub key: &'static str,
    /// Its own name.
    pub name: &'static str,
    /// Its type. Windows takes no other.
    pub form: Form,
    /// The standard of Windows, which a missing value means too.
    pub standard: Option<&'static str>,
    /// The first build of Windows that knows it: 0 for all.
    pub since_build: u32,
    /// The message to a session after it was set.
    pub tell: Tell,
}

/// The type of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Text, also for most numbers.
    Text,
    /// Text with `%NAME%` in it.
    Expandable,
    /// A number of 32 bits.
    Number,
}

/// First builds of Windows, where values of a later one begin.
pub mod build {
    /// Windows Vista.
    pub const VISTA: u32 = 6000;
    /// Windows 7.
    pub const SEVEN: u32 = 7600;
    /// Windows 8.
    pub const EIGHT: u32 = 9200;
    /// Windows 10.
    pub const TEN: u32 = 10_240;
    /// Windows 10, version 1709.
    pub const TEN_1709: u32 = 16_299;
    /// Windows 10, version 1809.
    pub const TEN_1809: u32 = 17_763;
    /// Windows 10, version 1903.
    pub const TEN_1903: u32 = 18_362;
    /// Windows 11.
    pub const ELEVEN: u32 = 22_000;
}

impl Row {
    const fn of(fact: &'static str, key: &'static str, name: &'static str, form: Form) -> Self {
        Self { fact, key, name, form, standard: None, since_build: 0, tell: Tell::Nothing }
    }

    /// A text.
    pub const fn text(fact: &'static str, key: &'static str, name: &'static str) -> Self {
        Self::of(fact, key, name, Form::Text)
    }

    /// A text in which `%NAME%` is replaced.
    pub const fn expandable(fact: &'static str, key: &'static str, name: &'static str) -> Self {
        Self::of(fact, key, name, Form::Expandable)
    }

    /// A number.
    pub const fn number(fact: &'static str, key: &'static str, name: &'static str) -> Self {
        Self::of(fact, key, name, Form::Number)
    }

    /// The same, with what Windows has of itself.
    #[must_use]
    pub const fn standard(self, standard: &'static str) -> Self {
        Self { standard: Some(standard), ..self }
    }

    /// The same, known since a build.
    #[must_use]
    pub const fn since(self, since_build: u32) -> Self {
        Self { since_build, ..self }
    }

    /// The same, of which a session is told.
    #[must_use]
    pub const fn tells(self, tell: Tell) -> Self {
        Self { tell, ..self }
    }

    fn read(&self, own: &Own<'_>) -> Option<String> {
        match self.form {
            Form::Text | Form::Expandable => own.text(self.key, self.name),
            Form::Number => own.number(self.key, self.name).map(|number| number.to_string()),
        }
    }
}

impl Table {
    fn row(&self, fact: &str) -> Option<&Row> {
        self.rows.iter().find(|row| row.fact == fact)
    }
}

impl PersonalSetting for Table {
    fn id(&self) -> &'static str {
        self.id
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let found: Vec<(&Row, String)> =
            self.rows.iter().filter_map(|row| Some((row, row.read(own)?))).collect();
        let is_own = |(row, value): &(&Row, String)| row.standard != Some(value.as_str());
        let facts: Vec<(&str, Option<String>)> = if found.iter().any(is_own) {
            found.iter().map(|(row, value)| (row.fact, Some(value.clone()))).collect()
        } else {
            Vec::new()
        };
        own.setting(self.id, self.title, &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let mut keys: Vec<KeyValues> = Vec::new();
        for row in self.rows {
            let Some(text) = facts.get(row.fact) else { continue };
            let value = match row.form {
                Form::Text => Some(text_value(row.name, TEXT, text)),
                Form::Expandable => Some(text_value(row.name, EXPANDABLE, text)),
                Form::Number => text.parse().ok().map(|number| number_value(row.name, number)),
            };
            match keys.iter_mut().find(|known| known.key == row.key) {
                Some(known) => known.values.extend(value),
                None => keys.push(KeyValues { key: row.key.to_owned(), values: value.into_iter().collect() }),
            }
        }
        keys
    }

    fn keys(&self) -> Vec<&'static str> {
        self.rows.iter().map(|row| row.key).collect()
    }

    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.iter().all(|(name, value)| {
            let standard = self.row(name).and_then(|row| row.standard);
            now.get(name).map(String::as_str).or(standard) == Some(value.as_str())
        })
    }

    fn unknown_to(&self, build: u32, facts: &Facts) -> Vec<String> {
        let is_later = |fact: &&String| self.row(fact).is_none_or(|row| row.since_build > build);
        facts.keys().filter(is_later).cloned().collect()
    }

    fn programs(&self) -> &'static [&'static str] {
        self.programs
    }

    fn tells(&self, key: &str, name: &str) -> Tell {
        let is_it = |row: &&Row| row.key.eq_ignore_ascii_case(key) && row.name.eq_ignore_ascii_case(name);
        self.rows.iter().find(is_it).map_or(Tell::Nothing, |row| row.tell)
    }
}
