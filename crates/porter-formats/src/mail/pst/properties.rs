//! The properties of a thing: a folder, a letter, a file at a letter ([MS-PST] 2.3.3), or a row of a table of
//! such things (2.3.4).

use super::heap::Heap;
use super::store::{NodeData, Store};
use super::{WHAT, number};
use crate::{FormatError, encoding};
use std::collections::BTreeMap;

/// Types of properties ([MS-OXCDATA] 2.11.1).
const INT_16: u16 = 0x0002;
const INT_32: u16 = 0x0003;
const BOOL: u16 = 0x000b;
const OBJECT: u16 = 0x000d;
const TEXT_OF_CODE_PAGE: u16 = 0x001e;
const TEXT: u16 = 0x001f;
const TIME: u16 = 0x0040;
const BYTES: u16 = 0x0102;
/// Values that are not kept in the table itself have the low bits of a node.
const NODE_MASK: u32 = 0x1f;
/// A text or a short value is never longer.
const MOST_IN_BYTES: usize = 64 << 20;

const PROPERTIES: u8 = 0xbc;
const TABLE: u8 = 0x7c;

/// Where the value of a property is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Value {
    /// In the row itself, or in the heap.
    Here(Vec<u8>),
    /// In a node of its own.
    Node(NodeData),
}

/// The properties of one thing, by their numbers.
#[derive(Debug, Clone, Default)]
pub(super) struct Properties {
    values: BTreeMap<u16, (u16, Value)>,
    /// The nodes below the thing.
    pub(super) below: BTreeMap<u32, NodeData>,
    /// The code page of texts that say none.
    pub(super) code_page: u32,
}

fn wrong(detail: &str) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

impl Properties {
    /// Reads those of a node. One that contradicts itself is left out.
    pub(super) fn load(store: &Store<'_>, node: NodeData, code_page: u32) -> Result<Self, FormatError> {
        let heap = Heap::load(store, node.data)?;
        if heap.client != PROPERTIES {
            return Err(wrong("a node has no properties"));
        }
        // A damaged list of the nodes below takes nothing from the rest.
        let below = store.below(node.below).unwrap_or_default();
        let mut found = Self { values: BTreeMap::new(), below, code_page };
        let (key, rows) = heap.tree(heap.root)?;
        if key != 2 {
            return Err(wrong("the numbers of properties are too long"));
        }
        for row in rows {
            let field = |at: usize, length: usize| number(row, at, length).unwrap_or_default() as u32;
            let (id, kind, value) = (field(0, 2) as u16, field(2, 2) as u16, field(4, 4));
            let value = match kind {
                INT_16 | INT_32 | BOOL => Some(Value::Here(value.to_le_bytes().to_vec())),
                _ => found.value_of(&heap, value),
            };
            found.values.extend(value.map(|value| (id, (kind, value))));
        }
        Ok(found)
    }

    fn value_of(&self, heap: &Heap, id: u32) -> Option<Value> {
        if id & NODE_MASK == 0 {
            heap.value(id).ok().map(|value| Value::Here(value.to_vec()))
        } else {
            self.below.get(&id).copied().map(Value::Node)
        }
    }

    /// A short value: in the row, in the heap, or in a node of its own.
    fn bytes(&self, store: &Store<'_>, id: u16) -> Option<(u16, Vec<u8>)> {
        let (kind, value) = self.values.get(&id)?;
        let bytes = match value {
            Value::Here(bytes) => bytes.clone(),
            Value::Node(node) => store.pieces(node.data, MOST_IN_BYTES).ok()?.concat(),
        };
        Some((*kind, bytes))
    }

    /// A text, without the marks that some programs end it with.
    pub(super) fn text(&self, store: &Store<'_>, id: u16) -> Option<String> {
        let (kind, bytes) = self.bytes(store, id)?;
        let text = match kind {
            TEXT => encoding::utf16(&bytes),
            TEXT_OF_CODE_PAGE => encoding::of_code_page(&bytes, self.code_page),
            _ => return None,
        };
        Some(text.trim_end_matches('\0').to_owned())
    }

