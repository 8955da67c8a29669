//! The duties of an engine towards its profiles. Browsers that are built on one engine keep theirs alike.

use crate::crossing::old_paths::OldPaths;
use crate::profiles::{Learned, NewContent, ProfileFolder, ProfileList};
use porter_formats::FormatError;
use porter_formats::bookmarks::Bookmarks;
use porter_formats::links::Link;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// See the module. An engine implements the facilities that it has.
pub trait Engine: Sync {
    /// How its browsers keep the list of their profiles.
    fn list(&self) -> &'static dyn ProfileList;

    /// The version that last used a root, where it is written there.
    fn version_in_root(&self, _volume: &dyn Volume, _root: &RelativePath) -> Option<String> {
        None
    }

    /// The version of a program in its folder.
    fn version_installed(&self, _volume: &dyn Volume, _program: &RelativePath) -> Option<String> {
        None
    }

    /// Reads what a profile means, on a system of this family.
    fn learn(&self, profile: &ProfileFolder<'_>, family: Family) -> Learned;

    /// The files of a profile in which paths are written.
    fn files_with_paths(&self) -> &'static [&'static str] {
        &[]
    }

    /// Such a file with its paths following to the new machine; none if nothing in it changes.
    fn follow(&self, _file: &str, _content: &[u8], _paths: &OldPaths) -> Option<Vec<u8>> {
        None
    }

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

    /// Passes on the history, the newest first.
    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError>;

    /// The databases of a profile that must be whole.
    fn databases(&self) -> &'static [&'static str];
}
