//! How a family of programs keeps the list of its profiles.

use porter_formats::FormatError;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;

/// A profile that a program knows of, or that lies where it keeps them.
#[derive(Debug, Clone)]
pub struct Registered {
    /// The person's name for it.
    pub name: String,
    /// Below the volume's root; as it is written, if it leads nowhere.
    pub folder: Result<RelativePath, String>,
    /// True if it opens by default.
    pub is_default: bool,
}

/// How a profile that came is entered in its program's list.
#[derive(Debug, Clone, Copy)]
pub struct Entering<'a> {
    /// The folder, below the root that the program keeps its profiles in.
    pub folder: &'a RelativePath,
    /// Its name.
    pub name: &'a str,
    /// True if it is to open by default, whatever does now.
    pub opens: bool,
    /// The folders in which the program is installed, as its system writes them.
    pub installed_in: &'a [String],
}

/// A file that is to be written, beside the root.
pub type NewContent = (&'static str, Vec<u8>);

/// See the module. A program that has a single profile keeps no list.
pub trait ProfileList: Sync {
    /// The profiles in a root folder.
    fn profiles(&self, machine: &Machine, root: &RelativePath) -> Vec<Registered>;

    /// A free folder for a profile that comes from a folder called `wanted`, below the root; the root itself
    /// if it holds only one profile.
    fn free_folder(
        &self,
        _wanted: &str,
        _family: Family,
        _is_free: &dyn Fn(&RelativePath) -> bool,
    ) -> Option<RelativePath> {
        Some(RelativePath::root())
    }

    /// True if the program has a list of its profiles, in which one that comes has to be entered.
    fn has_list(&self) -> bool {
        true
    }

    /// The program's own list with a profile entered; `read` reads the files of the root. None if the profile
    /// is entered already.
    fn enter(
        &self,
        _read: &dyn Fn(&str) -> Option<Vec<u8>>,
        _entering: &Entering<'_>,
    ) -> Result<Vec<NewContent>, FormatError> {
        Ok(Vec::new())
    }

    /// The names of the files and links that stand for an open profile, in it or beside it.
    fn locks(&self) -> &'static [&'static str] {
        &[]
    }
}
