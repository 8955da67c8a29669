//! Where contents landed that come again.
//!
//! A copy may lie far from its original in the trunk's list. Its block is then forgotten, and to unpack it
//! once more costs a hundred times as much as to read the original where it has just landed. Bytes that are
//! read there are proved like those of the trunk.

use crate::host::open_to_read;
use foldhash::quality::FixedState;
use foldhash::{HashMap, HashSet};
use porter_names::RelativePath;
use porter_source::HostTree;
use porter_trunk::{Content, ContentHash, Entry};
use std::hash::BuildHasher;
use std::io::Read;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Longer files are worth unpacking again, and would have to be proved in pieces.
const LONGEST_IN_BYTES: u64 = 1 << 20;
/// The most memory for paths; contents that come later are unpacked again.
const MOST_PATHS_IN_BYTES: usize = 48 << 20;
/// About what a path takes beside its letters.
const FOR_A_PATH_IN_BYTES: usize = 48;

/// Part of a content's hash: enough to find it again, and what is found is proved.
type Mark = u64;

fn mark_of(entry: &Entry) -> Option<(Mark, usize, &ContentHash)> {
    let Content::File { size_in_bytes, hash } = &entry.content else { return None };
    let size =
        usize::try_from(*size_in_bytes).ok().filter(|_| (1..=LONGEST_IN_BYTES).contains(size_in_bytes))?;
    Some((FixedState::default().hash_one(hash), size, hash))
}

/// The contents of a plan's files, while it is made.
#[derive(Debug, Default)]
pub(super) struct Contents(Vec<Mark>);

impl Contents {
    pub(super) fn see(&mut self, entry: &Entry) {
        self.0.extend(mark_of(entry).map(|(mark, ..)| mark));
    }

    pub(super) fn recurring(mut self) -> Recurring {
        self.0.sort_unstable();
        Recurring(
            self.0
                .chunk_by(|one, next| one == next)
                .filter(|same| same.len() > 1)
                .map(|same| same[0])
                .collect(),
        )
    }
}

/// The contents that several files of a plan have.
#[derive(Debug, Default)]
pub(super) struct Recurring(HashSet<Mark>);

/// See the module.
pub(super) struct LandedBefore<'p> {
    recurring: &'p Recurring,
    target: &'p HostTree,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    begun: HashSet<Mark>,
    paths: HashMap<Mark, RelativePath>,
    paths_in_bytes: usize,
}

impl<'p> LandedBefore<'p> {
    pub(super) fn nothing_yet(recurring: &'p Recurring, target: &'p HostTree) -> Self {
        Self { recurring, target, state: Mutex::default() }
    }

    /// The mark of a file whose content comes several times.
    fn recurring<'e>(&self, entry: &'e Entry) -> Option<(Mark, usize, &'e ContentHash)> {
        mark_of(entry).filter(|(mark, ..)| self.recurring.0.contains(mark))
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// False for the first file of a content, and for contents that come once. Asked once for each file, in
    /// the order in which they are handed over.
    pub(super) fn comes_again(&self, entry: &Entry) -> bool {
        self.recurring(entry).is_some_and(|(mark, ..)| !self.state().begun.insert(mark))
    }

    /// Notes where a file has landed.
    pub(super) fn note(&self, entry: &Entry, at: &RelativePath) {
        let Some((mark, ..)) = self.recurring(entry) else { return };
        let mut state = self.state();
        if state.paths_in_bytes < MOST_PATHS_IN_BYTES && !state.paths.contains_key(&mark) {
            state.paths_in_bytes += at.as_bytes().len() + FOR_A_PATH_IN_BYTES;
            state.paths.insert(mark, at.clone());
        }
    }

    /// The proved content of a file, from where another file of that content landed; none if there is none,
    /// or if somebody has changed it since.
    pub(super) fn content(&self, entry: &Entry) -> Option<Vec<u8>> {
        let (mark, size, hash) = self.recurring(entry)?;
        let at = self.state().paths.get(&mark)?.clone();
        let file = open_to_read(&self.target.reach(&at).ok()?).ok()?;
        let mut content = Vec::with_capacity(size + 1);
        file.take(size as u64 + 1).read_to_end(&mut content).ok()?;
        (content.len() == size && ContentHash::of(&content) == *hash).then_some(content)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_trunk::{Attributes, EntryAddress, Extents};
    use std::fs;

    fn entry(path: &str, content: &[u8]) -> Entry {
        Entry {
            item: "odile/folder/documents".to_owned(),
            address: EntryAddress {
                owner: Some("odile".to_owned()),
                place: "documents".to_owned(),
                path: RelativePath::from_bytes(path.as_bytes()).unwrap(),
                safe_path: None,
            },
            content: Content::File { size_in_bytes: content.len() as u64, hash: ContentHash::of(content) },
            modified_utc: None,
            created_utc: None,
            attributes: Attributes::default(),
            unix_mode: None,
            streams: Vec::new(),
            held: None,
            extents: Extents::None,
            same_file: None,
            sparse: false,
            missing: Vec::new(),
            kept_from_utc: None,
        }
    }

    #[test]
    fn a_copy_is_read_where_its_original_landed_unless_somebody_has_been_there() {
        let folder = tempfile::tempdir().unwrap();
        let (target, at) = (HostTree::new(folder.path()), RelativePath::from_bytes(b"first").unwrap());
        let (first, copy, other) = (entry("first", b"spar"), entry("copy", b"spar"), entry("other", b"once"));
        let mut contents = Contents::default();
        [&first, &other, &copy].into_iter().for_each(|entry| contents.see(entry));
        let recurring = contents.recurring();
        let before = LandedBefore::nothing_yet(&recurring, &target);
        assert!(!before.comes_again(&first) && before.comes_again(&copy) && !before.comes_again(&other));
        assert_eq!(before.content(&copy), None, "nothing has landed");
        fs::write(folder.path().join("first"), b"spar").unwrap();
        before.note(&first, &at);
        assert_eq!(before.content(&copy).as_deref(), Some(&b"spar"[..]));
        assert_eq!(before.content(&other), None);
        for changed in [&b"mast"[..], b"spars", b"spa", b""] {
            fs::write(folder.path().join("first"), changed).unwrap();
            assert_eq!(before.content(&copy), None, "{changed:?}");
        }
        #[cfg(unix)]
        {
            fs::write(folder.path().join("elsewhere"), b"spar").unwrap();
            fs::remove_file(folder.path().join("first")).unwrap();
            std::os::unix::fs::symlink("elsewhere", folder.path().join("first")).unwrap();
            assert_eq!(before.content(&copy), None, "a link is not followed");
            fs::remove_file(folder.path().join("first")).unwrap();
            let pipe = std::process::Command::new("mkfifo").arg(folder.path().join("first")).status();
            assert!(pipe.unwrap().success());
            assert_eq!(before.content(&copy), None, "nor a pipe waited for");
        }
    }
}
