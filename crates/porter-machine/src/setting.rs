//! Settings and printers: what is read of a system rather than copied.
//!
//! Their facts have the same names whatever system they come from, so that the same setting can be recognised
//! on another one. `docs/settings.md` lists them.

pub mod variables;
pub mod windows;

use porter_names::Facts;

/// Windows lets no variable be longer. A longer value is a lie that would only make the trunk's list of items
/// huge.
const LONGEST_VALUE: usize = 32_767;

/// One setting, or one printer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// Which of the two.
    pub kind: SettingKind,
    /// The part of its id behind owner and kind: `time-zone`, `drive/h`.
    pub id: String,
    /// In words.
    pub title: String,
    /// Its values, by name.
    pub facts: Facts,
    /// Values that are there and of another type than the system reads: they are not carried.
    pub wrong: Vec<String>,
}

/// Settings and printers are kinds of items of their own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SettingKind {
    /// A value or a few that belong together.
    Setting,
    /// Something to print on.
    Printer,
}

impl SettingKind {
    /// Its name in ids.
    pub fn name(self) -> &'static str {
        match self {
            Self::Setting => "setting",
            Self::Printer => "printer",
        }
    }

    /// True for the name of one of these kinds.
    pub fn is_name(kind: &str) -> bool {
        [Self::Setting, Self::Printer].iter().any(|known| known.name() == kind)
    }
}

impl Setting {
    /// A setting, of what is known of it. None if nothing is.
    pub fn new(id: &str, title: &str, facts: &[(&str, Option<String>)]) -> Option<Self> {
        Self::of(SettingKind::Setting, id, title, facts)
    }

    /// A printer.
    pub fn printer(id: &str, title: &str, facts: &[(&str, Option<String>)]) -> Option<Self> {
        Self::of(SettingKind::Printer, id, title, facts)
    }

    fn of(kind: SettingKind, id: &str, title: &str, facts: &[(&str, Option<String>)]) -> Option<Self> {
        let known = |(name, value): &(&str, Option<String>)| {
            let value =
                value.as_deref().map(str::trim).filter(|value| (1..=LONGEST_VALUE).contains(&value.len()))?;
            Some(((*name).to_owned(), value.to_owned()))
        };
        let facts: Facts = facts.iter().filter_map(known).collect();
        let setting = Self { kind, id: id.to_owned(), title: title.to_owned(), facts, wrong: Vec::new() };
        (!setting.facts.is_empty()).then_some(setting)
    }
}

/// True for a file of a drive, or of the system: a path that leads to a server would have Windows sign in
/// there as soon as it shows a picture or plays a sound.
pub fn is_local_file(path: &str) -> bool {
    let bytes = path.as_bytes();
    let has_drive = matches!(bytes, [letter, b':', b'\\' | b'/', ..] if letter.is_ascii_alphabetic());
    let lowered = path.to_ascii_lowercase();
    let has_variable = ["%systemroot%\\", "%windir%\\", "%userprofile%\\", "%localappdata%\\", "%appdata%\\"]
        .iter()
        .any(|variable| lowered.starts_with(variable));
    (has_drive || has_variable) && !path.contains('\0')
}
