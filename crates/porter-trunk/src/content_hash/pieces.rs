//! BLAKE3 of a content whose pieces are met in any order. Each piece becomes branches of the tree, and the
//! bytes at its ends that fill no chunk; neighbours are joined as soon as both are there (section 2.1 of the
//! BLAKE3 paper, by the `hazmat` functions of the crate).

use super::ContentHash;
use blake3::hazmat::{ChainingValue, HasherExt, Mode, merge_subtrees_non_root, merge_subtrees_root};
use std::collections::BTreeMap;

/// The leaves of the tree.
const CHUNK_IN_BYTES: u64 = 1024;

/// A node of the tree that is no root: a power of two of chunks, beginning at a multiple of its length.
struct Branch {
    at: u64,
    length_in_bytes: u64,
    value: ChainingValue,
}

/// A part of a content.
pub(crate) struct Piece {
    begin: u64,
    end: u64,
    /// The bytes before the first chunk that begins in it: all of them if none does.
    head: Vec<u8>,
    branches: Vec<Branch>,
    /// The bytes behind the last chunk that ends in it.
    tail: Vec<u8>,
}

impl Piece {
    /// The piece `bytes` of a content of `size_in_bytes`, which begins at byte `begin` of it.
    pub(crate) fn of(begin: u64, bytes: &[u8], size_in_bytes: u64) -> Self {
        let end = begin + bytes.len() as u64;
        let first = begin.next_multiple_of(CHUNK_IN_BYTES);
        let mut piece = Self { begin, end, head: Vec::new(), branches: Vec::new(), tail: Vec::new() };
        if first > end {
            piece.head = bytes.to_vec();
            return piece;
        }
        let (head, mut rest) = bytes.split_at((first - begin) as usize);
        piece.head = head.to_vec();
        let mut at = first;
        while rest.len() as u64 >= CHUNK_IN_BYTES {
            let mut length_in_bytes = 1_u64 << (rest.len() as u64).ilog2();
            while !at.is_multiple_of(length_in_bytes) || length_in_bytes >= size_in_bytes.max(2) {
                length_in_bytes /= 2;
            }
            let (branch, more) = rest.split_at(length_in_bytes as usize);
            push(&mut piece.branches, branch_of(at, branch), size_in_bytes);
            (rest, at) = (more, at + length_in_bytes);
        }
        piece.tail = rest.to_vec();
        piece
    }

    /// True if a chunk begins or ends in it.
    fn has_border(&self) -> bool {
        self.begin.next_multiple_of(CHUNK_IN_BYTES) <= self.end
    }

    /// Takes the piece that follows it.
    fn join(&mut self, next: Self, size_in_bytes: u64) {
        let (left, right) = (self.has_border(), next.has_border());
        let edge = if left { &mut self.tail } else { &mut self.head };
        edge.extend_from_slice(&next.head);
        if right {
            if left && !self.tail.is_empty() {
                let chunk = branch_of(self.end - self.end % CHUNK_IN_BYTES, &self.tail);
                push(&mut self.branches, chunk, size_in_bytes);
            }
            next.branches.into_iter().for_each(|branch| push(&mut self.branches, branch, size_in_bytes));
            self.tail = next.tail;
        }
        self.end = next.end;
    }
}

fn branch_of(at: u64, bytes: &[u8]) -> Branch {
    let mut hasher = blake3::Hasher::new();
    hasher.set_input_offset(at).update(bytes);
    Branch { at, length_in_bytes: bytes.len() as u64, value: hasher.finalize_non_root() }
}

/// Puts a branch behind the others, and joins what has become whole but is not the whole content.
fn push(branches: &mut Vec<Branch>, mut branch: Branch, size_in_bytes: u64) {
    while let Some(left) = branches.pop() {
        let both_in_bytes = 2 * branch.length_in_bytes;
        if left.length_in_bytes != branch.length_in_bytes
            || !left.at.is_multiple_of(both_in_bytes)
            || both_in_bytes >= size_in_bytes
        {
            branches.push(left);
            break;
        }
        let value = merge_subtrees_non_root(&left.value, &branch.value, Mode::Hash);
        branch = Branch { at: left.at, length_in_bytes: both_in_bytes, value };
    }
    branches.push(branch);
}

