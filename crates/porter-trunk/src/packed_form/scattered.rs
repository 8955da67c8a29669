//! Files whose contents lie far apart in the packs, as those of a mailbox do whose attachments came in other
//! mailboxes before. Read from first to last, they would have blocks unpacked again and again; so each part
//! is hashed when its block is at hand, and the tree of the hash joins the parts.

use super::begins::Begins;
use super::block::Directory;
use super::blocks::Blocks;
use crate::content_hash::pieces::{Piece, Pieces};
use crate::{ContentHash, Damage, Entry, Extent};
use std::collections::HashMap;
use std::hash::{BuildHasher, RandomState};
use std::ops::Range;
use std::sync::{Mutex, PoisonError};

/// Blocks nearer to each other are mostly still unpacked when the next is asked for.
const NEAR_IN_BLOCKS: u32 = 16;

/// True for a file that is better proved part by part.
pub(super) fn is_scattered(entry: &Entry) -> bool {
    let mut span = None::<(u32, u32)>;
    for extent in entry.extents.as_slice() {
        let Extent::Contents { block, .. } = *extent else { return false };
        span = Some(span.map_or((block, block), |(least, most)| (least.min(block), most.max(block))));
    }
    let is_wide = span.is_some_and(|(least, most)| most - least > NEAR_IN_BLOCKS);
    is_wide && Pieces::can_hash(entry.size_in_bytes())
}

/// See the module.
#[derive(Default)]
pub(super) struct Scattered {
    files: Vec<ScatteredFile>,
    /// At first in the order of the files, then in that of the blocks.
    parts: Vec<Part>,
    /// Files by their hashes and the places of their contents, mixed with a secret of this run.
    known: HashMap<(ContentHash, u64), usize>,
    secret: RandomState,
}

struct ScatteredFile {
    /// Its rows in the list: those of its copies too.
    rows: Vec<u32>,
    hash: ContentHash,
    size_in_bytes: u64,
    state: Mutex<State>,
}

enum State {
    Open(Pieces),
    Whole,
    Wrong(Damage),
}

/// Consecutive contents of one block in one file.
#[derive(Clone, Copy)]
struct Part {
    file: u32,
    block: u32,
    first: u32,
    count: u32,
    /// Where in the file.
    at: u64,
    length_in_bytes: u64,
}

/// A part as a piece of its file's hash, or why it is none.
pub(super) type Hashed = Result<Piece, Damage>;

impl Part {
    fn rows(&self) -> Range<usize> {
        self.first as usize..(self.first as usize).saturating_add(self.count as usize)
    }
}

impl Scattered {
    /// Takes a file.
    pub(super) fn add(&mut self, row: u32, entry: &Entry, hash: ContentHash) {
        let size_in_bytes = entry.size_in_bytes();
        let key = (hash, self.secret.hash_one((&entry.extents, size_in_bytes)));
        let next = self.files.len();
        let at = *self.known.entry(key).or_insert(next);
        if let Some(first) = self.files.get_mut(at) {
            first.rows.push(row);
            return;
        }
        let state = Mutex::new(State::Open(Pieces::new(size_in_bytes)));
        self.files.push(ScatteredFile { rows: vec![row], hash, size_in_bytes, state });
        self.parts.extend(entry.extents.as_slice().iter().filter_map(|extent| match *extent {
            Extent::Contents { block, first, count } => {
                Some(Part { file: at as u32, block, first, count, at: 0, length_in_bytes: 0 })
            }
            Extent::Zeros { .. } => None,
        }));
    }

