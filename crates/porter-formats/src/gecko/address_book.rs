//! Address books: `abook.sqlite` and its sisters. A contact is rows of one card: a name and a value each
//! (`user_version` 1 to 4, as Thunderbird's `AddrBookDirectory` makes it).

use crate::FormatError;
use rusqlite::Connection;

/// People and lists of people.
pub fn counts(database: &Connection) -> Result<(u64, u64), FormatError> {
    let number = |sql: &str| database.query_row(sql, [], |row| row.get(0));
    Ok((number("SELECT count(DISTINCT card) FROM properties")?, number("SELECT count(*) FROM lists")?))
}
