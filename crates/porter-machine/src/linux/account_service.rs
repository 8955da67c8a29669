//! The language, formats and picture of each person that the sign-in of a Linux desktop keeps, in a key file
//! (AccountsService, <https://gitlab.freedesktop.org/accountsservice/accountsservice>).

use crate::setting::Setting;
use crate::small_file::read_at;
use porter_formats::ini::Ini;
use porter_source::Volume;
use porter_trunk::ContentHash;

/// The folder of the service.
pub const FOLDER: &str = "var/lib/AccountsService";
/// The fact of a person's picture: the BLAKE3 of its file.
pub const BLAKE3: &str = "blake3";
/// The fact of the language that programs speak. That of formats is `name`.
pub const DISPLAY_LANGUAGE: &str = "display-language";

const USER: &str = "User";
const LANGUAGE: &str = "Language";
const FORMATS: &str = "FormatsLocale";
const ICON: &str = "Icon";
/// A picture is not larger.
const LARGEST_PICTURE_IN_BYTES: usize = 4 << 20;

/// The key file of a person; none for a name that is no file's.
pub fn file_of(name: &str) -> Option<String> {
    is_file_name(name).then(|| format!("{FOLDER}/users/{name}"))
}

/// Where the picture of a person is.
pub fn picture_of(name: &str) -> Option<String> {
    is_file_name(name).then(|| format!("{FOLDER}/icons/{name}"))
}

fn is_file_name(name: &str) -> bool {
    !name.is_empty() && !name.starts_with('.') && !name.contains(['/', '\0'])
}

