//! A person's registry, as settings are read from it: each value only in the type that Windows reads.

use crate::registry::{RegistryKey, RegistryRow};
use crate::setting::{Setting, SettingKind};
use porter_names::Facts;
use porter_trunk::RegistryValue;
use std::cell::RefCell;

/// Types of values, by the numbers of `winnt.h`.
pub const TEXT: u32 = 1;
/// Text with `%NAME%` in it.
pub const EXPANDABLE: u32 = 2;
/// Bytes.
pub const BYTES: u32 = 3;
/// A number of 32 bits.
pub const NUMBER: u32 = 4;
/// Several texts.
pub const TEXTS: u32 = 7;

/// Windows lets no variable be longer, and no setting is.
const LONGEST_IN_BYTES: usize = 2 * 32_767;

/// A registry that can be looked into by path.
pub trait Keys {
    /// The values of a key; none if it is not there.
    fn rows_of(&self, key: &str) -> Option<Vec<Option<RegistryRow>>>;

    /// The names of the keys below.
    fn names_below(&self, key: &str) -> Vec<String>;
}

impl<K: RegistryKey> Keys for K {
    fn rows_of(&self, key: &str) -> Option<Vec<Option<RegistryRow>>> {
        self.subkey(key).map(|key| key.rows())
    }

    fn names_below(&self, key: &str) -> Vec<String> {
        self.subkey(key).map(|key| key.subkey_names()).unwrap_or_default()
    }
}

/// See the module.
pub struct Own<'r> {
    keys: &'r dyn Keys,
    /// Values that are there and of another type than Windows reads.
    wrong: RefCell<Vec<String>>,
}

impl<'r> Own<'r> {
    /// By the root of the registry.
    pub fn new(keys: &'r dyn Keys) -> Self {
        Self { keys, wrong: RefCell::default() }
    }

    /// A value of one of these types. One of another type is noted, and not believed.
    fn value(&self, key: &str, name: &str, kinds: &[u32]) -> Option<RegistryValue> {
        let rows = self.keys.rows_of(key)?;
        let row = rows.into_iter().flatten().find(|row| row.name.to_lowercase() == name.to_lowercase())?;
        let RegistryRow { name, kind, data } = row;
        let value = RegistryValue { name, kind, data };
        let is_readable = kinds.contains(&kind)
            && value.data.len() <= LONGEST_IN_BYTES
            && match kind {
                TEXT | EXPANDABLE => text_of(&value).is_some(),
                NUMBER => value.number().is_some(),
                _ => true,
            };
        if is_readable {
            return Some(value);
        }
        self.wrong.borrow_mut().push(format!("{key}\\{}", value.name));
        None
    }

    /// A text, with or without `%NAME%` in it.
    pub fn text(&self, key: &str, name: &str) -> Option<String> {
        text_of(&self.value(key, name, &[TEXT, EXPANDABLE])?)
    }

    /// A number of 32 bits.
    pub fn number(&self, key: &str, name: &str) -> Option<u32> {
        self.value(key, name, &[NUMBER])?.number()
    }

    /// Bytes.
    pub fn bytes(&self, key: &str, name: &str) -> Option<Vec<u8>> {
        Some(self.value(key, name, &[BYTES])?.data)
    }

    /// Several texts.
    pub fn texts(&self, key: &str, name: &str) -> Option<Vec<String>> {
        let value = self.value(key, name, &[TEXTS])?;
        let units: Vec<u16> =
            value.data.as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
        let texts = units.split(|unit| *unit == 0).filter(|text| !text.is_empty());
        texts.map(|text| String::from_utf16(text).ok()).collect()
    }

    /// All texts of a key, by their names, with whether `%NAME%` is replaced in them.
    pub fn all_texts(&self, key: &str) -> Vec<(String, String, bool)> {
        let rows = self.keys.rows_of(key).unwrap_or_default().into_iter().flatten();
        let text = |row: RegistryRow| {
            let expands = row.kind == EXPANDABLE;
            let value = RegistryValue { name: row.name, kind: row.kind, data: row.data };
            let text = text_of(&value).filter(|_| value.data.len() <= LONGEST_IN_BYTES)?;
            Some((value.name, text, expands))
        };
        rows.filter_map(text).collect()
    }

    /// The names of a key's values of one type.
    pub fn names_of(&self, key: &str, kind: u32) -> Vec<String> {
        let rows = self.keys.rows_of(key).unwrap_or_default().into_iter().flatten();
        rows.filter(|row| row.kind == kind).map(|row| row.name).collect()
    }

    /// True if a key has a value of that name, of whatever type.
    pub fn has(&self, key: &str, name: &str) -> bool {
        let rows = self.keys.rows_of(key).unwrap_or_default();
        rows.iter().flatten().any(|row| row.name.to_lowercase() == name.to_lowercase())
    }

    /// The names of the keys below.
    pub fn below(&self, key: &str) -> Vec<String> {
        self.keys.names_below(key)
    }

    /// A setting of what was read. Values that were of another type make one, too, so that somebody hears of
    /// them.
    pub fn setting(&self, id: &str, title: &str, facts: &[(&str, Option<String>)]) -> Option<Setting> {
        let wrong = std::mem::take(&mut *self.wrong.borrow_mut());
        let empty = || Setting {
            kind: SettingKind::Setting,
            id: id.to_owned(),
            title: title.to_owned(),
            facts: Facts::new(),
            wrong: Vec::new(),
        };
        let known = Setting::new(id, title, facts);
        let setting = known.or_else(|| (!wrong.is_empty()).then(empty))?;
        Some(Setting { wrong, ..setting })
    }
}

/// A text up to its first NUL: Windows keeps what was there before behind it.
fn text_of(value: &RegistryValue) -> Option<String> {
    let (pairs, rest) = value.data.as_chunks::<2>();
    if !rest.is_empty() || !matches!(value.kind, TEXT | EXPANDABLE) {
        return None;
    }
    let units = pairs.iter().map(|pair| u16::from_le_bytes(*pair)).take_while(|unit| *unit != 0);
    String::from_utf16(&units.collect::<Vec<u16>>()).ok()
}

/// The value of a text.
pub fn text_value(name: &str, kind: u32, text: &str) -> RegistryValue {
    let data = text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
    RegistryValue { name: name.to_owned(), kind, data }
}

/// The value of a number.
pub fn number_value(name: &str, number: u32) -> RegistryValue {
    RegistryValue { name: name.to_owned(), kind: NUMBER, data: number.to_le_bytes().to_vec() }
}

/// The value of several texts.
pub fn texts_value<'t>(name: &str, texts: impl IntoIterator<Item = &'t str>) -> RegistryValue {
    let units = texts.into_iter().flat_map(|text| text.encode_utf16().chain([0])).chain([0]);
    RegistryValue { name: name.to_owned(), kind: TEXTS, data: units.flat_map(u16::to_le_bytes).collect() }
}

/// The value of some bytes.
pub fn bytes_value(name: &str, data: Vec<u8>) -> RegistryValue {
    RegistryValue { name: name.to_owned(), kind: BYTES, data }
}
