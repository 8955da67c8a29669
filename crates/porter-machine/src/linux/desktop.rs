//! A person's settings of a desktop around GNOME: keys of dconf, in one file of the person's home. The
//! system's schemas, which are compiled into one file, say which keys its desktops know.
//!
//! A session reads the file when somebody signs in. Its service reads it again before each change: none is
//! lost.

use crate::keyboard_layout;
use crate::setting::Setting;
use crate::small_file;
use porter_formats::gvdb::{Table, Variant};
use porter_formats::percent;
use porter_names::{Facts, RelativePath};
use porter_source::Volume;
use std::collections::BTreeSet;

/// The file, below a home.
pub const FILE: &str = ".config/dconf/user";
const SCHEMAS: &str = "usr/share/glib-2.0/schemas/gschemas.compiled";

const LEFT_HANDED: &str = "/org/gnome/desktop/peripherals/mouse/left-handed";
const SHOW_HIDDEN: [&str; 2] =
    ["/org/gtk/settings/file-chooser/show-hidden", "/org/gtk/gtk4/settings/file-chooser/show-hidden"];
const COLOUR_SCHEME: &str = "/org/gnome/desktop/interface/color-scheme";
const DARK: &str = "prefer-dark";
const PICTURES: [&str; 2] =
    ["/org/gnome/desktop/background/picture-uri", "/org/gnome/desktop/background/picture-uri-dark"];
const LAYOUTS: &str = "/org/gnome/desktop/input-sources/sources";
/// An input source that is a layout of a keyboard.
const XKB: &str = "xkb";

// Names of settings and facts as a Windows has them.
const SWAP_BUTTONS: (&str, &str, &str) = ("mouse", "swap-buttons", "1");
const HIDDEN_FILES: (&str, &str, &str) = ("file-view", "hidden", "1");
const DARK_PROGRAMS: (&str, &str, &str) = ("look", "programs-light", "0");
const WALLPAPER: (&str, &str) = ("wallpaper", "file");
const KEYBOARD: (&str, &str) = ("keyboard", "layouts");
const WINDOWS_LAYOUTS: &str = "windows-layouts";