/// The settings of a person that stand there.
pub(super) fn settings(volume: &dyn Volume, name: &str) -> Vec<Setting> {
    let file = file_of(name).and_then(|path| read_at(volume, &path)).unwrap_or_default();
    let file = Ini::from_text(&String::from_utf8_lossy(&file));
    let value =
        |name: &str| file.get(USER, name).map(str::trim).filter(|value| !value.is_empty()).map(str::to_owned);
    let language = value(LANGUAGE);
    let formats = value(FORMATS).or_else(|| language.clone());
    let locale = [("name", formats), (DISPLAY_LANGUAGE, language)];
    let icon = value(ICON).map(|path| path.trim_start_matches('/').to_owned()).or_else(|| picture_of(name));
    let picture = icon.and_then(|path| read_at(volume, &path));
    let picture = picture.filter(|file| (1..=LARGEST_PICTURE_IN_BYTES).contains(&file.len()));
    let hash = picture.map(|file| ContentHash::of(&file).to_string());
    [
        Setting::new("locale", "Language and formats", &locale),
        Setting::new("picture", "Picture of the account", &[(BLAKE3, hash)]),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The key file with a language, and with that of formats where it is another one. None if nothing changes.
pub fn with_locale(file: &[u8], language: Option<&str>, formats: Option<&str>) -> Option<Vec<u8>> {
    let formats = formats.filter(|formats| language != Some(formats));
    changed(file, &[(LANGUAGE, language), (FORMATS, formats)])
}

/// The key file with the picture of that name.
pub fn with_picture(file: &[u8], name: &str) -> Option<Vec<u8>> {
    changed(file, &[(ICON, Some(&format!("/{}", picture_of(name)?)))])
}

fn changed(file: &[u8], values: &[(&str, Option<&str>)]) -> Option<Vec<u8>> {
    let before = std::str::from_utf8(file).ok()?;
    let mut text = Ini::from_text(before);
    for (name, value) in values {
        if let Some(value) = value {
            text.set(USER, name, value);
        }
    }
    if before.is_empty() {
        text.set(USER, "SystemAccount", "false");
    }
    let after = text.to_text();
    (after != before).then(|| after.into_bytes())
}

/// `en_GB.UTF-8` for a language of another system: `en-GB`, `en_GB@euro`. None for what is no language.
pub fn locale_of(name: &str) -> Option<String> {
    let plain = name.split(['.', '@']).next()?.replace('-', "_");
    let (language, country) = plain.split_once('_')?;
    let is_language = (2..=3).contains(&language.len()) && language.chars().all(|c| c.is_ascii_lowercase());
    let is_country = country.len() == 2 && country.chars().all(|c| c.is_ascii_uppercase());
    (is_language && is_country).then(|| format!("{language}_{country}.UTF-8"))
}

/// True if programs of a system can speak a language: it was generated there.
pub fn has_locale(volume: &dyn Volume, locale: &str) -> bool {
    const LOCALES: &str = "usr/lib/locale";
    let (language, _) = locale.split_once('.').unwrap_or((locale, ""));
    // As glibc spells it.
    let name = format!("{language}.utf8");
    let is_folder = |name: &str| {
        let path = format!("{LOCALES}/{name}");
        porter_names::RelativePath::from_bytes(path.as_bytes())
            .is_ok_and(|path| volume.metadata(&path).is_ok())
    };
    if is_folder(&name) {
        return true;
    }
    let archive = read_at(volume, &format!("{LOCALES}/locale-archive")).unwrap_or_default();
    memchr::memmem::find(&archive, format!("{name}\0").as_bytes()).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_source::HostFolder;
    use std::fs;

    #[test]
    fn language_formats_and_picture_are_told_and_only_they_are_changed() {
        let bench = tempfile::tempdir().unwrap();
        let root = bench.path().join(FOLDER);
        fs::create_dir_all(root.join("users")).unwrap();
        fs::create_dir_all(root.join("icons")).unwrap();
        let file = b"[User]\nLanguage=de_DE.UTF-8\nXSession=kite\nIcon=/var/lib/AccountsService/icons/odile\n\n[InputSource0]\nxkb=gb\n";
        fs::write(root.join("users/odile"), file).unwrap();
        fs::write(root.join("icons/odile"), "a picture").unwrap();
        let volume = HostFolder::open(bench.path()).unwrap();
        let [locale, picture] = &settings(&volume, "odile")[..] else { panic!("two settings") };
        assert_eq!(
            (&*locale.facts["name"], &*locale.facts[DISPLAY_LANGUAGE]),
            ("de_DE.UTF-8", "de_DE.UTF-8")
        );
        assert_eq!(picture.facts[BLAKE3], ContentHash::of(b"a picture").to_string());
        let with = with_locale(file, None, Some("en_GB.UTF-8")).unwrap();
        let text = String::from_utf8(with.clone()).unwrap();
        assert!(
            text.contains("FormatsLocale=en_GB.UTF-8\n")
                && text.contains("Language=de_DE.UTF-8\nXSession=kite\n"),
            "{text}"
        );
        assert_eq!(with_locale(&with, Some("de_DE.UTF-8"), Some("en_GB.UTF-8")), None, "a second time");
        let new = String::from_utf8(with_picture(b"", "bram").unwrap()).unwrap();
        assert_eq!(new, "[User]\nIcon=/var/lib/AccountsService/icons/bram\nSystemAccount=false\n");
        assert!(settings(&volume, "bram").is_empty() && settings(&volume, "../odile").is_empty());
        for (name, expected) in [
            ("en-GB", Some("en_GB.UTF-8")),
            ("de_AT@euro", Some("de_AT.UTF-8")),
            ("C", None),
            ("en_GB\nIcon=x", None),
        ] {
            assert_eq!(locale_of(name).as_deref(), expected, "{name}");
        }
        fs::create_dir_all(bench.path().join("usr/lib/locale/C.utf8")).unwrap();
        fs::write(bench.path().join("usr/lib/locale/locale-archive"), b"xx\0en_GB.utf8\0").unwrap();
        assert!(
            has_locale(&volume, "en_GB.UTF-8")
                && has_locale(&volume, "C.UTF-8")
                && !has_locale(&volume, "de_DE.UTF-8")
        );
    }
}
