//! The browsers around Gecko: Firefox and its kin.
//!
//! `profiles.ini` lists their profiles.

use super::engine::Engine;
use crate::crossing::old_paths::OldPaths;
use crate::profiles::profiles_ini::{ProfilesIni, ini_at};
use crate::profiles::{Learned, NewContent, ProfileFolder, ProfileList};
use porter_formats::FormatError;
use porter_formats::bookmarks::{Added, Bookmarks, merge};
use porter_formats::gecko::key_store::{self, PrimaryPassword};
use porter_formats::gecko::{extensions, icons, logins, places, prefs, session};
use porter_formats::ini::Ini;
use porter_formats::links::Link;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// See the module.
pub struct Gecko;

const PLACES: &str = "places.sqlite";
const KEYS: &str = "key4.db";

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
    fn list(&self) -> &'static dyn ProfileList {
        &ProfilesIni { of_every_profile: &["prefs.js", PLACES, "compatibility.ini"] }
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
