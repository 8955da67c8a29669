//! The properties of a node ([MS-PST] 2.3.3), and the rows of a table (2.3.4).

use super::header::WHAT;
use super::heap::Heap;
use super::store::Store;
use crate::FormatError;
use crate::mail::mapi::properties::{
    Holder, MOST_IN_BYTES, NodeData, Properties, Value, is_of_eight_bytes, is_short,
};
use crate::mail::mapi::{Names, number};
use std::collections::BTreeMap;

/// Values that are not kept in the table itself have the low bits of a node.
const NODE_MASK: u32 = 0x1f;
const PROPERTIES: u8 = 0xbc;
const TABLE: u8 = 0x7c;
/// The node with the numbers of named properties ([MS-PST] 2.4.1).
const NAMES: u32 = 0x61;

fn wrong(detail: &str) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

/// Reads the properties of a node. One that contradicts itself is left out.
pub(super) fn properties(
    store: &Store<'_>,
    node: NodeData,
    code_page: u32,
) -> Result<Properties, FormatError> {
    let heap = Heap::load(store, node.data)?;
    if heap.client != PROPERTIES {
        return Err(wrong("a node has no properties"));
    }
    // A damaged list of the nodes below takes nothing from the rest.
    let below = store.below(node.below).unwrap_or_default();
    let mut found = Properties { values: BTreeMap::new(), below, code_page };
    let (key, rows) = heap.tree(heap.root)?;
    if key != 2 {
        return Err(wrong("the numbers of properties are too long"));
    }
    for row in rows {
        let field = |at: usize, length: usize| number(row, at, length).unwrap_or_default() as u32;
        let (id, kind, value) = (field(0, 2) as u16, field(2, 2) as u16, field(4, 4));
        let value = if is_short(kind) {
            Some(Value::Here(value.to_le_bytes().to_vec()))
        } else {
            value_of(&found, &heap, value)
        };
        found.values.extend(value.map(|value| (id, (kind, value))));
    }
    Ok(found)
}

fn value_of(found: &Properties, heap: &Heap, id: u32) -> Option<Value> {
    if id & NODE_MASK == 0 {
        heap.value(id).ok().map(|value| Value::Here(value.to_vec()))
    } else {
        found.below.get(&id).copied().map(Value::Node)
    }
}

/// The rows of a table. A row that contradicts itself is left out.
pub(super) fn rows(
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
                kind if is_short(kind) || is_of_eight_bytes(kind) => Some(Value::Here(cell.to_vec())),
                _ => value_of(&found, &heap, number(cell, 0, length.min(4)).unwrap_or_default() as u32),
            };
            found.values.extend(value.map(|value| (id as u16, (kind as u16, value))));
        }
        Some(found)
    };
    Ok(rows.filter_map(read).collect())
}

impl Holder for Store<'_> {
    fn each_piece(&self, data: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError> {
        Store::each_piece(self, data, look)
    }

    fn properties(&self, node: NodeData, code_page: u32) -> Result<Properties, FormatError> {
        properties(self, node, code_page)
    }

    fn rows(&self, node: NodeData, code_page: u32) -> Result<Vec<Properties>, FormatError> {
        rows(self, node, code_page)
    }

    fn names(&self) -> &Names {
        /// Properties with the lists of names ([MS-PST] 2.4.7).
        const SETS: u16 = 0x0002;
        const ROWS: u16 = 0x0003;
        const TEXTS: u16 = 0x0004;
        self.names.get_or_init(|| {
            let properties =
                self.node(NAMES).and_then(|node| self.properties(node, 0).ok()).unwrap_or_default();
            let [rows, sets, texts] =
                [ROWS, SETS, TEXTS].map(|id| properties.binary(self, id).unwrap_or_default());
            Names::from_lists(&rows, &sets, &texts)
        })
    }
}
