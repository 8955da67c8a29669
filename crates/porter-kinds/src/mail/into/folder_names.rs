//! The files of folders of letters. As programs of Mozilla's and Evolution name them, `Kites` has the letters
//! of a folder, and `Kites.sbd` the folders in it; where a person picks them, they are `Kites.mbox` and
//! `Kites`.

use crate::mail::given_names::portable;
use porter_names::RelativePath;
use porter_names::portable::COMPANION_ENDINGS;
use std::collections::{HashMap, HashSet};

/// Names that the program takes for files of its own, and endings of those.
const OF_PROGRAM: [&str; 10] = [
    "msgfilterrules.dat",
    "rules.dat",
    "rulesbackup.dat",
    "filterlog.html",
    "junklog.html",
    "popstate.dat",
    "sort.dat",
    "mailfilt.log",
    "filters.js",
    "feeds.json",
];
const ENDINGS_OF_PROGRAM: [&str; 3] = [".snm", ".toc", ".mozmsgs"];
/// The program shows longer ones, and cannot make them itself.
const LONGEST: usize = 55;

/// Who looks for the files.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) enum Naming {
    /// A program, in folders of its own.
    #[default]
    Program,
    /// A person.
    Person,
}

/// The name of each folder, given once among those beside it.
#[derive(Default)]
pub(super) struct FolderNames {
    naming: Naming,
    given: HashMap<Vec<String>, String>,
    taken: HashSet<(Vec<String>, String)>,
}

impl FolderNames {
    pub(super) fn new(naming: Naming) -> Self {
        Self { naming, ..Self::default() }
    }

    /// The file of a folder, below that of all folders, by the names down to it.
    pub(super) fn file_of(&mut self, folder: &[String]) -> Option<RelativePath> {
        let mut at = RelativePath::root();
        for depth in 1..=folder.len() {
            let name = self.name_of(&folder[..depth]);
            let name = match (self.naming, depth == folder.len()) {
                (Naming::Program, true) | (Naming::Person, false) => name,
                (Naming::Program, false) => below(&name),
                (Naming::Person, true) => format!("{name}.mbox"),
            };
            at = at.join(name.as_bytes()).ok()?;
        }
        (!folder.is_empty()).then_some(at)
    }

    fn name_of(&mut self, folder: &[String]) -> String {
        if let Some(name) = self.given.get(folder) {
            return name.clone();
        }
        let (last, above) = folder.split_last().map_or(("", &[][..]), |(last, above)| (last, above));
        let wanted = held(last);
        let mut name = wanted.clone();
        for number in 2.. {
            if self.taken.insert((above.to_vec(), name.to_lowercase())) {
                break;
            }
            name = format!("{wanted} ({number})");
        }
        self.given.insert(folder.to_vec(), name.clone());
        name
    }
}

/// The folder of the folders that are in one.
fn below(name: &str) -> String {
    format!("{name}{}", COMPANION_ENDINGS[0])
}

/// A name that every file system holds and that the program takes for one of a folder.
fn held(name: &str) -> String {
    let name: String = portable(name).chars().take(LONGEST).collect();
    let name = name.trim_end_matches([' ', '.']).trim_start_matches('#');
    let small = name.to_lowercase();
    let is_of_program = OF_PROGRAM.contains(&&*small)
        || name.ends_with('~')
        || ENDINGS_OF_PROGRAM.iter().chain(&COMPANION_ENDINGS).any(|ending| small.ends_with(ending));
    match (name.is_empty(), is_of_program) {
        (true, _) => "-".to_owned(),
        (_, true) => format!("{name} -"),
        _ => name.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_folder_has_a_file_that_the_program_shows_as_one() {
        let mut names = FolderNames::default();
        let mut file = |folder: &[&str]| {
            let folder: Vec<String> = folder.iter().map(|name| (*name).to_owned()).collect();
            names.file_of(&folder).unwrap().to_string()
        };
        assert_eq!(file(&["Outlook", "Jobs: 2012", "con"]), "Outlook.sbd/Jobs- 2012.sbd/con -");
        assert_eq!(file(&["Outlook", "jobs- 2012"]), "Outlook.sbd/jobs- 2012 (2)");
        assert_eq!(file(&["Outlook", "Jobs: 2012"]), "Outlook.sbd/Jobs- 2012", "the same as above");
        assert_eq!(file(&["PopState.dat"]), "PopState.dat -");
        assert_eq!(file(&["x.sbd"]), "x.sbd -");
        assert_eq!(file(&["#~"]), "~ -");
        assert_eq!(file(&["..."]), "-");
        assert_eq!(file(&[&"k".repeat(300)]).len(), 55);
    }
}
