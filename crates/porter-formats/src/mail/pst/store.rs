//! An open data file: its tree of nodes, its tree of blocks, and the data that these lead to.

use super::encoding::Encoding;
use super::{HEADER_IN_BYTES, Header, Layout, NODE_PAGE, WHAT, fill, number};
use crate::FormatError;
use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::io;
use std::rc::Rc;

/// Fills a buffer from an offset, and returns how much it has filled.
pub type Read<'r> = &'r dyn Fn(u64, &mut [u8]) -> io::Result<usize>;

/// The type of a page of the tree of blocks ([MS-PST] 2.2.2.7.1).
const BLOCK_PAGE: u8 = 0x80;
/// Pages that are kept: some 2 MB, or 16 MB of large ones.
const MOST_PAGES: usize = 4096;
/// Trees of pages, and lists of blocks in lists, are not deeper.
const DEEPEST: usize = 8;
/// A block's number says that it tells of others.
const TELLS_OF_OTHERS: u64 = 2;
/// No block is longer, unpacked.
const MOST_BLOCK_IN_BYTES: usize = 1 << 16;

/// The data of a node, and of what is below it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NodeData {
    /// The number of its block; 0 for none.
    pub data: u64,
    /// The number of the block that tells of the nodes below it; 0 for none.
    pub below: u64,
}

/// A row of the tree of nodes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NodeRow {
    /// Its number, whose low bits are its type.
    pub id: u32,
    /// The number of what it is in.
    pub parent: u32,
    /// Its data.
    pub data: NodeData,
}

/// See the module.
pub struct Store<'r> {
    read: Read<'r>,
    header: Header,
    blocks_at_in_bytes: u64,
    encoding: Encoding,
    pages: RefCell<HashMap<u64, Rc<Vec<u8>>>>,
}

struct Block {
    at: u64,
    length: usize,
    /// Its length once it is unpacked; none for one that is not packed.
    unpacked: Option<usize>,
}

fn wrong(detail: impl ToString) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

impl<'r> Store<'r> {
    /// Reads the header.
    pub fn open(read: Read<'r>) -> Result<Self, FormatError> {
        let mut beginning = vec![0; HEADER_IN_BYTES];
        let length = fill(read, 0, &mut beginning).map_err(wrong)?;
        let header = Header::from_bytes(&beginning[..length])?;
        let (blocks_at, encoding_at) = match header.layout {
            Layout::Ansi => (number(&beginning, 196, 4), 461),
            Layout::Unicode | Layout::LargePages => (number(&beginning, 240, 8), 513),
        };
        let encoding = Encoding::from_number(beginning[encoding_at]).ok_or_else(|| {
            FormatError::Unsupported { what: WHAT, version: "an unknown encoding".to_owned() }
        })?;
        let pages = RefCell::default();
        Ok(Self { read, header, blocks_at_in_bytes: blocks_at.unwrap_or_default(), encoding, pages })
    }

    /// How it is laid out.
    pub fn layout(&self) -> Layout {
        self.header.layout
    }

    fn page(&self, at: u64, kind: u8) -> Result<Rc<Vec<u8>>, FormatError> {
        if let Some(page) = self.pages.borrow().get(&at) {
            return Ok(Rc::clone(page));
        }
        let layout = self.header.layout;
        let mut page = vec![0; layout.page_in_bytes()];
        if fill(self.read, at, &mut page).map_err(wrong)? < page.len() {
            return Err(wrong("a page is behind its end"));
        }
        let types = layout.type_at();
        if page[types..types + 2] != [kind, kind] {
            return Err(wrong("a page is not of the tree that leads to it"));
        }
        let page = Rc::new(page);
        let mut pages = self.pages.borrow_mut();
        if pages.len() >= MOST_PAGES {
            pages.clear();
        }
        pages.insert(at, Rc::clone(&page));
        Ok(page)
    }

