//! The files of a profile that browsers and mail programs of Mozilla's family have in common.

use super::json_paths::{follow_all, follow_names};
use super::profiles_ini::ini_at;
use super::{Learned, ProfileFolder};
use crate::crossing::old_paths::OldPaths;
use porter_formats::gecko::key_store::{self, PrimaryPassword};
use porter_formats::gecko::prefs::{self, Becomes};
use porter_formats::gecko::{extensions, logins};
use porter_formats::ini::Ini;
use porter_names::RelativePath;
use porter_source::Volume;
use std::collections::HashMap;

/// The name of the file of a profile's settings.
pub const PREFS: &str = "prefs.js";
/// The database of the keys that passwords are encrypted with.
pub const KEYS: &str = "key4.db";
/// The files of a profile in which paths are written.
pub const FILES_WITH_PATHS: &[&str] = &[PREFS, "user.js", "extensions.json", MODULES];
/// How each folder of mail is shown, by the path of its index: the name of its file may be another one.
pub const FOLDERS_SHOWN: &str = "folderCache.json";
/// The modules of NSS, with the folder of the profile's keys.
pub const MODULES: &str = "pkcs11.txt";

/// The version of a program in its folder.
pub fn version_installed(volume: &dyn Volume, program: &RelativePath) -> Option<String> {
    ini_at(volume, program, "application.ini")?.get("App", "Version").map(str::to_owned)
}

/// Passwords, extensions and version.
pub fn learn(profile: &ProfileFolder<'_>, learned: &mut Learned) {
    let passwords = match profile.read("logins.json") {
        Some(file) => logins::in_json(&file).map(Some),
        None => profile
            .database("logins.db")
            .and_then(|database| database.map(|database| logins::in_database(&database)).transpose()),
    };
    let has_passwords = matches!(passwords, Ok(Some(number)) if number > 0);
    learned.count("passwords", "logins.json", passwords);
    if has_passwords {
        learned.fact("passwords", whether_passwords_open(profile));
    }
    if let Some(file) = profile.read("extensions.json") {
        let names = extensions::names(&file);
        if let Ok(names) = &names
            && !names.is_empty()
        {
            learned.fact("extensions", names.join(", "));
        }
        learned.count("extensions", "extensions.json", names.map(|names| Some(names.len() as u64)));
    }
    if let Some(file) = profile.read("compatibility.ini") {
        let ini = Ini::from_text(&String::from_utf8_lossy(&file));
        let version = ini.get("Compatibility", "LastVersion").and_then(|version| version.split('_').next());
        if let Some(version) = version.filter(|version| !version.is_empty()) {
            learned.fact("version", version);
        }
    }
}

