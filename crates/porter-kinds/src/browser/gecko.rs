//! The browsers around Gecko: Firefox and its kin.
//!
//! `profiles.ini` lists the profiles; a section `[Install…]` there, and `installs.ini`, say which of them an installation opens. A profile's
//! folder may be anywhere, and its random name means nothing.

use super::engine::{Engine, Entering, NewContent, Registered};
use super::profile::{Learned, ProfileFolder};
use crate::crossing::old_paths::OldPaths;
use porter_formats::FormatError;
use porter_formats::bookmarks::{Added, Bookmarks, merge};
use porter_formats::gecko::install_hash::install_hash;
use porter_formats::gecko::key_store::{self, PrimaryPassword};
use porter_formats::gecko::{extensions, icons, logins, places, prefs, session};
use porter_formats::ini::Ini;
use porter_formats::links::Link;
use porter_machine::layout::Family;
use porter_machine::registry::windows_path::below_root;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// See the module.
pub struct Gecko;

const PLACES: &str = "places.sqlite";
const KEYS: &str = "key4.db";
const LIST: &str = "profiles.ini";
const INSTALLS: &str = "installs.ini";
/// A folder with one of these is a profile, whether it is listed or not.
const OF_EVERY_PROFILE: [&str; 3] = ["prefs.js", PLACES, "compatibility.ini"];

fn ini_at(volume: &dyn Volume, root: &RelativePath, name: &str) -> Option<Ini> {
    let file = small_file::read(volume, &root.join(name.as_bytes()).ok()?)?;
    Some(Ini::from_text(&String::from_utf8_lossy(&file)))
}

