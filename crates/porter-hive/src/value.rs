//! Values.

use crate::bytes::{u16_at, u32_at};
use crate::cell::{Bins, require};
use crate::{HiveError, Name};
use std::borrow::Cow;

/// Length of a value before its name.
const FIXED_IN_BYTES: usize = 20;
/// Set in the length of data that stands in place of its offset.
const IN_PLACE: u32 = 0x8000_0000;
/// Longer data is cut into pieces of this length, from version 1.4 on.
pub(crate) const PIECE_IN_BYTES: usize = 16_344;
/// The name is kept with one byte for each letter.
const ONE_BYTE_NAME: u16 = 0x0001;

/// The type of a value's data (`winnt.h`, `REG_…`). Programs do not always keep to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueKind {
    /// Nothing said.
    None,
    /// Text.
    Text,
    /// Text with `%NAME%` in it.
    ExpandText,
    /// Bytes.
    Bytes,
    /// A number of 32 bits, little end first.
    Number,
    /// A number of 32 bits, big end first.
    NumberBigEnd,
    /// The path of another key.
    Link,
    /// Several texts.
    Texts,
    /// A list of resources of a device.
    Resources,
    /// The resources that a device has.
    FullResources,
    /// The resources that a device needs.
    ResourceNeeds,
    /// A number of 64 bits, little end first.
    LongNumber,
    /// Anything else: some programs keep numbers of their own here.
    Other(u32),
}

impl ValueKind {
    const KNOWN: [Self; 12] = [
        Self::None,
        Self::Text,
        Self::ExpandText,
        Self::Bytes,
        Self::Number,
        Self::NumberBigEnd,
        Self::Link,
        Self::Texts,
        Self::Resources,
        Self::FullResources,
        Self::ResourceNeeds,
        Self::LongNumber,
    ];

    /// The kind of that number.
    pub fn from_number(number: u32) -> Self {
        Self::KNOWN.get(number as usize).copied().unwrap_or(Self::Other(number))
    }

    /// Its number.
    pub fn number(self) -> u32 {
        match self {
            Self::Other(number) => number,
            known => Self::KNOWN.iter().position(|kind| *kind == known).unwrap_or_default() as u32,
        }
    }
}

/// A value of a key.
#[derive(Debug, Clone, Copy)]
pub struct Value<'h> {
    bins: Bins<'h>,
    offset: u32,
    cell: &'h [u8],
}

impl<'h> Value<'h> {
    pub(crate) fn at(bins: Bins<'h>, offset: u32) -> Result<Self, HiveError> {
        let cell = bins.marked_cell(offset, b"vk", "a value", FIXED_IN_BYTES)?;
        let value = Self { bins, offset, cell };
        require(cell, offset, "name of the value", FIXED_IN_BYTES + value.name_length())?;
        Ok(value)
    }

    fn name_length(&self) -> usize {
        u16_at(self.cell, 2).unwrap_or_default().into()
    }

    fn word(&self, at: usize) -> u32 {
        u32_at(self.cell, at).unwrap_or_default()
    }

    /// Its name; the default value of a key has none.
    pub fn name(&self) -> Name {
        let bytes = self.cell.get(FIXED_IN_BYTES..FIXED_IN_BYTES + self.name_length()).unwrap_or_default();
        Name::from_bytes(bytes, u16_at(self.cell, 16).unwrap_or_default() & ONE_BYTE_NAME != 0)
    }

    /// The type of its data.
    pub fn kind(&self) -> ValueKind {
        ValueKind::from_number(self.word(12))
    }

    /// Its data.
    pub fn data(&self) -> Result<Cow<'h, [u8]>, HiveError> {
        let length = self.word(4);
        if length & IN_PLACE != 0 {
            // At most four bytes fit in place of the offset.
            let length = ((length & !IN_PLACE) as usize).min(4);
            return Ok(Cow::Borrowed(self.cell.get(8..8 + length).unwrap_or_default()));
        }
        let length = length as usize;
        let offset = self.word(8);
        if length == 0 {
            return Ok(Cow::Borrowed(&[]));
        }
        let cell = self.bins.cell(offset)?;
        // Before version 1.4 long data is in one cell, so the cell decides.
        if length > PIECE_IN_BYTES && cell.len() < length && cell.starts_with(b"db") {
            return self.in_pieces(offset, cell, length).map(Cow::Owned);
        }
        require(cell, offset, "data of a value", length)?;
        Ok(Cow::Borrowed(&cell[..length]))
    }

    fn in_pieces(&self, offset: u32, cell: &'h [u8], length: usize) -> Result<Vec<u8>, HiveError> {
        require(cell, offset, "data in pieces", 8)?;
        let count = usize::from(u16_at(cell, 2).unwrap_or_default());
        let list_offset = u32_at(cell, 4).unwrap_or_default();
        let list = self.bins.cell(list_offset)?;
        require(list, list_offset, "list of pieces", 4 * count)?;
        // A length that is a lie must not be believed before the pieces are there.
        let mut data = Vec::with_capacity(length.min(count.saturating_mul(PIECE_IN_BYTES)));
        for piece in list[..4 * count].chunks_exact(4).filter_map(|row| u32_at(row, 0)) {
            let cell = self.bins.cell(piece)?;
            let wanted = (length - data.len()).min(PIECE_IN_BYTES);
            require(cell, piece, "piece of data", wanted)?;
            data.extend_from_slice(&cell[..wanted]);
        }
        if data.len() < length {
            return Err(HiveError::CellTooShort {
                offset,
                what: "data in pieces",
                needed_in_bytes: length,
                size_in_bytes: data.len(),
            });
        }
        Ok(data)
    }

    /// Where it begins, counted from the first bin.
    pub fn offset(&self) -> u32 {
        self.offset
    }

    /// The data as text, up to its first NUL; none if it is not text or cannot be read.
    pub fn text(&self) -> Option<String> {
        if !matches!(self.kind(), ValueKind::Text | ValueKind::ExpandText | ValueKind::Link) {
            return None;
        }
        self.texts_in_data()?.into_iter().next().or_else(|| Some(String::new()))
    }

    /// The data as several texts; none if it is not that or cannot be read.
    pub fn texts(&self) -> Option<Vec<String>> {
        if self.kind() != ValueKind::Texts {
            return None;
        }
        let mut texts = self.texts_in_data()?;
        while texts.last().is_some_and(String::is_empty) {
            texts.pop();
        }
        Some(texts)
    }

    fn texts_in_data(&self) -> Option<Vec<String>> {
        let data = self.data().ok()?;
        let units: Vec<u16> =
            data.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        Some(units.split(|unit| *unit == 0).map(String::from_utf16_lossy).collect())
    }

    /// The data as a number; none if it is none or cannot be read.
    pub fn number(&self) -> Option<u64> {
        let data = self.data().ok()?;
        match self.kind() {
            ValueKind::Number => u32_at(&data, 0).map(u64::from),
            ValueKind::NumberBigEnd => u32_at(&data, 0).map(|number| number.swap_bytes().into()),
            ValueKind::LongNumber => crate::bytes::u64_at(&data, 0),
            _ => None,
        }
    }
}
