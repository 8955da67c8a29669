//! Names of files that are given to things taken out of a trunk: each once, and such that every file system
//! holds them.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// Names in folders, each given once.
#[derive(Default)]
pub(super) struct Names(HashSet<PathBuf>);

impl Names {
    /// A path that was not given yet.
    pub(super) fn within(&mut self, folder: &Path, name: &str) -> PathBuf {
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
pub(super) fn portable(name: &str) -> String {
    let held = |c: char| if c.is_control() || "/\\:*?\"<>|".contains(c) { '-' } else { c };
    let name: String = name.chars().map(held).take(100).collect();
    let name = name.trim_matches([' ', '.']).to_owned();
    let (stem, ending) = name.split_at(name.find('.').unwrap_or(name.len()));
    let device = stem.to_ascii_uppercase();
    let is_device = ["CON", "PRN", "AUX", "NUL"].contains(&&*device)
        || (device.len() == 4 && (device.starts_with("COM") || device.starts_with("LPT")));
    match (name.is_empty(), is_device) {
        (true, _) => "-".to_owned(),
        // A device up to its first dot, so that is where the mark has to be.
        (_, true) => format!("{stem} -{ending}"),
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
            ["out/Inbox.mbox", "out/INBOX (2).mbox", "out/a-b-c", "out/-", "out/con -.mbox", "out/- (2)"]
        );
    }
}