/// A folder as `profiles.ini` names it.
fn folder_of(machine: &Machine, root: &RelativePath, path: &str, is_relative: bool) -> Option<RelativePath> {
    if is_relative {
        let below = RelativePath::from_bytes(path.replace('\\', "/").as_bytes()).ok()?;
        return root.join_path(&below).ok();
    }
    match machine.layout.family {
        Family::Windows | Family::Drive => below_root(path, &|_| None, "C:"),
        Family::Linux | Family::MacOs => RelativePath::from_bytes(path.strip_prefix('/')?.as_bytes()).ok(),
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

impl Engine for Gecko {
    fn profiles(&self, machine: &Machine, root: &RelativePath) -> Vec<Registered> {
        let volume = &*machine.volume;
        let mut profiles = Vec::new();
        let list = ini_at(volume, root, LIST).unwrap_or_default();
        let installs = ini_at(volume, root, INSTALLS).unwrap_or_default();
        let opened_by_installation: Vec<&str> = list
            .sections()
            .filter(|section| section.starts_with("Install"))
            .filter_map(|section| list.get(section, "Default"))
            .chain(installs.sections().filter_map(|section| installs.get(section, "Default")))
            .collect();
        for section in list.sections().filter(|section| section.starts_with("Profile")) {
            let Some(path) = list.get(section, "Path") else { continue };
            let is_relative = list.get(section, "IsRelative") != Some("0");
            let is_default = if opened_by_installation.is_empty() {
                list.get(section, "Default") == Some("1")
            } else {
                opened_by_installation.contains(&path)
            };
            profiles.push(Registered {
                name: list.get(section, "Name").unwrap_or(path).to_owned(),
                folder: folder_of(machine, root, path, is_relative).ok_or_else(|| path.to_owned()),
                is_default,
            });
        }
        // What somebody copied by hand, or a list lost, is a person's all the same.
        for folder in [root.join(b"Profiles").ok(), Some(root.clone())].into_iter().flatten() {
            for row in volume.list(&folder).into_iter().flatten().flatten() {
                let Ok(at) = folder.join(&row.name) else { continue };
                let known =
                    profiles.iter().any(|profile| profile.folder.as_ref().is_ok_and(|known| *known == at));
                let profile = ProfileFolder { volume, at };
                if !known && OF_EVERY_PROFILE.iter().any(|file| profile.has(file)) {
                    let name = porter_names::screen::on_screen(&row.name);
                    profiles.push(Registered { name, folder: Ok(profile.at), is_default: false });
                }
            }
        }
        profiles
    }

    fn version_in_root(&self, _volume: &dyn Volume, _root: &RelativePath) -> Option<String> {
        None
    }

    fn version_installed(&self, volume: &dyn Volume, program: &RelativePath) -> Option<String> {
        ini_at(volume, program, "application.ini")?.get("App", "Version").map(str::to_owned)
    }

    fn learn(&self, profile: &ProfileFolder<'_>, _family: Family) -> Learned {
        let mut learned = Learned::default();
        let places = profile.database(PLACES);
        learned.count_in("bookmarks", PLACES, &places, |database| Ok(places::bookmarks(database)?.count()));
        learned.count_in("pages in history", PLACES, &places, places::history_count);
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
            let version =
                ini.get("Compatibility", "LastVersion").and_then(|version| version.split('_').next());
            if let Some(version) = version.filter(|version| !version.is_empty()) {
                learned.fact("version", version);
            }
        }
        if let Ok(Some(database)) = &places
            && let Ok(Some(at)) = places::last_visit_utc(database)
        {
            learned.fact("last-used", at.date().to_string());
        }
        learned
    }

    fn locks(&self) -> &'static [&'static str] {
        &[".parentlock", "parent.lock"]
    }

    fn free_folder(
        &self,
        wanted: &str,
        family: Family,
        is_free: &dyn Fn(&RelativePath) -> bool,
    ) -> Option<RelativePath> {
        let parent = if family == Family::Linux { "" } else { "Profiles/" };
        let numbered = (1_u32..1000).map(|number| match number {
            1 => format!("{parent}{wanted}"),
            number => format!("{parent}{wanted}-{number}"),
        });
        numbered.filter_map(|path| RelativePath::from_bytes(path.as_bytes()).ok()).find(is_free)
    }

    fn enter(
        &self,
        read: &dyn Fn(&str) -> Option<Vec<u8>>,
        entering: &Entering<'_>,
    ) -> Result<Vec<NewContent>, FormatError> {
        let text = |name: &str| read(name).map(|file| String::from_utf8_lossy(&file).into_owned());
        let (old_list, old_installs) = (text(LIST), text(INSTALLS));
        let mut list = Ini::from_text(old_list.as_deref().unwrap_or_default());
        let path = entering.folder.to_string();
        let sections: Vec<String> = list.sections().map(str::to_owned).collect();
        let is_profile = |section: &&String| section.starts_with("Profile");
        let known =
            sections.iter().filter(is_profile).find(|section| list.get(section, "Path") == Some(&path));
        let is_first = !sections.iter().any(|section| section.starts_with("Profile"));
        if known.is_none() {
            let is_taken =
                |name: &str| sections.iter().any(|section| list.get(section, "Name") == Some(name));
            let name = porter_machine::account::unused_id(entering.name, is_taken);
            let number = (0_u32..).find(|number| !sections.contains(&format!("Profile{number}")));
            let section = format!("Profile{}", number.unwrap_or_default());
            list.set(&section, "Name", &name);
            list.set(&section, "IsRelative", "1");
            list.set(&section, "Path", &path);
            if is_first {
                list.set(&section, "Default", "1");
            }
        }
        if list.get("General", "Version").is_none() {
            list.set("General", "StartWithLastProfile", "1");
            list.set("General", "Version", "2");
        }
        let mut installs = Ini::from_text(old_installs.as_deref().unwrap_or_default());
        let mut hashes: Vec<String> =
            entering.installed_in.iter().map(|folder| install_hash(folder)).collect();
        hashes
            .extend(sections.iter().filter_map(|section| section.strip_prefix("Install").map(str::to_owned)));
        hashes.extend(installs.sections().map(str::to_owned));
        hashes.sort();
        hashes.dedup();
        for hash in hashes {
            let section = format!("Install{hash}");
            // An installation that has never run knows of no profile, and would make a new one.
            let opens_nothing =
                list.get(&section, "Default").is_none() && installs.get(&hash, "Default").is_none();
            if entering.opens || opens_nothing {
                for (ini, section) in [(&mut list, section.as_str()), (&mut installs, hash.as_str())] {
                    ini.set(section, "Default", &path);
                    ini.set(section, "Locked", "1");
                }
            }
        }
        let changed = [(LIST, old_list, list.to_text()), (INSTALLS, old_installs, installs.to_text())];
        let is_new = |(name, old, new): (&'static str, Option<String>, String)| {
            (!new.is_empty() && old.as_deref() != Some(&new)).then(|| (name, new.into_bytes()))
        };
        Ok(changed.into_iter().filter_map(is_new).collect())
    }

    fn files_with_paths(&self) -> &'static [&'static str] {
        &["prefs.js", "user.js", "extensions.json"]
    }

    fn follow(&self, file: &str, content: &[u8], paths: &OldPaths) -> Option<Vec<u8>> {
        let text = std::str::from_utf8(content).ok()?;
        let new = if file == "extensions.json" {
            let mut json: serde_json::Value = serde_json::from_str(text).ok()?;
            super::profile_json::follow_all(&mut json, paths);
            serde_json::to_string(&json).ok().filter(|_| {
                serde_json::from_str::<serde_json::Value>(text).is_ok_and(|before| before != json)
            })?
        } else {
            prefs::with_texts(text, |_, value| paths.follow(value))
        };
        (new != text).then(|| new.into_bytes())
    }

    fn bookmarks(&self, profile: &ProfileFolder<'_>, with_icons: bool) -> Result<Bookmarks, FormatError> {
        let Some(database) = profile.database(PLACES)? else { return Ok(Bookmarks::default()) };
        let mut bookmarks = places::bookmarks(&database)?;
        if with_icons && let Ok(Some(database)) = profile.database("favicons.sqlite") {
            // Without its pictures a bookmark is as good.
            let _ = icons::add_to(&mut bookmarks, &database);
        }
        Ok(bookmarks)
    }

    fn with_bookmarks(
        &self,
        profile: &ProfileFolder<'_>,
        from: &Bookmarks,
        now_utc: OffsetDateTime,
    ) -> Result<Option<(NewContent, Added)>, FormatError> {
        let Some(mut database) = profile.database(PLACES)? else {
            let detail = "the browser has not made its database yet: start it once".to_owned();
            return Err(FormatError::Damaged { what: PLACES, detail });
        };
        let mut tree = places::bookmarks(&database)?;
        let added = merge(&mut tree, from);
        if added.is_nothing() {
            return Ok(None);
        }
        places::add_new(&mut database, &tree, now_utc)?;
        Ok(Some(((PLACES, database.into_bytes()?), added)))
    }

    fn tabs(&self, profile: &ProfileFolder<'_>) -> Result<Vec<Link>, FormatError> {
        let candidates = [
            "sessionstore.jsonlz4",
            "sessionstore-backups/recovery.jsonlz4",
            "sessionstore-backups/previous.jsonlz4",
            "sessionstore.js",
        ];
        let file = candidates.iter().find_map(|name| profile.read(name));
        file.map_or(Ok(Vec::new()), |file| session::tabs(&file))
    }

    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError> {
        match profile.database(PLACES)? {
            Some(database) => places::each_visited(&database, give),
            None => Ok(Ok(())),
        }
    }

    fn databases(&self) -> &'static [&'static str] {
        &[PLACES, "favicons.sqlite", "cookies.sqlite", "key4.db", "formhistory.sqlite", "permissions.sqlite"]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entered(list: &str, installs: &str, entering: &Entering<'_>) -> Vec<(&'static str, String)> {
        let read = |name: &str| {
            Some(if name == LIST { list } else { installs })
                .filter(|text| !text.is_empty())
                .map(|text| text.as_bytes().to_vec())
        };
        let new = Gecko.enter(&read, entering).unwrap();
        new.into_iter().map(|(name, file)| (name, String::from_utf8(file).unwrap())).collect()
    }

    #[test]
    fn a_profile_is_entered_once_and_what_opens_by_itself_stays_unless_asked() {
        let folder = RelativePath::from_bytes(b"Profiles/ab12.work").unwrap();
        let installed_in = ["C:\\Program Files\\Mozilla Firefox".to_owned()];
        let entering = Entering { folder: &folder, name: "work", opens: false, installed_in: &installed_in };
        let fresh = entered("", "", &entering);
        assert!(
            fresh[0].1.contains("[Profile0]\nName=work\nIsRelative=1\nPath=Profiles/ab12.work\nDefault=1\n"),
            "{fresh:?}"
        );
        assert!(fresh[1].1.contains("[308046B0AF4A39CB]\nDefault=Profiles/ab12.work\n"), "{fresh:?}");
        assert!(entered(&fresh[0].1, &fresh[1].1, &entering).is_empty(), "entered twice");

        let used = "[Install308046B0AF4A39CB]\r\nDefault=Profiles/zz.default\r\n\r\n[Profile0]\r\nName=work\r\nIsRelative=1\r\nPath=Profiles/zz.default\r\n";
        let beside = entered(used, "", &entering);
        assert!(
            beside[0].1.starts_with(used) && beside[0].1.contains("[Profile1]\r\nName=work-2\r\n"),
            "{beside:?}"
        );
        assert_eq!(beside.len(), 1, "{beside:?}");
        let opening = entered(used, "", &Entering { opens: true, ..entering });
        assert!(
            opening[0]
                .1
                .starts_with("[Install308046B0AF4A39CB]\r\nDefault=Profiles/ab12.work\r\nLocked=1\r\n"),
            "{opening:?}"
        );
    }
}
