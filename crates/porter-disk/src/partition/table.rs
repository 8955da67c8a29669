//! Which table of partitions a drive has.

use super::{Table, gpt, mbr};
use crate::block_source::BlockSource;
use std::io;
use std::sync::Arc;

/// Reads the table of a drive; none if it has none. Adapters show sectors of 512 bytes as such of 4096 or the
/// other way round, so the size in which a table counts is found out.
pub fn load(drive: &Arc<dyn BlockSource>) -> io::Result<Option<Table>> {
    let first = mbr::FirstSector::load(&**drive)?;
    if first.as_ref().is_none_or(mbr::FirstSector::is_protective)
        && let Some(table) = gpt::table(&**drive)?
    {
        return Ok(Some(table));
    }
    match first {
        Some(first) if first.is_protective() => Ok(Some(Table {
            partitions: Vec::new(),
            flaws: vec!["neither of its two tables of partitions is whole"],
        })),
        Some(first) => Ok(first.table(drive)),
        None => Ok(None),
    }
}
