//! The properties of a thing: a folder, a letter, a file at a letter, or a row of a table of such things.

use super::names::Names;
use super::numbers::number;
use crate::{FormatError, encoding};
use std::collections::BTreeMap;

/// Types of properties ([MS-OXCDATA] 2.11.1).
const INT_16: u16 = 0x0002;
pub(crate) const INT_32: u16 = 0x0003;
const DOUBLE: u16 = 0x0005;
const BOOL: u16 = 0x000b;
pub(crate) const OBJECT: u16 = 0x000d;
const INT_64: u16 = 0x0014;
pub(crate) const TEXT_OF_CODE_PAGE: u16 = 0x001e;
pub(crate) const TEXT: u16 = 0x001f;
pub(crate) const TIME: u16 = 0x0040;
pub(crate) const BYTES: u16 = 0x0102;
/// Added to the type of one value for several.
pub(crate) const SEVERAL: u16 = 0x1000;
/// A text or a short value is never longer.
pub(crate) const MOST_IN_BYTES: usize = 64 << 20;

/// The place of the data of something, and of the list of nodes below it, by numbers that its [`Holder`]
/// knows.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct NodeData {
    /// The number of its data; 0 for none.
    pub data: u64,
    /// The number of what tells of the nodes below it; 0 for none.
    pub below: u64,
}

/// A holder of things: an open data file.
pub trait Holder {
    /// Passes the pieces of some data to `look`, one after the other, until that says no.
    fn each_piece(&self, data: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError>;

    /// The properties of a thing.
    fn properties(&self, node: NodeData, code_page: u32) -> Result<Properties, FormatError>;

    /// The rows of a table.
    fn rows(&self, node: NodeData, code_page: u32) -> Result<Vec<Properties>, FormatError>;

    /// The properties that programs have given names to.
    fn names(&self) -> &Names;
}

/// Where the value of a property is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// These are its bytes.
    Here(Vec<u8>),
    /// In a node of its own.
    Node(NodeData),
}

/// The properties of one thing, by their numbers.
#[derive(Debug, Clone, Default)]
pub struct Properties {
    pub(crate) values: BTreeMap<u16, (u16, Value)>,
    /// The nodes below the thing.
    pub(crate) below: BTreeMap<u32, NodeData>,
    /// The code page of texts that say none.
    pub(crate) code_page: u32,
}

/// True for values of at most four bytes, which stand where others have a number of theirs.
pub(crate) fn is_short(kind: u16) -> bool {
    matches!(kind, INT_16 | INT_32 | BOOL)
}

/// The same for values of eight bytes, in the rows of tables.
pub(crate) fn is_of_eight_bytes(kind: u16) -> bool {
    matches!(kind, DOUBLE | INT_64 | TIME)
}

/// True for properties with several values of no fixed length.
pub(crate) fn is_several(kind: u16) -> bool {
    matches!(kind & !SEVERAL, TEXT | TEXT_OF_CODE_PAGE | BYTES) && kind & SEVERAL != 0
}

/// Several values of no fixed length in one, as data files keep them: their number, where each begins, and
/// all of them.
pub(crate) fn packed<T: AsRef<[u8]>>(values: &[T]) -> Vec<u8> {
    let mut packed = (values.len() as u32).to_le_bytes().to_vec();
    let mut begin = 4 + 4 * values.len();
    for value in values {
        packed.extend((begin as u32).to_le_bytes());
        begin += value.as_ref().len();
    }
    values.iter().for_each(|value| packed.extend_from_slice(value.as_ref()));
    packed
}

impl Properties {
    /// A short value: in its place, or in a node of its own.
    fn bytes(&self, holder: &dyn Holder, id: u16) -> Option<(u16, Vec<u8>)> {
        let (kind, value) = self.values.get(&id)?;
        let bytes = match value {
            Value::Here(bytes) => bytes.clone(),
            Value::Node(node) => {
                let mut all = Vec::new();
                let read = holder.each_piece(node.data, &mut |piece| {
                    all.extend_from_slice(piece);
                    all.len() <= MOST_IN_BYTES
                });
                read.ok().filter(|()| all.len() <= MOST_IN_BYTES)?;
                all
            }
        };
        Some((*kind, bytes))
    }