    /// A number.
    pub(super) fn number(&self, id: u16) -> Option<u32> {
        match self.values.get(&id)? {
            (INT_16 | INT_32 | BOOL, Value::Here(bytes)) => {
                number(bytes, 0, bytes.len().min(4)).map(|n| n as u32)
            }
            _ => None,
        }
    }

    /// A time, as a `FILETIME`.
    pub(super) fn time(&self, store: &Store<'_>, id: u16) -> Option<u64> {
        let (kind, bytes) = self.bytes(store, id)?;
        if kind == TIME { number(&bytes, 0, 8) } else { None }
    }

    /// Bytes, or a text as its bytes.
    pub(super) fn binary(&self, store: &Store<'_>, id: u16) -> Option<Vec<u8>> {
        let (kind, bytes) = self.bytes(store, id)?;
        matches!(kind, BYTES | TEXT_OF_CODE_PAGE).then_some(bytes)
    }

    /// Where the content of a property is that may be long.
    pub(super) fn content(&self, id: u16) -> Option<&Value> {
        self.values.get(&id).filter(|(kind, _)| matches!(*kind, BYTES | OBJECT)).map(|(_, value)| value)
    }

    /// True if there is a property of this number.
    pub(super) fn has(&self, id: u16) -> bool {
        self.values.contains_key(&id)
    }
}

/// The rows of a table. A row that contradicts itself is left out.
pub(super) fn rows_of(
    store: &Store<'_>,
    node: NodeData,
    code_page: u32,
) -> Result<Vec<Properties>, FormatError> {
    let heap = Heap::load(store, node.data)?;
    if heap.client != TABLE {
        return Err(wrong("a node has no table"));
    }
    let info = heap.value(heap.root)?;
    let short = || wrong("a table is cut off");
    let field = |at: usize, length: usize| number(info, at, length).ok_or_else(short);
    let (columns, row_in_bytes) = (field(1, 1)? as usize, field(8, 2)? as usize);
    let marks_at = field(6, 2)? as usize;
    let matrix = field(14, 4)? as u32;
    if info.first() != Some(&TABLE) || row_in_bytes == 0 || marks_at > row_in_bytes {
        return Err(wrong("a table contradicts itself"));
    }
    let below = store.below(node.below)?;
    let pieces = match matrix {
        0 => Vec::new(),
        id if id & NODE_MASK == 0 => vec![heap.value(id)?.to_vec()],
        id => store.pieces(below.get(&id).ok_or_else(short)?.data, MOST_IN_BYTES)?,
    };
    // No row goes on from one piece into the next.
    let rows = pieces.iter().flat_map(|piece| piece.chunks_exact(row_in_bytes));
    let read = |row: &[u8]| {
        let mut found = Properties { values: BTreeMap::new(), below: below.clone(), code_page };
        for column in info.get(22..)?.chunks_exact(8).take(columns) {
            let value = |at: usize, length: usize| number(column, at, length).unwrap_or_default() as usize;
            let (kind, id, at, length, mark) =
                (value(0, 2), value(2, 2), value(4, 2), value(6, 1), value(7, 1));
            let is_there = row.get(marks_at + mark / 8).is_some_and(|marks| marks & 0x80 >> (mark % 8) != 0);
            let Some(cell) = row.get(at..at + length).filter(|_| is_there) else { continue };
            let value = match kind as u16 {
                INT_16 | INT_32 | BOOL | TIME => Some(Value::Here(cell.to_vec())),
                _ => found.value_of(&heap, number(cell, 0, length.min(4)).unwrap_or_default() as u32),
            };
            found.values.extend(value.map(|value| (id as u16, (kind as u16, value))));
        }
        Some(found)
    };
    Ok(rows.filter_map(read).collect())
}
