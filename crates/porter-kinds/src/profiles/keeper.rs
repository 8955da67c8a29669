//! The duties of a program towards its profiles. Programs that are built alike keep theirs alike.

use super::{Learned, ProfileFolder, ProfileList};
use crate::crossing::old_paths::OldPaths;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;

/// See the module.
pub trait Keeper: Sync {
    /// How its programs keep the list of their profiles.
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

    /// Reads the numbers that stand in no list: all of a profile, and of its folders `outside`, is read for
    /// them. It ends early once `go_on` says no.
    fn count(
        &self,
        _profile: &ProfileFolder<'_>,
        _outside: &[RelativePath],
        _go_on: &dyn Fn() -> bool,
    ) -> Learned {
        Learned::default()
    }

    /// Folders of a profile that lie outside of it.
    fn outside(&self, _profile: &ProfileFolder<'_>, _machine: &Machine) -> Vec<Outside> {
        Vec::new()
    }

    /// The files of a profile in which paths are written.
    fn files_with_paths(&self) -> &'static [&'static str] {
        &[]
    }

    /// Such a file with its paths following to the new machine; none if nothing in it changes. The profile
    /// has moved to `moved_to`, as the new system writes it, unless it is back where it was.
    fn follow(
        &self,
        _file: &str,
        _content: &[u8],
        _paths: &OldPaths,
        _moved_to: Option<&str>,
    ) -> Option<Vec<u8>> {
        None
    }

    /// The databases of a profile that must be whole.
    fn databases(&self) -> &'static [&'static str];
}

/// A folder of a profile that lies outside of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outside {
    /// On the volume of the profile.
    Here {
        /// Below its root.
        folder: RelativePath,
        /// As it is written in the profile, if it is.
        written: Option<String>,
    },
    /// On another drive, or nowhere: as it is written.
    Elsewhere(String),
}
