//! The duties of an engine beyond those of every [`Keeper`]: bookmarks, history and tabs. Browsers that are
//! built on one engine keep theirs alike.

use crate::profiles::{Keeper, NewContent, ProfileFolder};
use porter_formats::FormatError;
use porter_formats::bookmarks::Bookmarks;
use porter_formats::cookies::Cookie;
use porter_formats::links::Link;
use time::OffsetDateTime;

/// See the module. An engine implements the facilities that it has.
pub trait Engine: Keeper {
    /// The bookmarks of a profile, with their pictures if wanted.
    fn bookmarks(&self, profile: &ProfileFolder<'_>, with_icons: bool) -> Result<Bookmarks, FormatError>;

    /// The file of a profile that holds the bookmarks, with `from` added; none if that adds nothing.
    fn with_bookmarks(
        &self,
        profile: &ProfileFolder<'_>,
        from: &Bookmarks,
        now_utc: OffsetDateTime,
    ) -> Result<Option<(NewContent, porter_formats::bookmarks::Added)>, FormatError>;

    /// The tabs that were open.
    fn tabs(&self, _profile: &ProfileFolder<'_>) -> Result<Vec<Link>, FormatError> {
        Ok(Vec::new())
    }

    /// The cookies that open in another program; none if the engine encrypts them for its own.
    fn cookies(&self, _profile: &ProfileFolder<'_>) -> Result<Option<Vec<Cookie>>, FormatError> {
        Ok(None)
    }

    /// Passes on the history, the newest first.
    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError>;
}