    /// The rows of a page, and its level.
    fn rows(&self, page: &[u8]) -> Result<(usize, usize, u8), FormatError> {
        let layout = self.header.layout;
        let (count_at, count_length) = layout.count_at();
        let short = || wrong("a page is too short");
        let count = number(page, count_at, count_length).ok_or_else(short)? as usize;
        let row_at = layout.row_length_at();
        let row = number(page, row_at, 1).ok_or_else(short)? as usize;
        let level = number(page, row_at + 1, 1).ok_or_else(short)? as u8;
        let least = if level == 0 { layout.word() + 8 } else { 3 * layout.word() };
        if row < least || count.saturating_mul(row) > count_at || usize::from(level) > DEEPEST {
            return Err(wrong("a page says more than it holds"));
        }
        Ok((count, row, level))
    }

    /// The row of a tree with this key.
    fn find(&self, root: u64, kind: u8, key: u64) -> Result<Option<Vec<u8>>, FormatError> {
        let word = self.header.layout.word();
        let mut at = root;
        let mut level = None;
        loop {
            let page = self.page(at, kind)?;
            let (count, length, own) = self.rows(&page)?;
            if level.is_some_and(|level| level != own) {
                return Err(wrong("a page is above itself"));
            }
            let key_of = |row: usize| {
                let key = number(&page, row * length, word).unwrap_or_default();
                if kind == BLOCK_PAGE { key & !1 } else { key & 0xffff_ffff }
            };
            let rows = 0..count;
            if own == 0 {
                let row = rows.into_iter().find(|row| key_of(*row) == key);
                return Ok(row.map(|row| page[row * length..(row + 1) * length].to_vec()));
            }
            let Some(row) = rows.into_iter().take_while(|row| key_of(*row) <= key).last() else {
                return Ok(None);
            };
            at = number(&page, row * length + 2 * word, word).unwrap_or_default();
            level = Some(own - 1);
        }
    }

    /// A node by its number.
    pub fn node(&self, id: u32) -> Result<Option<NodeData>, FormatError> {
        let row = self.find(self.header.nodes_at_in_bytes, NODE_PAGE, id.into())?;
        Ok(row.map(|row| self.node_row(&row).data))
    }

    fn node_row(&self, row: &[u8]) -> NodeRow {
        let word = self.header.layout.word();
        let value = |at: usize, length: usize| number(row, at, length).unwrap_or_default();
        NodeRow {
            id: value(0, 4) as u32,
            parent: value(3 * word, 4) as u32,
            data: NodeData { data: value(word, word), below: value(2 * word, word) },
        }
    }

    /// All nodes, in the order of the tree, and the number of pages that could not be read.
    pub fn nodes(&self) -> (Vec<NodeRow>, u64) {
        let word = self.header.layout.word();
        let (mut all, mut damaged) = (Vec::new(), 0);
        let mut seen = HashSet::new();
        let mut waiting = vec![(self.header.nodes_at_in_bytes, None)];
        while let Some((at, level)) = waiting.pop() {
            let page = if seen.insert(at) { self.page(at, NODE_PAGE).ok() } else { None };
            let rows = page.as_ref().and_then(|page| self.rows(page).ok());
            let (Some(page), Some((count, length, own))) = (page, rows) else {
                damaged += 1;
                continue;
            };
            if level.is_some_and(|level: u8| level != own) {
                damaged += 1;
                continue;
            }
            // The last is taken first from what waits.
            for row in (0..count).rev().map(|row| &page[row * length..(row + 1) * length]) {
                if own > 0 {
                    waiting.push((number(row, 2 * word, word).unwrap_or_default(), Some(own - 1)));
                }
            }
            if own == 0 {
                let rows = (0..count).map(|row| &page[row * length..(row + 1) * length]);
                all.extend(rows.filter(|row| row.len() >= 3 * word + 4).map(|row| self.node_row(row)));
            }
        }
        (all, damaged)
    }

    fn block_at(&self, id: u64) -> Result<Block, FormatError> {
        let word = self.header.layout.word();
        let row = self.find(self.blocks_at_in_bytes, BLOCK_PAGE, id & !1)?;
        let row = row.ok_or_else(|| wrong("a block is not in the tree of blocks"))?;
        let value = |at: usize, length: usize| number(&row, at, length).unwrap_or_default();
        let length = value(2 * word, 2) as usize;
        let unpacked = value(2 * word + 2, 2) as usize;
        let is_packed = self.header.layout == Layout::LargePages && unpacked != 0 && unpacked != length;
        Ok(Block { at: value(word, word), length, unpacked: is_packed.then_some(unpacked) })
    }