/// Their key lies in the profile; a primary password may stand before it.
fn whether_passwords_open(profile: &ProfileFolder<'_>) -> &'static str {
    if !profile.has(KEYS) && !profile.has("key3.db") {
        return "key-missing";
    }
    match profile.database(KEYS) {
        Ok(Some(database)) if matches!(key_store::primary_password(&database), Ok(PrimaryPassword::Set)) => {
            "behind-primary-password"
        }
        _ => "travel",
    }
}

/// A file with its paths following to the new machine, where the profile has moved to `moved_to`; none if
/// nothing in it changes.
pub fn follow(file: &str, content: &[u8], paths: &OldPaths, moved_to: Option<&str>) -> Option<Vec<u8>> {
    let text = std::str::from_utf8(content).ok()?;
    let new = match file {
        "extensions.json" => followed(text, |json| follow_all(json, paths))?,
        FOLDERS_SHOWN => followed(text, |json| follow_names(json, paths))?,
        MODULES => follow_modules(text, paths),
        _ => match moved_to {
            Some(profile) => follow_prefs(text, paths, profile),
            None => {
                prefs::with_texts(text, |_, value| paths.follow(value).map_or(Becomes::Same, Becomes::Text))
            }
        },
    };
    (new != text).then(|| new.into_bytes())
}

/// None if nothing changes.
fn followed(text: &str, follow: impl FnOnce(&mut serde_json::Value)) -> Option<String> {
    let before: serde_json::Value = serde_json::from_str(text).ok()?;
    let mut json = before.clone();
    follow(&mut json);
    serde_json::to_string(&json).ok().filter(|_| json != before)
}

/// Its lines name the folder as `configdir='sql:C:\\…'`.
fn follow_modules(text: &str, paths: &OldPaths) -> String {
    const MARK: &str = "configdir='sql:";
    let Some(at) = text.find(MARK).map(|at| at + MARK.len()) else { return text.to_owned() };
    let Some(length) = text[at..].find('\'') else { return text.to_owned() };
    let written = text[at..at + length].replace("\\\\", "\\");
    let Some(now) = paths.follow(&written) else { return text.to_owned() };
    [&text[..at], &now.replace('\\', "\\\\"), &text[at + length..]].concat()
}

/// Where a path is written relative to the profile.
pub const IN_PROFILE: &str = "[ProfD]";
/// The ending of a setting with the same path as the one without it, relative to the profile.
pub const RELATIVE: &str = "-rel";

/// The path below the profile that a relative one leads to; none if it leads out of it.
pub fn inside_profile(relative: &str) -> Option<&str> {
    let below = relative.strip_prefix(IN_PROFILE)?;
    (!below.split(['/', '\\']).any(|step| step == "..")).then_some(below)
}

/// Paths that stand there twice, whole and relative to the profile, become one: the program believes the
/// relative one where there is one, and writes the other again. One that led out of the profile is kept
/// whole, unless what was there came into it.
fn follow_prefs(text: &str, paths: &OldPaths, profile: &str) -> String {
    let all: HashMap<String, String> = prefs::texts(text).collect();
    let now =
        |whole: &str| all.get(whole).map(|written| paths.follow(written).unwrap_or_else(|| written.clone()));
    let in_profile = |whole: &str| {
        let now = now(whole)?;
        let below = now.strip_prefix(profile)?.strip_prefix(['/', '\\'])?;
        Some(format!("{IN_PROFILE}{}", below.replace('\\', "/")))
    };
    // Folders for new accounts: the program makes its own.
    let is_default = |name: &str| name.starts_with("mail.root.") || name.starts_with("mail.newsrc_root");
    prefs::with_texts(text, |name, value| match name.strip_suffix(RELATIVE) {
        Some(_) if inside_profile(value).is_some() => Becomes::Same,
        Some(whole) if all.contains_key(whole) => match in_profile(whole) {
            Some(relative) => Becomes::Text(relative),
            None => Becomes::Gone,
        },
        Some(_) => Becomes::Same,
        None => {
            let relative = all.get(&format!("{name}{RELATIVE}"));
            let is_told_by_it = relative
                .is_some_and(|relative| inside_profile(relative).is_some() || in_profile(name).is_some());
            if is_told_by_it || (relative.is_some() && is_default(name)) {
                return Becomes::Gone;
            }
            paths.follow(value).map_or(Becomes::Same, Becomes::Text)
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_machine::layout::Family;

    #[test]
    fn mail_is_found_by_paths_relative_to_the_profile_wherever_that_was_and_is() {
        let line = |name: &str, value: &str| {
            format!("user_pref(\"{name}\", \"{}\");\n", value.replace('\\', "\\\\"))
        };
        let old = r"C:\Users\odile\AppData\Roaming\Thunderbird\Profiles\k1";
        let text = [
            line("mail.server.server1.directory", &format!(r"{old}\Mail\pop")),
            line("mail.server.server1.directory-rel", "[ProfD]Mail/pop"),
            line("mail.server.server2.directory", r"D:\Mail\Örtlich"),
            line("mail.server.server2.directory-rel", "[ProfD]../../../../../../../D:/Mail/Örtlich"),
            line("mail.server.server3.directory", &format!(r"{old}\Mail\old program")),
            line("mail.root.pop3", r"D:\Mail"),
            line("mail.root.pop3-rel", "[ProfD]../../D:/Mail"),
            line("mail.identity.id1.sig_file", r"C:\Users\odile\Documents\signature.htm"),
            line("mail.identity.id1.sig_file-rel", "[ProfD]../../../../../Documents/signature.htm"),
            line("mail.identity.id1.useremail", "odile@saltmarsh.example"),
        ]
        .concat();
        let new = "/home/odile é/.thunderbird/k1-2";
        let mut paths = OldPaths::between(Family::Windows, Family::Linux);
        paths.add(r"C:\Users\odile\Documents", "/home/odile é/Documents".to_owned());
        paths.add(old, new.to_owned());
        paths.add(r"D:\Mail\Örtlich", format!("{new}/Mail/outside-1/Örtlich"));
        let expected = [
            line("mail.server.server1.directory-rel", "[ProfD]Mail/pop"),
            line("mail.server.server2.directory-rel", "[ProfD]Mail/outside-1/Örtlich"),
            line("mail.server.server3.directory", &format!("{new}/Mail/old program")),
            line("mail.identity.id1.sig_file", "/home/odile é/Documents/signature.htm"),
            line("mail.identity.id1.useremail", "odile@saltmarsh.example"),
        ]
        .concat();
        let followed = follow("prefs.js", text.as_bytes(), &paths, Some(new)).unwrap();
        assert_eq!(String::from_utf8(followed).unwrap(), expected);
        assert!(follow("prefs.js", expected.as_bytes(), &paths, Some(new)).is_none(), "followed twice");

        let shown = format!(
            "{{\"{}\\\\Mail\\\\Wind5d1c0a2b.msf\":{{\"folderName\":\"Wind?\"}}}}",
            old.replace('\\', "\\\\")
        );
        let followed = follow("folderCache.json", shown.as_bytes(), &paths, Some(new)).unwrap();
        assert_eq!(
            String::from_utf8(followed).unwrap(),
            format!("{{\"{new}/Mail/Wind5d1c0a2b.msf\":{{\"folderName\":\"Wind?\"}}}}")
        );

        let modules = format!("parameters=configdir='sql:{}' flags=x\n", old.replace('\\', "\\\\"));
        let followed = follow("pkcs11.txt", modules.as_bytes(), &paths, Some(new)).unwrap();
        assert_eq!(
            String::from_utf8(followed).unwrap(),
            format!("parameters=configdir='sql:{new}' flags=x\n")
        );
    }
}
