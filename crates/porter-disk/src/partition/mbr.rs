//! The older table: four rows in the first sector, one of which may be an extended partition that holds
//! more, each behind a sector with a table of its own (UEFI Specification, 5.2; the chain after the Linux
//! kernel's `block/partitions/msdos.c`).

use super::{Partition, SECTORS_IN_BYTES, Table};
use crate::block_source::{BlockSource, Section, stretch};
use crate::numbers::le_u32;
use porter_source::VolumeKind;
use std::collections::BTreeSet;
use std::io;
use std::sync::Arc;

const SECTOR_IN_BYTES: usize = 512;
const EXTENDED: [u8; 3] = [0x05, 0x0f, 0x85];
/// Stands for the newer table.
const PROTECTIVE: u8 = 0xee;
const MOST_LOGICAL: usize = 128;

struct Row {
    kind: u8,
    first: u64,
    count: u64,
}

/// The first sector, if it ends in the mark of a table.
pub(super) struct FirstSector {
    rows: Vec<Row>,
    /// The number that Windows gave the drive.
    signature: [u8; 4],
}

fn rows(sector: &[u8]) -> Option<Vec<Row>> {
    if sector.get(510..512)? != [0x55, 0xaa] {
        return None;
    }
    let rows = sector.get(446..510)?.as_chunks::<16>().0;
    // The first byte says whether a system starts from there, and nothing else.
    if rows.iter().any(|row| row[0] & 0x7f != 0) {
        return None;
    }
    let row = |row: &[u8; 16]| {
        Some(Row { kind: row[4], first: u64::from(le_u32(row, 8)?), count: u64::from(le_u32(row, 12)?) })
    };
    rows.iter().map(row).collect()
}

impl FirstSector {
    pub(super) fn load(drive: &dyn BlockSource) -> io::Result<Option<Self>> {
        if drive.size_in_bytes() < SECTOR_IN_BYTES as u64 {
            return Ok(None);
        }
        let sector = stretch(drive, 0, SECTOR_IN_BYTES)?;
        let signature = sector[440..].first_chunk().copied().unwrap_or_default();
        let rows = rows(&sector).filter(|rows| rows.iter().any(|row| row.count > 0));
        Ok(rows.map(|rows| Self { rows, signature }))
    }

    pub(super) fn is_protective(&self) -> bool {
        self.rows.iter().any(|row| row.kind == PROTECTIVE)
    }

    /// Counted in the size of sectors in which more of the partitions begin as volumes do.
    pub(super) fn table(&self, drive: &Arc<dyn BlockSource>) -> Option<Table> {
        let known = |table: &Table| {
            let begins_known = |partition: &&Partition| {
                let section: Section = partition.section(drive);
                let mut beginning = [0; porter_source::volume_kind::BEGINNING_IN_BYTES];
                let read = section.read_at(0, &mut beginning).unwrap_or_default();
                VolumeKind::from_bytes(&beginning[..read]).is_some()
            };
            table.partitions.iter().filter(begins_known).count()
        };
        let tables = SECTORS_IN_BYTES.map(|sector_in_bytes| self.counted_in(&**drive, sector_in_bytes));
        let [small, large] = tables;
        let best = if known(&large) > known(&small) { large } else { small };
        (!best.partitions.is_empty()).then_some(best)
    }

    fn counted_in(&self, drive: &dyn BlockSource, sector_in_bytes: u64) -> Table {
        let mut table = Table::default();
        for (row, number) in self.rows.iter().zip(1..) {
            if EXTENDED.contains(&row.kind) {
                if !add_logical(drive, row.first, sector_in_bytes, &mut table) {
                    table.flaws.push("the chain of its extended partition is damaged");
                }
            } else {
                table.add(number, row, 0, sector_in_bytes, drive.size_in_bytes());
            }
        }
        table.partitions.sort_by_key(|partition| partition.number);
        for partition in &mut table.partitions {
            let start = partition.start_in_bytes.to_le_bytes();
            partition.noted_by_windows_as = [&self.signature[..], &start].concat();
        }
        table
    }
}

impl Table {
    fn add(&mut self, number: u32, row: &Row, base: u64, sector_in_bytes: u64, drive_in_bytes: u64) {
        let start_in_bytes = base.saturating_add(row.first).saturating_mul(sector_in_bytes);
        if row.kind != 0 && row.count > 0 && start_in_bytes < drive_in_bytes {
            let size_in_bytes = row.count.saturating_mul(sector_in_bytes);
            self.partitions.push(Partition {
                number,
                start_in_bytes,
                size_in_bytes,
                name: None,
                noted_by_windows_as: Vec::new(),
            });
        }
    }
}

/// Goes along the chain of an extended partition; false where it breaks off or comes back to where it was.
fn add_logical(drive: &dyn BlockSource, extended: u64, sector_in_bytes: u64, table: &mut Table) -> bool {
    let mut at = extended;
    let mut seen = BTreeSet::new();
    for number in (5..).take(MOST_LOGICAL) {
        if !seen.insert(at) {
            return false;
        }
        let sector = stretch(drive, at.saturating_mul(sector_in_bytes), SECTOR_IN_BYTES).ok();
        let Some(rows) = sector.as_deref().and_then(rows) else { return false };
        let (own, next) = (&rows[0], &rows[1]);
        table.add(number, own, at, sector_in_bytes, drive.size_in_bytes());
        if next.count == 0 || !EXTENDED.contains(&next.kind) {
            return true;
        }
        at = extended.saturating_add(next.first);
    }
    false
}
