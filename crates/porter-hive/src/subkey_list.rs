//! The lists in which a key finds its subkeys: `li`, `lf` and `lh` hold keys, `ri` holds such lists.

use crate::HiveError;
use crate::bytes::{u16_at, u32_at};
use crate::cell::{Bins, require, wrong_kind};

/// The offsets of all keys in a list that can be read, and the error of the rest.
pub(crate) fn offsets_of_subkeys(bins: Bins<'_>, list: u32) -> (Vec<u32>, Option<HiveError>) {
    let mut offsets = Vec::new();
    let mut damage = None;
    match lists_in(bins, list) {
        Ok(Some(lists)) => {
            for offset in lists {
                if offsets.len() > bins.most_keys() {
                    damage = damage.or(Some(HiveError::Loop { offset }));
                    break;
                }
                let added = match lists_in(bins, offset) {
                    // Windows nests lists no deeper.
                    Ok(Some(_)) => Err(HiveError::ListTooDeep { offset }),
                    Ok(None) => add_keys(bins, offset, &mut offsets),
                    Err(damage) => Err(damage),
                };
                damage = damage.or(added.err());
            }
        }
        Ok(None) => damage = add_keys(bins, list, &mut offsets).err(),
        Err(found) => damage = Some(found),
    }
    (offsets, damage)
}

/// The lists that an `ri` holds; none if it is a list of keys.
fn lists_in(bins: Bins<'_>, offset: u32) -> Result<Option<Vec<u32>>, HiveError> {
    let cell = bins.cell(offset)?;
    if !cell.starts_with(b"ri") {
        return Ok(None);
    }
    let count = usize::from(u16_at(cell, 2).unwrap_or_default());
    require(cell, offset, "list of lists", 4 + 4 * count)?;
    Ok(Some(cell[4..4 + 4 * count].chunks_exact(4).filter_map(|row| u32_at(row, 0)).collect()))
}

/// Adds what is there even if the list is shorter than it says.
fn add_keys(bins: Bins<'_>, offset: u32, offsets: &mut Vec<u32>) -> Result<(), HiveError> {
    let cell = bins.cell(offset)?;
    let row_in_bytes = match cell.get(..2) {
        Some(b"li") => 4,
        // The second half of a row is a hint about the name, or its hash: only to find a name faster.
        Some(b"lf" | b"lh") => 8,
        _ => return Err(wrong_kind(offset, cell, "a list of subkeys")),
    };
    let needed_in_bytes = 4 + row_in_bytes * usize::from(u16_at(cell, 2).unwrap_or_default());
    let rows = cell.get(4..needed_in_bytes.min(cell.len())).unwrap_or_default();
    offsets.extend(rows.chunks_exact(row_in_bytes).filter_map(|row| u32_at(row, 0)));
    require(cell, offset, "list of subkeys", needed_in_bytes)
}
