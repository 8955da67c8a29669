//! The browsers around Gecko: Firefox and its kin. `profiles.ini` lists their profiles. One of them,
//! SeaMonkey, has mail, too.

use super::engine::Engine;
use crate::crossing::old_paths::OldPaths;
use crate::mail::thunderbird;
use crate::profiles::profiles_ini::ProfilesIni;
use crate::profiles::{Keeper, Learned, NewContent, Outside, ProfileFolder, ProfileList, mozilla};
use porter_formats::FormatError;
use porter_formats::bookmarks::{Added, Bookmarks, merge};
use porter_formats::cookies::Cookie;
use porter_formats::gecko::{cookies, icons, places, session};
use porter_formats::links::Link;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// See the module.
pub struct Gecko;

const COOKIES: &str = "cookies.sqlite";
const PLACES: &str = "places.sqlite";

impl Keeper for Gecko {
    fn list(&self) -> &'static dyn ProfileList {
        &ProfilesIni { of_every_profile: &["prefs.js", PLACES, "compatibility.ini"] }
    }

    fn version_installed(&self, volume: &dyn Volume, program: &RelativePath) -> Option<String> {
        mozilla::version_installed(volume, program)
    }

    fn learn(&self, profile: &ProfileFolder<'_>, _family: Family) -> Learned {
        let mut learned = Learned::default();
        let places = profile.database(PLACES);
        learned.count_in("bookmarks", PLACES, &places, |database| Ok(places::bookmarks(database)?.count()));
        learned.count_in("pages in history", PLACES, &places, places::history_count);
        mozilla::learn(profile, &mut learned);
        thunderbird::learn_mail(profile, &mut learned);
        if let Ok(Some(database)) = &places
            && let Ok(Some(at)) = places::last_visit_utc(database)
        {
            learned.fact("last-used", at.date().to_string());
        }
        learned
    }

    fn count(
        &self,
        profile: &ProfileFolder<'_>,
        outside: &[RelativePath],
        go_on: &dyn Fn() -> bool,
    ) -> Learned {
        thunderbird::count(profile, outside, go_on)
    }

    fn outside(&self, profile: &ProfileFolder<'_>, machine: &Machine) -> Vec<Outside> {
        thunderbird::outside(profile, machine)
    }

    fn files_with_paths(&self) -> &'static [&'static str] {
        mozilla::FILES_WITH_PATHS
    }

    fn follow(
        &self,
        file: &str,
        content: &[u8],
        paths: &OldPaths,
        moved_to: Option<&str>,
    ) -> Option<Vec<u8>> {
        mozilla::follow(file, content, paths, moved_to)
    }

    fn databases(&self) -> &'static [&'static str] {
        &[PLACES, "favicons.sqlite", COOKIES, "key4.db", "formhistory.sqlite", "permissions.sqlite"]
    }
}

impl Engine for Gecko {
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

    fn cookies(&self, profile: &ProfileFolder<'_>) -> Result<Option<Vec<Cookie>>, FormatError> {
        let database = profile.database(COOKIES)?;
        database.map_or(Ok(Vec::new()), |database| cookies::cookies(&database)).map(Some)
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
}
