//! Deciding where things go in a folder tree that has things in it already.
//!
//! Works on names only: what is there is listed, what is planned is remembered, and nothing is written.

use crate::host::most_bytes_in_path;
use foldhash::HashMap;
use foldhash::quality::RandomState;
use porter_kinds::receipt::Reason;
use porter_names::{NameRules, RelativePath, host};
use porter_source::{EntryKind, HostTree};
use porter_trunk::name_with_mark;
use std::collections::hash_map::Entry as Slot;
use std::fs;
use std::hash::BuildHasher;
use std::path::PathBuf;
use time::Date;

/// A tree that things are to be put into, and all that was decided about it so far.
///
/// A name that is only planned is kept as two hashes, so that a million of them fit into memory. Names that
/// meet by chance only in their hashes are treated as alike: one of them gets a safe name, or is refused.
pub struct TargetTree {
    host: HostTree,
    rules: NameRules,
    /// The date that names set-aside things.
    today: Date,
    folders: Vec<FolderView>,
    folder_numbers: HashMap<RelativePath, usize>,
    /// The one that was asked for last: what is in one folder comes together.
    last: Option<(RelativePath, usize)>,
    hashes: RandomState,
}

/// One folder of the tree: what is there, and what will be.
#[derive(Default)]
struct FolderView {
    /// Sorted by the hash of what counts as the same name, then by name: where several names count as one,
    /// the choice must not hang on the order of a listing.
    there: Vec<There>,
    /// By the hash of what counts as the same name: the hash of the exact name that is planned.
    planned: HashMap<u64, u64>,
}

struct There {
    key: u64,
    name: Box<[u8]>,
    kind: EntryKind,
    /// The hash of the exact name of the thing that is planned here.
    planned_for: Option<u64>,
}

impl FolderView {
    fn alike(&mut self, key: u64) -> &mut [There] {
        let from = self.there.partition_point(|there| there.key < key);
        let number = self.there[from..].iter().take_while(|there| there.key == key).count();
        &mut self.there[from..from + number]
    }
}

/// Where a thing goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Destination {
    /// Below the tree's root.
    pub path: RelativePath,
    /// The kind of the present entry.
    pub is_there: Option<EntryKind>,
}

impl TargetTree {
    /// A tree whose volume holds names by `rules`.
    pub fn new(host: HostTree, rules: NameRules, today: Date) -> Self {
        Self {
            host,
            rules,
            today,
            folders: Vec::new(),
            folder_numbers: HashMap::default(),
            last: None,
            hashes: RandomState::default(),
        }
    }

    /// Where the running system shows it.
    pub fn host(&self) -> &HostTree {
        &self.host
    }

    /// Below the running system's root.
    pub fn host_path(&self, path: &RelativePath) -> Result<PathBuf, Reason> {
        let host =
            self.host.host_path(path).map_err(|cause| Reason::NotWritten { detail: cause.to_string() })?;
        let most_in_bytes = most_bytes_in_path();
        if host.as_os_str().len() > most_in_bytes {
            return Err(Reason::TooDeep { most_in_bytes: most_in_bytes as u64 });
        }
        Ok(host)
    }

    /// Chooses the name for `exact_name` in `folder`. A name that is there already, in any spelling that
    /// counts as the same, is used; one that another thing of this restore has taken, or that cannot be held,
    /// is replaced by a safe one.
    pub fn choose(&mut self, folder: &RelativePath, exact_name: &[u8]) -> Result<Destination, Reason> {
        let rules = self.rules;
        let hashes = self.hashes.clone();
        let view = self.view(folder)?;
        let mut wanted = if rules.hold(exact_name) {
            exact_name.to_vec()
        } else {
            rules.safe_name(exact_name).into_bytes()
        };
        let exact = hashes.hash_one(exact_name);
        let mut number = 1;
        loop {
            let key = hashes.hash_one(rules.key(&wanted));
            let alike = view.alike(key);
            let at = alike.iter().position(|there| *there.name == *wanted).unwrap_or(0);
            let planned_for = match alike.get_mut(at) {
                Some(there) => match there.planned_for {
                    None => {
                        there.planned_for = Some(exact);
                        return destination(folder, &there.name, Some(there.kind));
                    }
                    Some(other) => other,
                },
                None => match view.planned.entry(key) {
                    Slot::Vacant(free) => {
                        free.insert(exact);
                        return destination(folder, &wanted, None);
                    }
                    Slot::Occupied(taken) => *taken.get(),
                },
            };
            if planned_for == exact {
                return Err(Reason::Twice);
            }
            wanted = rules.safe_name(exact_name).into_bytes();
            if number > 1 {
                wanted = name_with_mark(&wanted, &format!("-{number}"));
            }
            number += 1;
        }
    }

    /// The key under which two names count as the same.
    pub fn key_of(&self, name: &[u8]) -> Vec<u8> {
        self.rules.key(name)
    }

    /// A free name beside `path` for what stands there now: `letter (set aside 2026-11-23).txt`.
    pub fn choose_aside(&mut self, path: &RelativePath) -> Result<RelativePath, Reason> {
        self.choose_beside(path, "set aside")
    }