    fn decoded(&self, kind: u16, bytes: &[u8]) -> Option<String> {
        let text = match kind & !SEVERAL {
            TEXT => encoding::utf16(bytes),
            TEXT_OF_CODE_PAGE => encoding::of_code_page(bytes, self.code_page),
            _ => return None,
        };
        // Some programs end it with marks.
        Some(text.trim_end_matches('\0').to_owned())
    }

    /// A text.
    pub(crate) fn text(&self, holder: &dyn Holder, id: u16) -> Option<String> {
        let (kind, bytes) = self.bytes(holder, id)?;
        self.decoded(kind, &bytes).filter(|_| kind & SEVERAL == 0)
    }

    /// Several texts, or one.
    pub(crate) fn texts(&self, holder: &dyn Holder, id: u16) -> Vec<String> {
        let Some((kind, bytes)) = self.bytes(holder, id) else { return Vec::new() };
        let values = if kind & SEVERAL == 0 { vec![&bytes[..]] } else { several(&bytes) };
        values.into_iter().filter_map(|value| self.decoded(kind, value)).collect()
    }

    /// Several values of bytes.
    pub(crate) fn binaries(&self, holder: &dyn Holder, id: u16) -> Vec<Vec<u8>> {
        match self.bytes(holder, id) {
            Some((kind, bytes)) if kind == BYTES | SEVERAL => {
                several(&bytes).into_iter().map(<[u8]>::to_vec).collect()
            }
            _ => Vec::new(),
        }
    }

    /// A number; 1 for what is true.
    pub(crate) fn number(&self, id: u16) -> Option<u32> {
        match self.values.get(&id)? {
            (kind, Value::Here(bytes)) if is_short(*kind) => {
                number(bytes, 0, bytes.len().min(4)).map(|n| n as u32)
            }
            _ => None,
        }
    }

    /// A number with a part behind the point.
    pub(crate) fn double(&self, id: u16) -> Option<f64> {
        match self.values.get(&id)? {
            (DOUBLE, Value::Here(bytes)) => number(bytes, 0, 8).map(f64::from_bits),
            _ => None,
        }
    }

    /// A time, in 100 ns since 1601.
    pub(crate) fn time(&self, holder: &dyn Holder, id: u16) -> Option<u64> {
        let (kind, bytes) = self.bytes(holder, id)?;
        if kind == TIME { number(&bytes, 0, 8) } else { None }
    }

    /// Bytes, or a text as its bytes.
    pub(crate) fn binary(&self, holder: &dyn Holder, id: u16) -> Option<Vec<u8>> {
        let (kind, bytes) = self.bytes(holder, id)?;
        matches!(kind, BYTES | TEXT_OF_CODE_PAGE).then_some(bytes)
    }

    /// Where the content of a property is that may be long.
    pub(crate) fn content(&self, id: u16) -> Option<&Value> {
        self.values.get(&id).filter(|(kind, _)| matches!(*kind, BYTES | OBJECT)).map(|(_, value)| value)
    }

    /// True if there is a property of this number.
    pub(crate) fn has(&self, id: u16) -> bool {
        self.values.contains_key(&id)
    }
}

/// The values of a property that has several ([MS-PST] 2.3.3.4.2): their number, where each begins, and then
/// they themselves.
fn several(bytes: &[u8]) -> Vec<&[u8]> {
    let count = number(bytes, 0, 4).unwrap_or_default() as usize;
    let begin = |at: usize| number(bytes, 4 + 4 * at, 4).map(|begin| begin as usize);
    let value = |at: usize| {
        let end = if at + 1 < count { begin(at + 1)? } else { bytes.len() };
        bytes.get(begin(at)?..end)
    };
    (0..count.min(bytes.len() / 4)).filter_map(value).collect()
}
