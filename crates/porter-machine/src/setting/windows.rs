//! Settings that a Windows keeps in the registry of a person. Each is a file below: its name, its values and
//! their types, the standards of Windows, and the way by which a session that runs notices a change.
//!
//! `docs/settings.md` says where each fact comes from.

pub mod own;
pub mod table;

mod accessibility;
mod background;
mod effects;
mod environment;
mod file_view;
mod formats;
mod keyboard_layouts;
mod languages;
mod look;
mod magnifier;
mod mouse;
mod network_drive;
mod pointers;
mod region;
mod screen_saver;
mod sounds;
mod taskbar;
mod text_size;
mod typing;
mod usual_printer;
mod wallpaper;
mod window_fonts;

use self::own::Own;
use self::table::Tell;
use super::Setting;
use crate::registry::KeyValues;
use porter_names::Facts;

/// A setting of a person.
pub trait PersonalSetting: Sync {
    /// Its id, or the part before the slash where there may be several: `mouse`, `drive`.
    fn id(&self) -> &'static str;

    /// Reads it, or all of them. Nothing where it is what every Windows has of itself.
    fn read(&self, own: &Own<'_>) -> Vec<Setting>;

    /// The values that make it so in a registry. Facts that are missing set nothing.
    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues>;

    /// The keys that it is in; whatever is below them is its own.
    fn keys(&self) -> Vec<&'static str>;

    /// True for a value that it may have in one of its keys; other things are in some of them.
    fn has_value(&self, key: &str, name: &str) -> bool {
        let _ = (key, name);
        true
    }

    /// True if a registry with `now` is as `then` was. Facts that a new system cannot know are not asked for.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.iter().all(|(name, value)| now.get(name) == Some(value))
    }

    /// The facts that a Windows of that build does not know.
    fn unknown_to(&self, build: u32, facts: &Facts) -> Vec<String> {
        let _ = (build, facts);
        Vec::new()
    }

    /// The facts that name programs. They are set only where they are the new Windows' own: a trunk must not
    /// bring a program that starts by itself.
    fn programs(&self) -> &'static [&'static str] {
        &[]
    }

    /// The message to a session after one of its values was set.
    fn tells(&self, key: &str, name: &str) -> Tell {
        let _ = (key, name);
        Tell::Nothing
    }
}

/// All of them, in the order in which they are set.
pub static ALL: &[&dyn PersonalSetting] = &[
    &formats::FORMATS,
    &region::REGION,
    &languages::Languages,
    &keyboard_layouts::KeyboardLayouts,
    &typing::TYPING,
    &mouse::MOUSE,
    &pointers::Pointers,
    &wallpaper::Wallpaper,
    &background::BACKGROUND,
    &screen_saver::SCREEN_SAVER,
    &look::LOOK,
    &effects::Effects,
    &window_fonts::WindowFonts,
    &text_size::TEXT_SIZE,
    &sounds::Sounds,
    &file_view::FILE_VIEW,
    &taskbar::TASKBAR,
    &environment::Environment,
    &network_drive::NetworkDrives,
    &usual_printer::UsualPrinter,
    &magnifier::MAGNIFIER,
    // The contrast scheme changes colours that others set.
    &accessibility::ACCESSIBILITY,
];

/// The setting that an id belongs to: `mouse`, `drive/k`.
pub fn called(id: &str) -> Option<&'static dyn PersonalSetting> {
    let first = id.split('/').next().unwrap_or(id);
    ALL.iter().copied().find(|setting| setting.id() == first)
}

/// True for a key that some setting is in, or that leads to one; with a name, for a value that some setting
/// has in it.
pub fn names(key: &str, name: Option<&str>) -> bool {
    let is_below = |one: &str, other: &str| {
        let (one, other) = (one.to_lowercase(), other.to_lowercase());
        one == other || one.strip_prefix(&other).is_some_and(|rest| rest.starts_with('\\'))
    };
    ALL.iter().any(|setting| {
        setting.keys().iter().any(|own| match name {
            Some(name) => is_below(key, own) && setting.has_value(key, name),
            None => is_below(key, own) || is_below(own, key),
        })
    })
}

/// The message to a session after a value was set.
pub fn tells(key: &str, name: &str) -> Tell {
    let telling = ALL.iter().map(|setting| setting.tells(key, name));
    telling.into_iter().find(|tell| *tell != Tell::Nothing).unwrap_or(Tell::Nothing)
}

/// All settings in a person's registry.
pub fn read_all(own: &Own<'_>) -> Vec<Setting> {
    ALL.iter().flat_map(|setting| setting.read(own)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_told_apart_and_keys_are_known() {
        for (at, setting) in ALL.iter().enumerate() {
            assert!(ALL[..at].iter().all(|other| other.id() != setting.id()), "{}", setting.id());
        }
        assert_eq!(called("drive/k").map(PersonalSetting::id), Some("drive"));
        assert!(called("drives").is_none());
        let windows = "Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows";
        assert!(names(windows, Some("Device")) && !names(windows, Some("Load")));
        assert!(names("Environment", Some("KITES")) && !names("Environment", Some("UserInitMprLogonScript")));
        for known in ["Control Panel\\Mouse", "control panel", "Network\\K", "AppEvents\\Schemes\\Apps\\x"] {
            assert!(names(known, None), "{known}");
        }
        for other in
            ["Software\\Microsoft\\Windows\\CurrentVersion\\Run", "Control Panel\\MouseX", "Networks"]
        {
            assert!(!names(other, None), "{other}");
        }
        assert_eq!(tells("control panel\\mouse", "SWAPMOUSEBUTTONS"), Tell::Spi(table::Spi::MouseButtons));
    }
}
