//! Letters taken out of a trunk for other programs, folder by folder: those of Outlook's data files, and
//! those that are a file each (Apple Mail, Windows Mail, Windows Live Mail).

mod data_files;
mod single;

use crate::forms::NotTaken;
use porter_trunk::{Trunk, TrunkItem};
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// A form that letters can be taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LetterForm {
    /// A mailbox for each folder.
    Mbox,
    /// A file for each letter.
    Letters,
}

/// The letters of one folder, accounted for.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderTaken {
    /// The data file, and the folders down to this one.
    pub path: Vec<String>,
    /// How many are there.
    pub found: u64,
    /// How many were written, those with damaged parts too.
    pub written: u64,
    /// How many were written without all of their parts.
    pub incomplete: u64,
    /// Letters of which nothing could be read.
    pub damaged: u64,
}

/// All that was taken of an item.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LettersTaken {
    /// In the order of the files and folders.
    pub folders: Vec<FolderTaken>,
    /// Folders of other things, which are not taken as letters: how many are there.
    pub others: Vec<(Vec<String>, u64)>,
    /// Data files, or parts of them, that could not be read, in words.
    pub flaws: Vec<String>,
}

/// Writes the letters of an item into a new folder. `go_on` ends it early.
pub fn take_letters(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: LetterForm,
    to: &Path,
    go_on: &dyn Fn() -> bool,
) -> Result<LettersTaken, NotTaken> {
    let mut taking =
        Taking { trunk, form, to, go_on, names: Names::default(), taken: LettersTaken::default() };
    let any_in_files = taking.data_files(item)?;
    let any_single = taking.single_letters(item)?;
    if any_in_files || any_single { Ok(taking.taken) } else { Err(NotTaken::NotOfItem(item.id.clone())) }
}

/// The letters of one item on their way.
struct Taking<'t> {
    trunk: &'t dyn Trunk,
    form: LetterForm,
    to: &'t Path,
    go_on: &'t dyn Fn() -> bool,
    names: Names,
    taken: LettersTaken,
}

/// Names in folders, each given once.
#[derive(Default)]
struct Names(HashSet<PathBuf>);

impl Names {
    /// A path that was not given yet.
    fn within(&mut self, folder: &Path, name: &str) -> PathBuf {
        let name = portable(name);
        let (stem, ending) = match name.rsplit_once('.') {
            Some((stem, ending)) if !stem.is_empty() => (stem.to_owned(), format!(".{ending}")),
            _ => (name.clone(), String::new()),
        };
        let names = std::iter::once(name.clone())
            .chain((2..).map(|number: u32| format!("{stem} ({number}){ending}")));
        for name in names {
            let path = folder.join(&name);
            if self.0.insert(PathBuf::from(path.to_string_lossy().to_lowercase())) {
                return path;
            }
        }
        folder.join(name)
    }
}

/// A name that every file system holds.
fn portable(name: &str) -> String {
    let held = |c: char| if c.is_control() || "/\\:*?\"<>|".contains(c) { '-' } else { c };
    let name: String = name.chars().map(held).take(100).collect();
    let name = name.trim_matches([' ', '.']).to_owned();
    let stem = name.split('.').next().unwrap_or_default().to_ascii_uppercase();
    let is_device = ["CON", "PRN", "AUX", "NUL"].contains(&&*stem)
        || (stem.len() == 4 && (stem.starts_with("COM") || stem.starts_with("LPT")));
    match (name.is_empty(), is_device) {
        (true, _) => "-".to_owned(),
        (_, true) => format!("{name} -"),
        _ => name,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_can_be_held_everywhere_and_none_is_given_twice() {
        let folder = Path::new("out");
        let mut names = Names::default();
        let given = ["Inbox.mbox", "INBOX.mbox", "a/b:c", "..", "con.mbox", ""];
        let given = given.map(|name| names.within(folder, name).to_string_lossy().replace('\\', "/"));
        assert_eq!(
            given,
            ["out/Inbox.mbox", "out/INBOX (2).mbox", "out/a-b-c", "out/-", "out/con.mbox -", "out/- (2)"]
        );
    }
}
