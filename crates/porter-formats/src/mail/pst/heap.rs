//! The heap of a node ([MS-PST] 2.3.1) and the trees in it (2.3.2): many small values in the pieces of one
//! node's data.

use super::header::{Layout, WHAT};
use super::store::Store;
use crate::FormatError;
use crate::mail::mapi::number;

/// The first byte of a tree's header.
const TREE: u8 = 0xb5;
/// No tree in a heap is deeper.
const DEEPEST: u8 = 8;
/// No heap of a letter is longer.
const MOST_IN_BYTES: usize = 64 << 20;

/// The pieces of a node's data, as a heap.
pub(super) struct Heap {
    pieces: Vec<Vec<u8>>,
    is_large: bool,
    /// Its purpose: `0xbc` for properties, `0x7c` for a table.
    pub(super) client: u8,
    /// The number of its first value.
    pub(super) root: u32,
}

fn wrong(detail: &str) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

impl Heap {
    pub(super) fn load(store: &Store<'_>, data: u64) -> Result<Self, FormatError> {
        Self::from_pieces(store.pieces(data, MOST_IN_BYTES)?, store.header().layout)
    }

    fn from_pieces(pieces: Vec<Vec<u8>>, layout: Layout) -> Result<Self, FormatError> {
        let first = pieces.first().ok_or_else(|| wrong("a heap is empty"))?;
        if first.get(2) != Some(&0xec) {
            return Err(wrong("a heap does not begin as one"));
        }
        let root = number(first, 4, 4).ok_or_else(|| wrong("a heap is cut off"))? as u32;
        let client = first[3];
        Ok(Self { is_large: layout == Layout::LargePages, client, root, pieces })
    }

    /// A value by its number; an empty one for 0.
    pub(super) fn value(&self, id: u32) -> Result<&[u8], FormatError> {
        if id == 0 {
            return Ok(&[]);
        }
        // In large pages the place in a piece has more bits.
        let (piece, index) =
            if self.is_large { (id >> 19, id >> 5 & 0x3fff) } else { (id >> 16, id >> 5 & 0x7ff) };
        let gone = || wrong("a value is not in its heap");
        let piece = self.pieces.get(piece as usize).ok_or_else(gone)?;
        let map = number(piece, 0, 2).ok_or_else(gone)? as usize;
        let count = number(piece, map, 2).ok_or_else(gone)?;
        let index = u64::from(index);
        if index == 0 || index > count {
            return Err(gone());
        }
        let bound = |at: u64| number(piece, map + 4 + 2 * at as usize, 2).map(|at| at as usize);
        let (begin, end) = bound(index - 1).zip(bound(index)).ok_or_else(gone)?;
        piece.get(begin..end).ok_or_else(gone)
    }

    /// The rows of a tree by the number of its header, in order: keys, and values behind them.
    pub(super) fn tree(&self, header: u32) -> Result<(usize, Vec<&[u8]>), FormatError> {
        let bytes = self.value(header)?;
        if bytes.len() < 8 || bytes[0] != TREE || bytes[3] > DEEPEST {
            return Err(wrong("a tree in a heap does not begin as one"));
        }
        let (key, value) = (usize::from(bytes[1]), usize::from(bytes[2]));
        if key == 0 {
            return Err(wrong("a tree in a heap has no keys"));
        }
        let root = number(bytes, 4, 4).unwrap_or_default() as u32;
        let mut rows = Vec::new();
        self.rows_below(root, bytes[3], key, value, &mut rows)?;
        Ok((key, rows))
    }

    fn rows_below<'h>(
        &'h self,
        id: u32,
        level: u8,
        key: usize,
        value: usize,
        rows: &mut Vec<&'h [u8]>,
    ) -> Result<(), FormatError> {
        /// More rows no letter has.
        const MOST_ROWS: usize = 1 << 20;
        let bytes = self.value(id)?;
        if level == 0 {
            rows.extend(bytes.chunks_exact(key + value));
            return if rows.len() > MOST_ROWS { Err(wrong("a tree in a heap has no end")) } else { Ok(()) };
        }
        for row in bytes.chunks_exact(key + 4) {
            let next = number(row, key, 4).unwrap_or_default() as u32;
            self.rows_below(next, level - 1, key, value, rows)?;
        }
        Ok(())
    }
}