    /// One block as it was before it was encoded and packed.
    fn block(&self, id: u64) -> Result<Vec<u8>, FormatError> {
        let Block { at, length, unpacked } = self.block_at(id)?;
        let mut bytes = vec![0; length];
        if fill(self.read, at, &mut bytes).map_err(wrong)? < length {
            return Err(wrong("a block is behind its end"));
        }
        if let Some(unpacked) = unpacked {
            let limit = unpacked.min(MOST_BLOCK_IN_BYTES);
            bytes = miniz_oxide::inflate::decompress_to_vec_zlib_with_limit(&bytes, limit)
                .map_err(|cause| wrong(format!("a block cannot be unpacked: {cause}")))?;
        }
        if id & TELLS_OF_OTHERS == 0 {
            self.encoding.decode(&mut bytes, id);
        }
        Ok(bytes)
    }

    /// Passes the pieces of some data to `look`, one after the other, until that says no.
    pub fn each_piece(&self, id: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError> {
        self.pieces_below(id, 0, &mut HashSet::new(), look).map(drop)
    }

    fn pieces_below(
        &self,
        id: u64,
        depth: usize,
        above: &mut HashSet<u64>,
        look: &mut dyn FnMut(&[u8]) -> bool,
    ) -> Result<bool, FormatError> {
        if id == 0 {
            return Ok(true);
        }
        let block = self.block(id)?;
        if id & TELLS_OF_OTHERS == 0 {
            return Ok(look(&block));
        }
        if depth >= 3 || block.first() != Some(&1) || !above.insert(id) {
            return Err(wrong("a list of blocks contradicts itself"));
        }
        let word = self.header.layout.word();
        let count = number(&block, 2, 2).unwrap_or_default() as usize;
        for row in 0..count {
            let next =
                number(&block, 8 + row * word, word).ok_or_else(|| wrong("a list of blocks is cut off"))?;
            if !self.pieces_below(next, depth + 1, above, look)? {
                return Ok(false);
            }
        }
        above.remove(&id);
        Ok(true)
    }

    /// All of some data, in the pieces that it is kept in. Fails if it is longer.
    pub fn pieces(&self, id: u64, most_in_bytes: usize) -> Result<Vec<Vec<u8>>, FormatError> {
        let (mut pieces, mut length) = (Vec::new(), 0);
        self.each_piece(id, &mut |piece| {
            length += piece.len();
            pieces.push(piece.to_vec());
            length <= most_in_bytes
        })?;
        if length > most_in_bytes { Err(wrong("something is longer than expected")) } else { Ok(pieces) }
    }

    /// The nodes below a node, by their numbers.
    pub fn below(&self, id: u64) -> Result<BTreeMap<u32, NodeData>, FormatError> {
        let mut found = BTreeMap::new();
        self.below_in(id, 0, &mut found)?;
        Ok(found)
    }

    fn below_in(
        &self,
        id: u64,
        depth: usize,
        found: &mut BTreeMap<u32, NodeData>,
    ) -> Result<(), FormatError> {
        if id == 0 {
            return Ok(());
        }
        let block = self.block(id)?;
        let (word, is_leaf) = (self.header.layout.word(), block.get(1) == Some(&0));
        if block.first() != Some(&2) || depth > 2 {
            return Err(wrong("a list of nodes contradicts itself"));
        }
        // The header is filled up to a word.
        let begin = if word == 4 { 4 } else { 8 };
        let length = if is_leaf { 3 * word } else { 2 * word };
        let count = number(&block, 2, 2).unwrap_or_default() as usize;
        for row in 0..count {
            let at = begin + row * length;
            let row = block.get(at..at + length).ok_or_else(|| wrong("a list of nodes is cut off"))?;
            let value = |at: usize| number(row, at * word, word).unwrap_or_default();
            if is_leaf {
                found.insert(value(0) as u32, NodeData { data: value(1), below: value(2) });
            } else {
                self.below_in(value(1), depth + 1, found)?;
            }
        }
        Ok(())
    }
}
