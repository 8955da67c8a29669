//! What an engine has to know of its profiles. Browsers that are built on one engine keep theirs alike.

use super::profile::{Learned, ProfileFolder};
use crate::crossing::old_paths::OldPaths;
use porter_formats::FormatError;
use porter_formats::bookmarks::Bookmarks;
use porter_formats::links::Link;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// A profile that a browser knows of, or that lies where it keeps them.
#[derive(Debug, Clone)]
pub struct Registered {
    /// What the person calls it.
    pub name: String,
    /// Below the volume's root; as it is written, if it leads nowhere.
    pub folder: Result<RelativePath, String>,
    /// True if it opens by itself.
    pub is_default: bool,
}

/// How a browser is told of a profile that came.
#[derive(Debug, Clone, Copy)]
pub struct Entering<'a> {
    /// The folder, below the root that the browser keeps its profiles in.
    pub folder: &'a RelativePath,
    /// What it is called.
    pub name: &'a str,
    /// True if it is to open by itself, whatever does now.
    pub opens: bool,
    /// The folders in which the browser is installed, as its system writes them.
    pub installed_in: &'a [String],
}

/// A file that is to be written, beside the root.
pub type NewContent = (&'static str, Vec<u8>);

/// See the module. What an engine does not have, it does not implement: one that has a single profile keeps no list, for example.
pub trait Engine: Sync {
    /// The profiles in a root folder.
    fn profiles(&self, machine: &Machine, root: &RelativePath) -> Vec<Registered>;

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

    /// The names of the files and links that stand for an open profile, in it or beside it.
    fn locks(&self) -> &'static [&'static str] {
        &[]
    }

    /// A free folder for a profile that comes from a folder called `wanted`, below the root; the root itself if it holds one profile and
    /// no more.
    fn free_folder(
        &self,
        _wanted: &str,
        _family: Family,
        _is_free: &dyn Fn(&RelativePath) -> bool,
    ) -> Option<RelativePath> {
        Some(RelativePath::root())
    }

    /// True if the browser has a list of its profiles, in which one that comes has to be entered.
    fn has_list(&self) -> bool {
        true
    }

    /// What the browser's own list becomes when a profile is entered; `read` gives the files of the root. Nothing for one that
    /// is entered already.
    fn enter(
        &self,
        _read: &dyn Fn(&str) -> Option<Vec<u8>>,
        _entering: &Entering<'_>,
    ) -> Result<Vec<NewContent>, FormatError> {
        Ok(Vec::new())
    }

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

    /// Gives the history, the newest first.
    fn each_visited(
        &self,
        profile: &ProfileFolder<'_>,
        give: &mut dyn FnMut(Link) -> std::io::Result<()>,
    ) -> Result<std::io::Result<()>, FormatError>;

    /// The databases of a profile that must be whole.
    fn databases(&self) -> &'static [&'static str];
}

/// `128.5.0` before `131.0`: numbers between dots, as far as there are any.
pub fn version_numbers(version: &str) -> Vec<u64> {
    let numbers =
        version.split(['.', '_', '-', '+']).map_while(|number| number.trim_end_matches("esr").parse().ok());
    numbers.collect()
}

/// True if a profile of version `has` may not be opened by a browser of version `by`: the browser refuses it from the second number on.
pub fn is_newer(has: &str, by: &str) -> bool {
    version_numbers(has) > version_numbers(by)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_newer_version_is_told_whatever_stands_behind_the_numbers() {
        for (has, by, newer) in [
            ("128.5.0", "131.0", false),
            ("140.0.2", "128.5.0esr", true),
            ("128.5.0", "128.5.0esr", false),
            ("52.9.0", "128.0", false),
        ] {
            assert_eq!(is_newer(has, by), newer, "{has} {by}");
        }
    }
}