/// The pieces of one content that are there.
pub(crate) struct Pieces {
    size_in_bytes: u64,
    /// By their beginnings; no two touch.
    pieces: BTreeMap<u64, Piece>,
}

impl Pieces {
    /// A content of that length has a hash in pieces: it is more than one leaf.
    pub(crate) const fn can_hash(size_in_bytes: u64) -> bool {
        size_in_bytes > CHUNK_IN_BYTES
    }

    /// None of the pieces of a content of that length.
    pub(crate) const fn new(size_in_bytes: u64) -> Self {
        Self { size_in_bytes, pieces: BTreeMap::new() }
    }

    /// Takes a piece that none of the others overlaps. Returns the hash if it was the last.
    pub(crate) fn take(&mut self, mut piece: Piece) -> Option<ContentHash> {
        let before =
            self.pieces.range(..=piece.begin).next_back().map(|(begin, before)| (*begin, before.end));
        if let Some((begin, _)) = before.filter(|(_, end)| *end == piece.begin)
            && let Some(mut left) = self.pieces.remove(&begin)
        {
            left.join(piece, self.size_in_bytes);
            piece = left;
        }
        if let Some(right) = self.pieces.remove(&piece.end) {
            piece.join(right, self.size_in_bytes);
        }
        let whole = (piece.begin == 0 && piece.end == self.size_in_bytes).then(|| root_of(&piece)).flatten();
        self.pieces.insert(piece.begin, piece);
        whole
    }
}

/// The hash of a whole content: each branch is longer than all that follows it together, or as long.
fn root_of(piece: &Piece) -> Option<ContentHash> {
    let last = (!piece.tail.is_empty())
        .then(|| branch_of(piece.end - piece.end % CHUNK_IN_BYTES, &piece.tail).value);
    let mut values: Vec<ChainingValue> =
        piece.branches.iter().map(|branch| branch.value).chain(last).collect();
    let mut right = values.pop()?;
    let first = *values.first()?;
    for left in values.drain(1..).rev() {
        right = merge_subtrees_non_root(&left, &right, Mode::Hash);
    }
    Some(ContentHash(*merge_subtrees_root(&first, &right, Mode::Hash).as_bytes()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sealing::fill_random;

    #[test]
    fn pieces_in_any_order_give_the_hash_of_the_whole() {
        let mut content = vec![0; 300_000];
        fill_random(&mut content).unwrap();
        let mut dice = 7_u64;
        let mut below = |most: u64| {
            dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (dice >> 33) % most
        };
        let sizes = [1025, 2048, 3000, 4096, 8192, 65_536, 65_537, 131_072, 131_071, 300_000];
        for size in sizes.into_iter().chain((0..300).map(|extra| 1025 + extra * 997)) {
            let content = &content[..size];
            let longest = [3, 700, 1024, 5000, 70_000][below(5) as usize];
            let mut cuts: Vec<(usize, usize)> = Vec::new();
            while cuts.last().is_none_or(|(_, end)| *end < size) {
                let begin = cuts.last().map_or(0, |(_, end)| *end);
                cuts.push((begin, size.min(begin + 1 + below(longest) as usize)));
            }
            for at in (1..cuts.len()).rev() {
                cuts.swap(at, below(at as u64 + 1) as usize);
            }
            let mut pieces = Pieces::new(size as u64);
            let hashes: Vec<_> = cuts
                .iter()
                .filter_map(|&(begin, end)| {
                    pieces.take(Piece::of(begin as u64, &content[begin..end], size as u64))
                })
                .collect();
            assert_eq!(hashes, [ContentHash::of(content)], "{size} in {} pieces", cuts.len());
        }
    }
}
