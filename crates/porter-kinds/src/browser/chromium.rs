//! The browsers around Chromium: Chrome, Edge and their kin.
//!
//! A folder *User Data* holds `Local State`, which lists the profiles, and beside it a folder for each:
//! `Default`, `Profile 1`. On Windows saved passwords and cookies are encrypted with a key that is bound to
//! the old account, on macOS with one in the keychain.

use super::engine::Engine;
use crate::crossing::old_paths::OldPaths;
use crate::profiles::json_paths::follow_all;
use crate::profiles::local_state::LocalStateList;
use crate::profiles::version::version_numbers;
use crate::profiles::{Keeper, Learned, NewContent, ProfileFolder, ProfileList};
use porter_formats::FormatError;
use porter_formats::bookmarks::{Added, Bookmarks, merge};
use porter_formats::chromium::bookmarks::BookmarksFile;
use porter_formats::chromium::{history, icons, logins, preferences, session};
use porter_formats::links::Link;
use porter_machine::layout::Family;
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_source::Volume;
use serde_json::Value;
use time::OffsetDateTime;

/// See the module.
pub struct Chromium;

const BOOKMARKS: &str = "Bookmarks";
const HISTORY: &str = "History";
const LOGINS: &str = "Login Data";
/// Where in `Preferences` paths are written that are not signed.
const PATHS: [&str; 4] = [
    "/download/default_directory",
    "/savefile/default_directory",
    "/selectfile/last_directory",
    "/printing/print_preview_sticky_settings/savePath",
];

impl Keeper for Chromium {
    fn list(&self) -> &'static dyn ProfileList {
        &LocalStateList
    }

    fn version_in_root(&self, volume: &dyn Volume, root: &RelativePath) -> Option<String> {
        let file = small_file::read(volume, &root.join(b"Last Version").ok()?)?;
        Some(String::from_utf8_lossy(&file).trim().to_owned()).filter(|version| !version.is_empty())
    }

    /// On Windows the program's folder holds one named by its version.
    fn version_installed(&self, volume: &dyn Volume, program: &RelativePath) -> Option<String> {
        let rows = volume.list(program).ok()?.into_iter().flatten();
        let names = rows.filter_map(|row| String::from_utf8(row.name).ok());
        let is_version = |name: &String| {
            name.split('.').count() == 4 && name.split('.').all(|number| number.parse::<u32>().is_ok())
        };
        names.filter(is_version).max_by_key(|name| version_numbers(name))
    }

    fn learn(&self, profile: &ProfileFolder<'_>, family: Family) -> Learned {
        let mut learned = Learned::default();
        if let Some(file) = profile.read(BOOKMARKS) {
            let read = BookmarksFile::from_bytes(&file);
            if read.as_ref().is_ok_and(|read| !read.checksum_fits) {
                learned.cautions.push(crate::caution::Caution::ProfileDamaged {
                    file: BOOKMARKS.to_owned(),
                    detail: "its checksum is another than that of what stands in it".to_owned(),
                });
            }
            let bookmarks = read.and_then(|read| Ok(Some(read.bookmarks()?.count())));
            learned.count("bookmarks", BOOKMARKS, bookmarks);
        }
        let history = profile.database(HISTORY);
        learned.count_in("pages in history", HISTORY, &history, history::count);
        let passwords = profile
            .database(LOGINS)
            .and_then(|database| database.map(|database| logins::count(&database)).transpose());
        if let Ok(Some(logins)) = &passwords
            && logins.count > 0
        {
            let opens = match family {
                Family::Windows | Family::Drive => "bound-to-windows",
                Family::MacOs => "bound-to-keychain",
                Family::Linux if logins.marked_v10 == logins.count => "same-on-linux",
                Family::Linux => "bound-to-keyring",
            };
            learned.fact("passwords", opens);
        }
        learned.count("passwords", LOGINS, passwords.map(|logins| logins.map(|logins| logins.count)));
        let (plain, secure) = (profile.read("Preferences"), profile.read("Secure Preferences"));
        if plain.is_some() || secure.is_some() {
            let read = preferences::read(plain.as_deref(), secure.as_deref());
            if let Ok(read) = &read {
                if !read.extensions.is_empty() {
                    learned.fact("extensions", read.extensions.join(", "));
                }
                // On Linux signatures are not enforced.
                if !read.signed.is_empty() && family != Family::Linux {
                    learned.fact("signed", read.signed.join(", "));
                }
                if let Some(version) = &read.created_by {
                    learned.fact("made-by-version", version);
                }
            }
            let extensions = read.map(|read| Some(read.extensions.len() as u64));
            learned.count("extensions", "Preferences", extensions);
        }
        if let Ok(Some(database)) = &history
            && let Ok(Some(at)) = history::last_visit_utc(database)
        {
            learned.fact("last-used", at.date().to_string());
        }
        learned
    }

    fn files_with_paths(&self) -> &'static [&'static str] {
        &["Preferences"]
    }

    fn follow(&self, _file: &str, content: &[u8], paths: &OldPaths, _: Option<&str>) -> Option<Vec<u8>> {
        let before: Value = serde_json::from_slice(content).ok()?;
        let mut json = before.clone();
        for pointer in PATHS {
            // Print settings are JSON in a text; a text that is not a path stays.
            if let Some(value) = json.pointer_mut(pointer) {
                follow_all(value, paths);
            }
        }
        (json != before).then(|| serde_json::to_vec(&json).ok()).flatten()
    }

    fn databases(&self) -> &'static [&'static str] {
        &[HISTORY, LOGINS, "Network/Cookies", "Cookies", "Web Data", "Favicons", "Top Sites"]
    }
}

impl Engine for Chromium {
    fn bookmarks(&self, profile: &ProfileFolder<'_>, with_icons: bool) -> Result<Bookmarks, FormatError> {
        let Some(file) = profile.read(BOOKMARKS) else { return Ok(Bookmarks::default()) };
        let mut bookmarks = BookmarksFile::from_bytes(&file)?.bookmarks()?;
        if with_icons && let Ok(Some(database)) = profile.database("Favicons") {
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
        let mut file = match profile.read(BOOKMARKS) {
            Some(file) => BookmarksFile::from_bytes(&file)?,
            None => BookmarksFile::empty(now_utc)?,
        };
        let mut tree = file.bookmarks()?;
        let added = merge(&mut tree, from);
        if added.is_nothing() {
            return Ok(None);
        }
        file.add_new(&tree, now_utc)?;
        Ok(Some(((BOOKMARKS, file.to_bytes()?), added)))
    }

    fn tabs(&self, profile: &ProfileFolder<'_>) -> Result<Vec<Link>, FormatError> {
        // The number behind the name is a time: the newest is the last.
        let mut names: Vec<String> =
            profile.names_in("Sessions").into_iter().filter(|name| name.starts_with("Session_")).collect();
        names.sort();
        for name in names.iter().rev() {
            let tabs =
                profile.read(&format!("Sessions/{name}")).map(|file| session::tabs(&file)).transpose()?;
            if let Some(tabs) = tabs.filter(|tabs| !tabs.is_empty()) {
                return Ok(tabs);
            }
        }
        Ok(Vec::new())
    }

    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError> {
        match profile.database(HISTORY)? {
            Some(database) => history::each_visited(&database, give),
            None => Ok(Ok(())),
        }
    }
}
