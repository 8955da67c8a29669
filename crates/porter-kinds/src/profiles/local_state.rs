//! The programs around Chromium: a folder *User Data* holds `Local State`, which lists the profiles, and
//! beside it a folder for each: `Default`, `Profile 1`.

use super::folder::ProfileFolder;
use super::list::{Entering, NewContent, ProfileList, Registered};
use porter_formats::FormatError;
use porter_formats::chromium::local_state::LocalState;
use porter_machine::layout::Family;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;

/// See the module.
pub struct LocalStateList;

const LIST: &str = "Local State";
/// A folder with one of these is a profile, whether it is listed or not.
const OF_EVERY_PROFILE: [&str; 3] = ["Preferences", "Bookmarks", "History"];
/// Not a person's: what the browser opens for guests and for itself.
const NOT_A_PERSONS: [&str; 2] = ["System Profile", "Guest Profile"];

impl ProfileList for LocalStateList {
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
}