/// The settings of the person with that home which other systems have, too.
pub(super) fn settings(volume: &dyn Volume, home: &RelativePath) -> Vec<Setting> {
    let path = RelativePath::from_bytes(FILE.as_bytes()).and_then(|below| home.join_path(&below));
    let file = path.ok().and_then(|path| small_file::read(volume, &path));
    let Some(keys) = file.and_then(|file| Table::from_bytes(&file).ok()) else { return Vec::new() };
    let value = |key: &str| keys.variants.get(key);
    let is_set = |key: &str| value(key).and_then(Variant::as_boolean).filter(|is| *is);
    let text = |key: &str| value(key).and_then(Variant::as_text);
    let one =
        |(_, fact, as_set): (_, &'static str, &str), is_so: bool| (fact, is_so.then(|| as_set.to_owned()));
    let picture = text(PICTURES[0]).and_then(|address| percent::decoded(address.strip_prefix("file://")?));
    let layouts = value(LAYOUTS).and_then(Variant::as_pairs).map(|pairs| {
        let layouts = pairs.iter().filter(|(kind, _)| kind == XKB);
        layouts.map(|(_, layout)| of_dconf(layout)).collect::<Vec<_>>().join(",")
    });
    [
        Setting::new(SWAP_BUTTONS.0, "Mouse", &[one(SWAP_BUTTONS, is_set(LEFT_HANDED).is_some())]),
        Setting::new(
            HIDDEN_FILES.0,
            "How files are shown",
            &[one(HIDDEN_FILES, SHOW_HIDDEN.iter().any(|key| is_set(key).is_some()))],
        ),
        Setting::new(
            DARK_PROGRAMS.0,
            "Light or dark",
            &[one(DARK_PROGRAMS, text(COLOUR_SCHEME) == Some(DARK))],
        ),
        Setting::new(WALLPAPER.0, "Picture on the desktop", &[(WALLPAPER.1, picture)]),
        Setting::new(KEYBOARD.0, "Keyboard layouts", &[(KEYBOARD.1, layouts)]),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The facts that a person's setting of a Windows has on a desktop. `follow` leads from an old path to the
/// new one. None where it is the desktop's own way anyway, or where no desktop knows it.
pub fn meaning(setting: &str, facts: &Facts, follow: impl Fn(&str) -> Option<String>) -> Facts {
    let fact = |name: &str| facts.get(name).map(String::as_str);
    let is = |(id, name, value): (&str, &'static str, &str)| {
        (setting == id && fact(name) == Some(value)).then(|| (name, value.to_owned()))
    };
    let found = match setting {
        id if id == WALLPAPER.0 => fact(WALLPAPER.1).and_then(follow).map(|path| (WALLPAPER.1, path)),
        id if id == KEYBOARD.0 => {
            let numbers = fact(WINDOWS_LAYOUTS).unwrap_or_default().split_whitespace();
            let layouts: Option<Vec<&str>> = numbers.map(keyboard_layout::of_windows).collect();
            let layouts = layouts.filter(|layouts| !layouts.is_empty());
            layouts.map(|layouts| (KEYBOARD.1, layouts.join(",")))
        }
        _ => is(SWAP_BUTTONS).or_else(|| is(HIDDEN_FILES)).or_else(|| is(DARK_PROGRAMS)),
    };
    found.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
}

/// The keys by which a desktop has a setting with such facts.
fn keys_of(setting: &str, facts: &Facts) -> Vec<(&'static str, Variant)> {
    let fact = |name: &str| facts.get(name).map(String::as_str);
    let is = |(id, name, value): (&str, &str, &str)| setting == id && fact(name) == Some(value);
    if is(SWAP_BUTTONS) {
        return vec![(LEFT_HANDED, Variant::boolean(true))];
    }
    if is(HIDDEN_FILES) {
        return SHOW_HIDDEN.map(|key| (key, Variant::boolean(true))).to_vec();
    }
    if is(DARK_PROGRAMS) {
        return vec![(COLOUR_SCHEME, Variant::text(DARK))];
    }
    match setting {
        id if id == WALLPAPER.0 => {
            let address = fact(WALLPAPER.1).map(|path| format!("file://{}", percent::encoded(path)));
            address.into_iter().flat_map(|to| PICTURES.map(|key| (key, Variant::text(&to)))).collect()
        }
        id if id == KEYBOARD.0 => {
            let layouts =
                fact(KEYBOARD.1).map(|layouts| layouts.split(',').map(in_dconf).collect::<Vec<_>>());
            let pairs = |layouts: Vec<String>| {
                let pairs: Vec<(&str, &str)> = layouts.iter().map(|layout| (XKB, layout.as_str())).collect();
                (LAYOUTS, Variant::pairs(&pairs))
            };
            layouts.map(pairs).into_iter().collect()
        }
        _ => Vec::new(),
    }
}

/// The file of a person with a setting as its facts say, of the file that is there (empty if none is). None
/// if nothing is to be changed, or if the file there cannot be understood: then nothing is known of what
/// would be lost.
pub fn with_setting(file: &[u8], setting: &str, facts: &Facts, known: &KnownKeys) -> Option<Vec<u8>> {
    let mut keys = if file.is_empty() { Table::default() } else { Table::from_bytes(file).ok()? };
    let mut is_changed = false;
    for (key, value) in keys_of(setting, facts).into_iter().filter(|(key, _)| known.0.contains(*key)) {
        is_changed |= keys.variants.insert(key.to_owned(), value.clone()) != Some(value);
    }
    is_changed.then(|| keys.to_bytes())
}

/// The keys that the desktops of a system know, of those that are set here.
pub struct KnownKeys(BTreeSet<&'static str>);

impl KnownKeys {
    /// By the system's schemas. A system without a desktop of this family knows none.
    pub fn of(volume: &dyn Volume) -> Self {
        let schemas = small_file::read_at(volume, SCHEMAS).and_then(|file| Table::from_bytes(&file).ok());
        let tables = schemas.map(|schemas| schemas.tables).unwrap_or_default();
        let knows = |key: &&'static str| {
            let Some(at) = key.rfind('/') else { return false };
            let (folder, name) = key.split_at(at + 1);
            tables.values().any(|schema| {
                let path = schema.variants.get(".path").and_then(Variant::as_text);
                path == Some(folder) && schema.variants.contains_key(name)
            })
        };
        let all = [LEFT_HANDED, COLOUR_SCHEME, LAYOUTS].into_iter().chain(SHOW_HIDDEN).chain(PICTURES);
        Self(all.filter(knows).collect())
    }

    /// True if a desktop there has a setting with such facts.
    pub fn has(&self, setting: &str, facts: &Facts) -> bool {
        keys_of(setting, facts).iter().any(|(key, _)| self.0.contains(key))
    }
}

/// `fr(bepo)` is `fr+bepo` here.
fn in_dconf(layout: &str) -> String {
    layout.trim_end_matches(')').replace('(', "+")
}

fn of_dconf(layout: &str) -> String {
    match layout.split_once('+') {
        Some((layout, variant)) => format!("{layout}({variant})"),
        None => layout.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_source::HostFolder;
    use std::fs;

    fn facts(rows: &[(&str, &str)]) -> Facts {
        rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
    }

    #[test]
    fn what_a_windows_had_is_read_again_from_the_desktop_that_has_it_now() {
        let follow = |path: &str| Some(path.replace("C:\\Users\\odile\\", "/home/odile/Über "));
        let windows = [
            ("mouse", facts(&[("swap-buttons", "1"), ("wheel-lines", "5")])),
            ("file-view", facts(&[("hidden", "1")])),
            ("look", facts(&[("programs-light", "0")])),
            ("wallpaper", facts(&[("file", "C:\\Users\\odile\\kite.jpg"), ("style", "10")])),
            ("keyboard", facts(&[("windows-layouts", "00000809 00020409")])),
        ];
        let all = [LEFT_HANDED, COLOUR_SCHEME, LAYOUTS].into_iter().chain(SHOW_HIDDEN).chain(PICTURES);
        let known = KnownKeys(all.collect());
        let mut file = Vec::new();
        for (id, then) in &windows {
            let becomes = meaning(id, then, follow);
            assert!(known.has(id, &becomes), "{id}");
            file = with_setting(&file, id, &becomes, &known).unwrap();
            assert_eq!(with_setting(&file, id, &becomes, &known), None, "{id} a second time");
        }
        let bench = tempfile::tempdir().unwrap();
        let at = bench.path().join("home/odile/.config/dconf");
        fs::create_dir_all(&at).unwrap();
        fs::write(at.join("user"), &file).unwrap();
        let volume = HostFolder::open(bench.path()).unwrap();
        let read = settings(&volume, &RelativePath::from_bytes(b"home/odile").unwrap());
        for (setting, (id, then)) in read.iter().zip(&windows) {
            assert_eq!((setting.id.as_str(), &setting.facts), (*id, &meaning(id, then, follow)));
        }
        assert_eq!(read.len(), windows.len());
        assert_eq!(read[3].facts["file"], "/home/odile/Über kite.jpg");
        assert_eq!(read[4].facts["layouts"], "gb,us(intl)");

        // A desktop does the first anyway, and cannot do the others.
        for (id, then) in [
            ("mouse", facts(&[("swap-buttons", "0"), ("wheel-lines", "5")])),
            ("keyboard", facts(&[("windows-layouts", "00000809 0000ffff")])),
            ("sounds", facts(&[("scheme", "x")])),
        ] {
            assert!(meaning(id, &then, follow).is_empty(), "{id}");
        }
        let mouse = facts(&[("swap-buttons", "1")]);
        assert_eq!(with_setting(b"not one", "mouse", &mouse, &known), None);
        assert!(!KnownKeys::of(&volume).has("mouse", &mouse), "no desktop is there");
    }
}
