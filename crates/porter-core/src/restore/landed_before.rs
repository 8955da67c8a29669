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
use std::sync::{Mutex, PoisonError};

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
    let is_short = (1..=LONGEST_IN_BYTES).contains(size_in_bytes);
    is_short
        .then(|| Some((FixedState::default().hash_one(hash), usize::try_from(*size_in_bytes).ok()?, hash)))?
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

    /// False for the first file of a content, and for contents that come once. Asked once for each file, in
    /// the order in which they are handed over.
    pub(super) fn comes_again(&self, entry: &Entry) -> bool {
        let mark = mark_of(entry).map(|(mark, ..)| mark).filter(|mark| self.recurring.0.contains(mark));
        mark.is_some_and(|mark| !self.state.lock().unwrap_or_else(PoisonError::into_inner).begun.insert(mark))
    }

    /// Notes where a file has landed.
    pub(super) fn note(&self, entry: &Entry, at: &RelativePath) {
        let Some((mark, ..)) = mark_of(entry).filter(|(mark, ..)| self.recurring.0.contains(mark)) else {
            return;
        };
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        if state.paths_in_bytes < MOST_PATHS_IN_BYTES && !state.paths.contains_key(&mark) {
            state.paths_in_bytes += at.as_bytes().len() + FOR_A_PATH_IN_BYTES;
            state.paths.insert(mark, at.clone());
        }
    }

    /// The proved content of a file, from where another file of that content landed; none if there is none,
    /// or if somebody has changed it since.
    pub(super) fn content(&self, entry: &Entry) -> Option<Vec<u8>> {
        let (mark, size, hash) = mark_of(entry).filter(|(mark, ..)| self.recurring.0.contains(mark))?;
        let at = self.state.lock().unwrap_or_else(PoisonError::into_inner).paths.get(&mark)?.clone();
        let file = open_to_read(&self.target.reach(&at).ok()?).ok()?;
        let mut content = Vec::with_capacity(size + 1);
        file.take(size as u64 + 1).read_to_end(&mut content).ok()?;
        (content.len() == size && ContentHash::of(&content) == *hash).then_some(content)
    }
}
