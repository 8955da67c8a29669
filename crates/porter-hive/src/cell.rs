//! Cells: the pieces that bins are cut into. Everything in a hive is a cell, found by its offset from the
//! first bin.

use crate::HiveError;
use crate::bytes::u32_at;

/// No cell.
pub const NONE: u32 = u32::MAX;

/// The bins of a hive, in one piece.
#[derive(Debug, Clone, Copy)]
pub struct Bins<'h>(pub &'h [u8]);

/// No key takes less room.
const LEAST_PER_KEY_IN_BYTES: usize = 80;

impl<'h> Bins<'h> {
    /// More keys than that cannot be in here, whatever a list says.
    pub(crate) fn most_keys(&self) -> usize {
        self.0.len() / LEAST_PER_KEY_IN_BYTES
    }

    /// The content of a cell, after its length.
    pub fn cell(&self, offset: u32) -> Result<&'h [u8], HiveError> {
        let outside = HiveError::CellOutside { offset };
        let start = offset as usize;
        let Some(size) = u32_at(self.0, start) else { return Err(outside) };
        // A negative length is that of a cell in use.
        let size = size as i32;
        if size >= 0 {
            return Err(HiveError::CellFree { offset });
        }
        let size = size.unsigned_abs() as usize;
        if size < 8 {
            return Err(outside);
        }
        self.0.get(start + 4..start.saturating_add(size)).ok_or(outside)
    }

    /// The same for a cell that must begin with `mark`.
    pub(crate) fn marked_cell(
        &self,
        offset: u32,
        mark: &[u8; 2],
        what: &'static str,
        least_in_bytes: usize,
    ) -> Result<&'h [u8], HiveError> {
        let cell = self.cell(offset)?;
        if cell.get(..2) != Some(mark) {
            return Err(wrong_kind(offset, cell, what));
        }
        require(cell, offset, what, least_in_bytes)?;
        Ok(cell)
    }
}

pub(crate) fn wrong_kind(offset: u32, cell: &[u8], expected: &'static str) -> HiveError {
    let found = [cell.first().copied().unwrap_or(0), cell.get(1).copied().unwrap_or(0)];
    HiveError::WrongKind { offset, expected, found }
}

/// Refuses a cell that is shorter than what it holds.
pub(crate) fn require(
    cell: &[u8],
    offset: u32,
    what: &'static str,
    needed_in_bytes: usize,
) -> Result<(), HiveError> {
    if cell.len() < needed_in_bytes {
        return Err(HiveError::CellTooShort { offset, what, needed_in_bytes, size_in_bytes: cell.len() });
    }
    Ok(())
}
