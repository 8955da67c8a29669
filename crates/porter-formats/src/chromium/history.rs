//! The database `History`: `urls` holds every address, with when it was last visited.

use super::from_microseconds;
use crate::FormatError;
use crate::links::{Link, give_rows};
use rusqlite::Connection;
use time::OffsetDateTime;

/// How many addresses it knows.
pub fn count(database: &Connection) -> Result<u64, FormatError> {
    Ok(database.query_row("SELECT count(*) FROM urls", [], |row| row.get(0))?)
}

/// When somebody last went anywhere.
pub fn last_visit_utc(database: &Connection) -> Result<Option<OffsetDateTime>, FormatError> {
    let newest: Option<i64> =
        database.query_row("SELECT max(last_visit_time) FROM urls", [], |row| row.get(0))?;
    Ok(newest.and_then(from_microseconds))
}

/// Passes on all addresses, the newest first.
pub fn each_visited(
    database: &Connection,
    give: impl FnMut(Link) -> std::io::Result<()>,
) -> Result<std::io::Result<()>, FormatError> {
    let mut statement = database.prepare(
        "SELECT title, url, last_visit_time FROM urls WHERE hidden = 0 ORDER BY last_visit_time DESC",
    )?;
    give_rows(&mut statement, from_microseconds, give)
}