    /// After the last file: finds where in its file each part lies, by the directories of the blocks, and
    /// brings the parts into the order of the packs. Returns the parts of each block.
    pub(super) fn by_block(&mut self, blocks: &Blocks) -> Vec<(u32, Range<usize>)> {
        let mut order: Vec<(u32, usize)> =
            self.parts.iter().enumerate().map(|(at, part)| (part.block, at)).collect();
        order.sort_unstable();
        for of_block in order.chunk_by(|one, next| one.0 == next.0) {
            // A directory that cannot be read leaves its parts without a length, and its block is read again.
            let rows = blocks.directory(of_block[0].0).map(|directory| directory.rows);
            for (_, at) in of_block {
                let part = &mut self.parts[*at];
                let rows = rows.as_ref().ok().and_then(|rows| rows.get(part.rows()));
                part.length_in_bytes =
                    rows.map_or(0, |rows| rows.iter().map(|(_, length)| u64::from(*length)).sum());
            }
        }
        for of_file in self.parts.chunk_by_mut(|one, next| one.file == next.file) {
            let mut end = 0;
            for part in of_file.iter_mut() {
                part.at = end;
                end += part.length_in_bytes;
            }
            let file = &mut self.files[of_file[0].file as usize];
            if end != file.size_in_bytes {
                let block = of_file[0].block.to_string();
                file.state = Mutex::new(State::Wrong(Damage::ListsDisagree(block)));
            }
        }
        self.parts.sort_unstable_by_key(|part| (part.block, part.first, part.file));
        let mut end = 0;
        self.parts
            .chunk_by(|one, next| one.block == next.block)
            .map(|of_block| {
                end += of_block.len();
                (of_block[0].block, end - of_block.len()..end)
            })
            .collect()
    }

    /// Length of some parts together.
    pub(super) fn size_in_bytes(&self, parts: Range<usize>) -> u64 {
        self.parts[parts].iter().map(|part| part.length_in_bytes).sum()
    }

    /// Which contents of a block stand in some of these parts.
    pub(super) fn contents_in(&self, parts: Range<usize>, contents: usize) -> Vec<bool> {
        let mut covered = vec![false; contents];
        for part in &self.parts[parts] {
            if let Some(rows) = covered.get_mut(part.rows()) {
                rows.fill(true);
            }
        }
        covered
    }

    /// Hashes the parts of one block. Nothing counts before [`Self::take`] has them: a body may turn out not
    /// to have been seen.
    pub(super) fn hash(&self, parts: Range<usize>, directory: &Directory, body: &[u8]) -> Vec<Hashed> {
        let begins = Begins::of(directory);
        let hash = |part: &Part| {
            let bytes = begins.range(part.first, part.count).and_then(|range| body.get(range));
            let bytes = bytes.filter(|bytes| bytes.len() as u64 == part.length_in_bytes);
            let bytes = bytes.ok_or_else(|| Damage::ListsDisagree(part.block.to_string()))?;
            Ok(Piece::of(part.at, bytes, self.files[part.file as usize].size_in_bytes))
        };
        self.parts[parts].iter().map(hash).collect()
    }

    /// Takes the hashed parts of one block. Returns the rows of files that are known by now not to be whole.
    pub(super) fn take(&self, parts: Range<usize>, hashed: Vec<Hashed>) -> Vec<(u32, Damage)> {
        let mut wrong = Vec::new();
        for (part, found) in self.parts[parts].iter().zip(hashed) {
            let file = &self.files[part.file as usize];
            let mut state = file.state.lock().unwrap_or_else(PoisonError::into_inner);
            match (&mut *state, found) {
                (State::Open(pieces), Ok(piece)) => match pieces.take(piece) {
                    Some(hash) if hash == file.hash => *state = State::Whole,
                    Some(_) => *state = State::Wrong(Damage::ContentChanged(part.block.to_string())),
                    None => {}
                },
                (State::Open(_), Err(damage)) => *state = State::Wrong(damage),
                (State::Whole | State::Wrong(_), _) => {}
            }
            if let State::Wrong(damage) = &*state {
                wrong.extend(file.rows.iter().map(|row| (*row, damage.clone())));
            }
        }
        wrong
    }

    /// The same for a block that cannot be read.
    pub(super) fn take_damaged(&self, parts: Range<usize>, damage: &Damage) -> Vec<(u32, Damage)> {
        let all = parts.clone().map(|_| Err(damage.clone())).collect();
        self.take(parts, all)
    }

    /// The blocks of files that are not whole.
    pub(super) fn not_proved(&self) -> impl Iterator<Item = u32> {
        let is_whole = |part: &Part| {
            let state = &self.files[part.file as usize].state;
            matches!(*state.lock().unwrap_or_else(PoisonError::into_inner), State::Whole)
        };
        self.parts.iter().filter(move |part| !is_whole(part)).map(|part| part.block)
    }
}
