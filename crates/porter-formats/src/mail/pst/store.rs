//! An open data file: its tree of nodes, its tree of blocks, and the data that these lead to.

use super::encoding::Encoding;
use super::header::{HEADER_IN_BYTES, Header, Layout, Read, WHAT, fill};
use super::lost_pages::LostPages;
use super::page::{Page, Tree};
use crate::FormatError;
use crate::mail::mapi::properties::NodeData;
use crate::mail::mapi::{Names, number};
use std::cell::{Cell, OnceCell, RefCell};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;
use std::rc::Rc;

/// Types of nodes, the low five bits of their numbers ([MS-PST] 2.2.2.1).
pub(super) const TYPE_MASK: u32 = 0x1f;
pub(super) const FOLDER: u32 = 0x02;
pub(super) const MESSAGE: u32 = 0x04;
/// Pages that are kept: some 2 MB, or 16 MB of large ones.
const MOST_PAGES: usize = 4096;
/// A block's number says that it tells of others.
const TELLS_OF_OTHERS: u64 = 2;
/// No block is longer, unpacked.
const MOST_BLOCK_IN_BYTES: usize = 1 << 16;

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
    encoding: Option<Encoding>,
    pages: RefCell<HashMap<u64, Rc<Vec<u8>>>>,
    /// Rows of pages that no tree leads to any more; sought once, where a tree is damaged.
    lost: OnceCell<LostPages>,
    damaged_pages: Cell<u64>,
    pub(super) names: OnceCell<Names>,
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
        let encoding_at = if header.layout == Layout::Ansi { 461 } else { 513 };
        Ok(Self {
            read,
            header,
            encoding: beginning.get(encoding_at).and_then(|number| Encoding::from_number(*number)),
            pages: RefCell::default(),
            lost: OnceCell::new(),
            damaged_pages: Cell::new(0),
            names: OnceCell::new(),
        })
    }

    /// The facts of its header.
    pub fn header(&self) -> Header {
        self.header
    }

    /// Pages of the tree of nodes that could not be read, as far as it was gone through.
    pub fn damaged_pages(&self) -> u64 {
        self.damaged_pages.get()
    }

    fn page(&self, at: u64) -> Result<Rc<Vec<u8>>, FormatError> {
        if let Some(page) = self.pages.borrow().get(&at) {
            return Ok(Rc::clone(page));
        }
        let mut page = vec![0; self.header.layout.page_in_bytes()];
        if fill(self.read, at, &mut page).map_err(wrong)? < page.len() {
            return Err(wrong("a page is behind its end"));
        }
        let page = Rc::new(page);
        let mut pages = self.pages.borrow_mut();
        if pages.len() >= MOST_PAGES {
            pages.clear();
        }
        pages.insert(at, Rc::clone(&page));
        Ok(page)
    }

    fn root_of(&self, tree: Tree) -> u64 {
        match tree {
            Tree::Nodes => self.header.nodes_at_in_bytes,
            Tree::Blocks => self.header.blocks_at_in_bytes,
        }
    }

    fn lost(&self) -> &LostPages {
        self.lost.get_or_init(|| LostPages::find(self.read, self.header.layout))
    }

    /// The row of a tree with this key. Where the tree is damaged, the newest that lies in the file.
    fn find(&self, tree: Tree, key: u64) -> Option<Vec<u8>> {
        let layout = self.header.layout;
        let mut at = self.root_of(tree);
        let mut level = None;
        loop {
            let bytes = self.page(at).ok();
            let page = bytes.as_ref().and_then(|bytes| Page::from_bytes(bytes, layout, tree).ok());
            // The level tells that no page is above itself.
            let page = page.filter(|page| level.is_none_or(|level| level == page.level));
            let Some(page) = page else { return self.lost().row(tree, key).map(<[u8]>::to_vec) };
            if page.level == 0 {
                return page.rows().find(|row| tree.key(row, layout) == key).map(<[u8]>::to_vec);
            }
            at = page.below(page.rows().take_while(|row| tree.key(row, layout) <= key).last()?);
            level = Some(page.level - 1);
        }
    }

    /// A node by its number.
    pub fn node(&self, id: u32) -> Option<NodeData> {
        self.find(Tree::Nodes, id.into()).map(|row| self.node_row(&row).data)
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

    /// Passes all nodes on, in the order of the tree. Each page is read once, whatever points to it. Returns
    /// the keys that the pages which cannot be read may have had.
    pub fn each_node(&self, look: &mut dyn FnMut(NodeRow)) -> Vec<Range<u64>> {
        let layout = self.header.layout;
        let mut missing = Vec::new();
        let mut seen = HashSet::new();
        let mut waiting = vec![(self.root_of(Tree::Nodes), None, 0..u64::MAX)];
        while let Some((at, level, keys)) = waiting.pop() {
            let bytes = if seen.insert(at) { self.page(at).ok() } else { None };
            let page = bytes.as_ref().and_then(|bytes| Page::from_bytes(bytes, layout, Tree::Nodes).ok());
            let Some(page) = page.filter(|page| level.is_none_or(|level: u8| level == page.level)) else {
                missing.push(keys);
                continue;
            };
            if page.level == 0 {
                page.rows().for_each(|row| look(self.node_row(row)));
                continue;
            }
            // The last is taken first from what waits.
            let mut end = keys.end;
            for row in page.rows().rev() {
                let begin = Tree::Nodes.key(row, layout);
                waiting.push((page.below(row), Some(page.level - 1), begin..end));
                end = begin;
            }
        }
        self.damaged_pages.set(missing.len() as u64);
        missing
    }

    /// All nodes. Where the tree is damaged, those that lie in the file are among them, the newest of each.
    pub fn nodes(&self) -> Vec<NodeRow> {
        let mut all = Vec::new();
        let missing = self.each_node(&mut |row| all.push(row));
        if !missing.is_empty() {
            let mut known: HashSet<u32> = all.iter().map(|row| row.id).collect();
            for keys in missing {
                let found = self.lost().rows(Tree::Nodes, keys).map(|row| self.node_row(row));
                all.extend(found.filter(|row| known.insert(row.id)));
            }
        }
        all
    }

    fn block_at(&self, id: u64) -> Result<Block, FormatError> {
        let word = self.header.layout.word();
        let row = self.find(Tree::Blocks, id & !1);
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
            let unknown =
                || FormatError::Unsupported { what: WHAT, version: "an unknown encoding".to_owned() };
            self.encoding.ok_or_else(unknown)?.decode(&mut bytes, id);
        }
        Ok(bytes)
    }

    /// Passes the pieces of some data to `look`, one after the other, until that says no.
    pub fn each_piece(&self, data: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError> {
        self.pieces_below(data, 0, &mut HashSet::new(), look).map(drop)
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
