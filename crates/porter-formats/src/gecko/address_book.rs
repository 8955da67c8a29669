//! Address books: `abook.sqlite` and its sisters. A contact is rows of one card: a name and a value each
//! (`user_version` 1 to 4, as Thunderbird's `AddrBookDirectory` makes it).

use crate::FormatError;
use crate::mail::autocomplete::Address;
use rusqlite::Connection;

/// People and lists of people.
pub fn counts(database: &Connection) -> Result<(u64, u64), FormatError> {
    let number = |sql: &str| database.query_row(sql, [], |row| row.get(0));
    Ok((number("SELECT count(DISTINCT card) FROM properties")?, number("SELECT count(*) FROM lists")?))
}

/// All people with an address, by their names.
pub fn people(database: &Connection) -> Result<Vec<Address>, FormatError> {
    let sql = "SELECT (SELECT value FROM properties n WHERE n.card = a.card AND n.name = 'DisplayName'), a.value \
               FROM properties a WHERE a.name = 'PrimaryEmail' AND a.value <> '' ORDER BY 1, 2";
    let mut statement = database.prepare(sql)?;
    let rows = statement.query_map([], |row| {
        let name = row.get::<_, Option<String>>(0)?.unwrap_or_default();
        Ok(Address { name, address: row.get(1)?, is_of_internet: true })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}
