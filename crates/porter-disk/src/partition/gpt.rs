//! The newer table, after the UEFI Specification, 5.3: a header behind the first sector and a copy of it in
//! the last, each with its table; all numbers are little endian.

use super::{Partition, SECTORS_IN_BYTES, Table};
use crate::block_source::{BlockSource, stretch};
use crate::numbers::{le_u32, le_u64, utf16};
use std::io;

const HEADER_IN_BYTES: usize = 92;
/// More than any table has; the usual number is 128.
const MOST_ENTRIES: u32 = 1024;
const ENTRY_IN_BYTES: std::ops::RangeInclusive<u32> = 128..=1024;

fn crc(bytes: &[u8]) -> u32 {
    crc::Crc::<u32>::new(&crc::CRC_32_ISO_HDLC).checksum(bytes)
}

/// The first of the header and its copy that is whole, with its table; none if neither is.
pub(super) fn table(drive: &dyn BlockSource) -> io::Result<Option<Table>> {
    for (place, sector_in_bytes) in [false, true].into_iter().flat_map(|c| SECTORS_IN_BYTES.map(|s| (c, s))) {
        let at =
            if place { drive.size_in_bytes().checked_sub(sector_in_bytes) } else { Some(sector_in_bytes) };
        // A bad sector there is what the copy is for.
        let entries = at.and_then(|at| entries(drive, at, sector_in_bytes).ok().flatten());
        if let Some(partitions) = entries {
            let flaws = if place {
                vec!["its first table of partitions is damaged; the copy at its end is used"]
            } else {
                Vec::new()
            };
            return Ok(Some(Table { partitions, flaws }));
        }
    }
    Ok(None)
}

fn entries(drive: &dyn BlockSource, at: u64, sector_in_bytes: u64) -> io::Result<Option<Vec<Partition>>> {
    let header = stretch(drive, at, HEADER_IN_BYTES)?;
    let Some((table_at, count, entry_in_bytes, table_crc)) = header_fields(&header, at / sector_in_bytes)
    else {
        return Ok(None);
    };
    let length = count as usize * entry_in_bytes as usize;
    let table = stretch(drive, table_at.saturating_mul(sector_in_bytes), length)?;
    if crc(&table) != table_crc {
        return Ok(None);
    }
    let rows = table.chunks_exact(entry_in_bytes as usize).zip(1_u32..);
    Ok(Some(rows.filter_map(|(row, number)| partition(row, number, sector_in_bytes)).collect()))
}

/// Where its table is, how many rows it has, how long they are, and their checksum.
fn header_fields(header: &[u8], own_sector: u64) -> Option<(u64, u32, u32, u32)> {
    let mut without_crc = header.get(..HEADER_IN_BYTES)?.to_vec();
    without_crc[16..20].fill(0);
    let is_whole = header.starts_with(b"EFI PART")
        && le_u32(header, 12)? as usize == HEADER_IN_BYTES
        && le_u32(header, 16)? == crc(&without_crc)
        && le_u64(header, 24)? == own_sector;
    let (count, entry_in_bytes) = (le_u32(header, 80)?, le_u32(header, 84)?);
    (is_whole && count <= MOST_ENTRIES && ENTRY_IN_BYTES.contains(&entry_in_bytes)).then_some((
        le_u64(header, 72)?,
        count,
        entry_in_bytes,
        le_u32(header, 88)?,
    ))
}

/// None for an unused row.
fn partition(row: &[u8], number: u32, sector_in_bytes: u64) -> Option<Partition> {
    if row.get(..16)?.iter().all(|byte| *byte == 0) {
        return None;
    }
    let (first, last) = (le_u64(row, 32)?, le_u64(row, 40)?);
    let name = utf16(row.get(56..128)?).trim_end_matches('\0').to_owned();
    Some(Partition {
        number,
        start_in_bytes: first.checked_mul(sector_in_bytes)?,
        size_in_bytes: last.checked_sub(first)?.checked_add(1)?.checked_mul(sector_in_bytes)?,
        name: Some(name).filter(|name| !name.is_empty()),
        noted_by_windows_as: [b"DMIO:ID:", row.get(16..32)?].concat(),
    })
}
