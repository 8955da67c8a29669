//! The browsers around Chromium: Chrome, Edge and their kin.
//!
//! A folder *User Data* holds `Local State`, which lists the profiles, and beside it a folder for each: `Default`, `Profile 1`. On Windows
//! saved passwords and cookies are encrypted with a key that is bound to the old account, on macOS with one in the keychain.

use super::engine::{Engine, Entering, NewContent, Registered};
use super::profile::{Learned, ProfileFolder};
use super::profile_json::follow_all;
use crate::crossing::old_paths::OldPaths;
use porter_formats::FormatError;
use porter_formats::bookmarks::{Added, Bookmarks, merge};
use porter_formats::chromium::bookmarks::BookmarksFile;
use porter_formats::chromium::local_state::LocalState;
use porter_formats::chromium::{history, icons, logins, preferences, session};
use porter_formats::links::Link;
use porter_machine::layout::Family;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_source::Volume;
use serde_json::Value;
use time::OffsetDateTime;

/// See the module.
pub struct Chromium;

const LIST: &str = "Local State";
const BOOKMARKS: &str = "Bookmarks";
const HISTORY: &str = "History";
const LOGINS: &str = "Login Data";
/// A folder with one of these is a profile, whether it is listed or not.
const OF_EVERY_PROFILE: [&str; 3] = ["Preferences", BOOKMARKS, HISTORY];
/// Not a person's: what the browser opens for guests and for itself.
const NOT_A_PERSONS: [&str; 2] = ["System Profile", "Guest Profile"];
/// Where in `Preferences` paths are written that are not signed.
const PATHS: [&str; 4] = [
    "/download/default_directory",
    "/savefile/default_directory",
    "/selectfile/last_directory",
    "/printing/print_preview_sticky_settings/savePath",
];

impl Engine for Chromium {
    fn profiles(&self, machine: &Machine, root: &RelativePath) -> Vec<Registered> {
        let volume = &*machine.volume;
        let state = root.join(LIST.as_bytes()).ok().and_then(|path| small_file::read(volume, &path));
        let state =
            state.and_then(|file| LocalState::from_bytes(&file).ok()).unwrap_or_else(LocalState::empty);
        let last_used = state.last_used().map(str::to_owned);
        let mut profiles: Vec<Registered> = state
            .profiles()
            .into_iter()
            .filter(|(folder, _)| !NOT_A_PERSONS.contains(&folder.as_str()))
            .map(|(folder, name)| Registered {
                is_default: last_used.as_ref().map_or(folder == "Default", |last| *last == folder),
                folder: root.join(folder.as_bytes()).map_err(|_| folder),
                name,
            })
            .collect();
        for row in volume.list(root).into_iter().flatten().flatten() {
            let Ok(at) = root.join(&row.name) else { continue };
            let known =
                profiles.iter().any(|profile| profile.folder.as_ref().is_ok_and(|known| *known == at));
            let name = porter_names::screen::on_screen(&row.name);
            let profile = ProfileFolder { volume, at };
            let is_one = || OF_EVERY_PROFILE.iter().any(|file| profile.has(file));
            if !known && !NOT_A_PERSONS.contains(&name.as_str()) && is_one() {
                let is_default = last_used.is_none() && name == "Default";
                profiles.push(Registered { name, folder: Ok(profile.at), is_default });
            }
        }
        // Opera keeps one profile, and no folder for it.
        let own = ProfileFolder { volume, at: root.clone() };
        if profiles.is_empty() && own.has("Preferences") {
            profiles.push(Registered {
                name: "Default".to_owned(),
                folder: Ok(root.clone()),
                is_default: true,
            });
        }
        profiles
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
        names.filter(is_version).max_by_key(|name| super::engine::version_numbers(name))
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

    fn locks(&self) -> &'static [&'static str] {
        &["SingletonLock", "lockfile"]
    }

    /// The browser numbers its profiles.
    fn free_folder(
        &self,
        wanted: &str,
        _family: Family,
        is_free: &dyn Fn(&RelativePath) -> bool,
    ) -> Option<RelativePath> {
        let numbered = (1_u32..1000).map(|number| format!("Profile {number}"));
        let all = [wanted.to_owned(), "Default".to_owned()].into_iter().chain(numbered);
        all.filter_map(|path| RelativePath::from_bytes(path.as_bytes()).ok()).find(is_free)
    }

    fn enter(
        &self,
        read: &dyn Fn(&str) -> Option<Vec<u8>>,
        entering: &Entering<'_>,
    ) -> Result<Vec<NewContent>, FormatError> {
        let old = read(LIST);
        let mut state = old.as_deref().map_or_else(|| Ok(LocalState::empty()), LocalState::from_bytes)?;
        let folder = entering.folder.to_string();
        let is_known = state.profiles().iter().any(|(known, _)| *known == folder);
        if is_known && (!entering.opens || state.last_used() == Some(folder.as_str())) {
            return Ok(Vec::new());
        }
        state.enter(&folder, entering.name, entering.opens)?;
        Ok(vec![(LIST, state.to_bytes()?)])
    }

    fn files_with_paths(&self) -> &'static [&'static str] {
        &["Preferences"]
    }

    fn follow(&self, _file: &str, content: &[u8], paths: &OldPaths) -> Option<Vec<u8>> {
        let before: Value = serde_json::from_slice(content).ok()?;
        let mut json = before.clone();
        for pointer in PATHS {
            // Print settings are JSON in a text; what is no path stays.
            if let Some(value) = json.pointer_mut(pointer) {
                follow_all(value, paths);
            }
        }
        (json != before).then(|| serde_json::to_vec(&json).ok()).flatten()
    }

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

    fn databases(&self) -> &'static [&'static str] {
        &[HISTORY, LOGINS, "Network/Cookies", "Cookies", "Web Data", "Favicons", "Top Sites"]
    }
}
