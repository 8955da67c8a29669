//! All settings of a person's Windows.

use super::own::Own;
use super::personal_setting::PersonalSetting;
use super::tell::Tell;
use super::{
    accessibility, autostart, background, default_programs, effects, environment, file_view, formats,
    keyboard_layouts, languages, look, magnifier, mouse, network_drive, odbc, pointers, region, screen_saver,
    server_printer, sounds, taskbar, text_size, typing, usual_printer, wallpaper, window_fonts,
};
use crate::setting::Setting;

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
    &server_printer::ServerPrinters,
    &usual_printer::UsualPrinter,
    &magnifier::MAGNIFIER,
    &odbc::DataSources,
    &default_programs::DefaultPrograms,
    &autostart::Autostart,
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
    use super::super::tell::Spi;
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
        assert_eq!(tells("control panel\\mouse", "SWAPMOUSEBUTTONS"), Tell::Spi(Spi::MouseButtons));
    }
}
