//! Safari: one profile for each person, which only a Mac can use. Its bookmarks and tabs can be taken out for
//! any browser.

use super::engine::Engine;
use crate::profiles::{Keeper, Learned, NewContent, ProfileFolder, ProfileList, Registered};
use porter_formats::bookmarks::{Added, Bookmarks};
use porter_formats::links::Link;
use porter_formats::{FormatError, safari};
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use rusqlite::Connection;
use time::OffsetDateTime;

/// See the module.
pub struct Safari;

const BOOKMARKS: &str = "Bookmarks.plist";
const HISTORY: &str = "History.db";
/// Times are seconds since 2001.
const FROM_1970_TO_2001_IN_SECONDS: i64 = 978_307_200;

fn cannot_write() -> FormatError {
    FormatError::Damaged { what: BOOKMARKS, detail: "only Safari itself writes its bookmarks".to_owned() }
}

fn count(database: &Connection) -> Result<u64, FormatError> {
    Ok(database.query_row("SELECT count(*) FROM history_items", [], |row| row.get(0))?)
}

/// It has one profile, and no list.
struct OneProfile;

impl ProfileList for OneProfile {
    fn profiles(&self, _machine: &Machine, root: &RelativePath) -> Vec<Registered> {
        vec![Registered { name: "Safari".to_owned(), folder: Ok(root.clone()), is_default: true }]
    }

    fn has_list(&self) -> bool {
        false
    }
}

impl Keeper for Safari {
    fn list(&self) -> &'static dyn ProfileList {
        &OneProfile
    }

    fn learn(&self, profile: &ProfileFolder<'_>, _family: Family) -> Learned {
        let mut learned = Learned::default();
        if let Some(file) = profile.read(BOOKMARKS) {
            let bookmarks = safari::from_plist(&file).map(|bookmarks| Some(bookmarks.count()));
            learned.count("bookmarks", BOOKMARKS, bookmarks);
        }
        learned.count_in("pages in history", HISTORY, &profile.database(HISTORY), count);
        learned
    }

    fn databases(&self) -> &'static [&'static str] {
        &[HISTORY]
    }
}

impl Engine for Safari {
    fn bookmarks(&self, profile: &ProfileFolder<'_>, _with_icons: bool) -> Result<Bookmarks, FormatError> {
        profile.read(BOOKMARKS).map_or_else(|| Ok(Bookmarks::default()), |file| safari::from_plist(&file))
    }

    fn with_bookmarks(
        &self,
        _profile: &ProfileFolder<'_>,
        _from: &Bookmarks,
        _now_utc: OffsetDateTime,
    ) -> Result<Option<(NewContent, Added)>, FormatError> {
        Err(cannot_write())
    }

    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError> {
        let Some(database) = profile.database(HISTORY)? else { return Ok(Ok(())) };
        let sql = "SELECT v.title, i.url, max(v.visit_time) FROM history_visits v JOIN history_items i ON i.id = v.history_item \
                   GROUP BY i.id ORDER BY 3 DESC";
        let mut statement = database.prepare(sql)?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let seconds: Option<f64> = row.get(2)?;
            #[expect(clippy::cast_possible_truncation, reason = "parts of a second say nothing here")]
            let at = seconds.map(|seconds| seconds as i64 + FROM_1970_TO_2001_IN_SECONDS);
            let link = Link {
                title: row.get::<_, Option<String>>(0)?.unwrap_or_default(),
                url: row.get(1)?,
                visited_utc: at.and_then(|at| OffsetDateTime::from_unix_timestamp(at).ok()),
            };
            if let Err(cause) = give(link) {
                return Ok(Err(cause));
            }
        }
        Ok(Ok(()))
    }
}