    /// A free name beside `path` for what does not get that name itself, with `word` and the date in it.
    pub fn choose_beside(&mut self, path: &RelativePath, word: &str) -> Result<RelativePath, Reason> {
        let today = self.today;
        let rules = self.rules;
        let mark = format!(" ({word} {:04}-{:02}-{:02}", today.year(), u8::from(today.month()), today.day());
        let folder = path.parent().unwrap_or_default();
        let name = path.name().unwrap_or_default().to_vec();
        let hashes = self.hashes.clone();
        let view = self.view(&folder)?;
        let mut number = 1;
        loop {
            let number_mark = if number == 1 { ")".to_owned() } else { format!(" {number})") };
            let aside = name_with_mark(&name, &format!("{mark}{number_mark}"));
            let aside = if rules.hold(&aside) { aside } else { rules.safe_name(&aside).into_bytes() };
            let key = hashes.hash_one(rules.key(&aside));
            if view.alike(key).is_empty()
                && let Slot::Vacant(free) = view.planned.entry(key)
            {
                // Planned for itself: no entry has this name, so nothing will claim it.
                free.insert(hashes.hash_one(b"" as &[u8]));
                return folder.join(&aside).map_err(unusable);
            }
            number += 1;
        }
    }

    fn view(&mut self, folder: &RelativePath) -> Result<&mut FolderView, Reason> {
        let number = match &self.last {
            Some((at, number)) if at == folder => *number,
            _ => {
                let number = match self.folder_numbers.get(folder) {
                    Some(number) => *number,
                    None => {
                        let view = self.look(folder)?;
                        self.folders.push(view);
                        self.folder_numbers.insert(folder.clone(), self.folders.len() - 1);
                        self.folders.len() - 1
                    }
                };
                self.last = Some((folder.clone(), number));
                number
            }
        };
        Ok(&mut self.folders[number])
    }

    /// The entries of a folder; none if it does not exist yet.
    fn look(&self, folder: &RelativePath) -> Result<FolderView, Reason> {
        let mut view = FolderView::default();
        let unreadable = |cause: std::io::Error| Reason::CannotBeRead { detail: cause.to_string() };
        let host = self.host_path(folder)?;
        let rows = match fs::read_dir(&host) {
            Ok(rows) => rows,
            // A file that will be set aside stands where the folder will be, or above it.
            Err(cause) if is_no_folder(&cause) => return Ok(view),
            // Systems have more names for that.
            Err(_) if fs::symlink_metadata(&host).is_ok_and(|found| !found.is_dir()) => return Ok(view),
            Err(cause) => return Err(unreadable(cause)),
        };
        for row in rows {
            let row = row.map_err(unreadable)?;
            let kind = row.file_type().map_err(unreadable)?;
            let kind = if kind.is_symlink() {
                EntryKind::Link
            } else if kind.is_dir() {
                EntryKind::Folder
            } else if kind.is_file() {
                EntryKind::File
            } else {
                EntryKind::Other
            };
            let name = host::name_from_host(&row.file_name());
            let key = self.hashes.hash_one(self.rules.key(&name));
            view.there.push(There { key, name: name.into(), kind, planned_for: None });
        }
        view.there.sort_by(|a, b| (a.key, &a.name).cmp(&(b.key, &b.name)));
        Ok(view)
    }
}

fn is_no_folder(cause: &std::io::Error) -> bool {
    matches!(cause.kind(), std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory)
}

fn destination(
    folder: &RelativePath,
    name: &[u8],
    is_there: Option<EntryKind>,
) -> Result<Destination, Reason> {
    Ok(Destination { path: folder.join(name).map_err(unusable)?, is_there })
}

fn unusable(refused: porter_names::PathRefused) -> Reason {
    Reason::NotWritten { detail: refused.to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    fn path(text: &str) -> RelativePath {
        RelativePath::from_bytes(text.as_bytes()).unwrap()
    }

    #[test]
    fn names_meet_what_is_there_and_each_other_without_losing_anything() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir_all(folder.path().join("plans")).unwrap();
        fs::write(folder.path().join("plans/Letter.TXT"), "new machine's").unwrap();
        fs::write(folder.path().join("plans/Letter (set aside 2026-11-23).TXT"), "older").unwrap();
        let mut tree =
            TargetTree::new(HostTree::new(folder.path()), NameRules::windows(255), date!(2026 - 11 - 23));

        let plans = tree.choose(&RelativePath::root(), b"Plans").unwrap();
        assert_eq!(plans, Destination { path: path("plans"), is_there: Some(EntryKind::Folder) });
        let letter = tree.choose(&plans.path, b"letter.txt").unwrap();
        assert_eq!(letter.path, path("plans/Letter.TXT"));
        assert_eq!(
            tree.choose_aside(&letter.path).unwrap(),
            path("plans/Letter (set aside 2026-11-23 2).TXT")
        );
        assert_eq!(tree.choose(&plans.path, b"letter.txt"), Err(Reason::Twice));
        let second = tree.choose(&plans.path, b"LETTER.txt").unwrap();
        assert!(
            second.is_there.is_none() && second.path.as_bytes().starts_with(b"plans/LETTER~"),
            "{second:?}"
        );
        let device = tree.choose(&plans.path, b"NUL").unwrap();
        assert!(device.path.as_bytes().starts_with(b"plans/NUL~"), "{device:?}");
    }
}
