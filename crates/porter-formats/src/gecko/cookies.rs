//! Cookies, in `cookies.sqlite`.

use crate::FormatError;
use crate::cookies::Cookie;
use rusqlite::Connection;

/// All cookies of the usual windows, by host. Those of a container or of one page in another stand for
/// themselves in no other program, and are passed by.
pub fn cookies(database: &Connection) -> Result<Vec<Cookie>, FormatError> {
    /// Newer versions count the end in milliseconds: as seconds, this is the year 5138.
    const NO_SECONDS: i64 = 100_000_000_000;
    let sql = "SELECT host, path, isSecure, isHttpOnly, expiry, name, value FROM moz_cookies \
               WHERE originAttributes = '' ORDER BY host, path, name";
    let mut statement = database.prepare(sql)?;
    let rows = statement.query_map([], |row| {
        let ends: i64 = row.get(4)?;
        Ok(Cookie {
            host: row.get(0)?,
            path: row.get(1)?,
            is_secure: row.get(2)?,
            is_http_only: row.get(3)?,
            ends_in_seconds: if ends > NO_SECONDS { ends / 1000 } else { ends },
            name: row.get(5)?,
            value: row.get(6)?,
        })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cookies_of_usual_windows_are_read_whatever_their_end_is_counted_in() {
        let database = Connection::open_in_memory().unwrap();
        assert!(cookies(&database).is_err());
        database
            .execute_batch(
                "CREATE TABLE moz_cookies (originAttributes TEXT, name TEXT, value TEXT, host TEXT, path TEXT, expiry INTEGER, isSecure INTEGER, isHttpOnly INTEGER);
                 INSERT INTO moz_cookies VALUES ('', 'b', '2', 'kites.example', '/', 1900000000000, 0, 1), ('', 'a', '1', '.kites.example', '/', 1900000000, 1, 0),
                    ('^userContextId=2', 'c', '3', 'bank.example', '/', 1900000000, 1, 1);",
            )
            .unwrap();
        let found = cookies(&database).unwrap();
        let names: Vec<_> =
            found.iter().map(|cookie| (cookie.name.as_str(), cookie.ends_in_seconds)).collect();
        assert_eq!(names, [("a", 1_900_000_000), ("b", 1_900_000_000)]);
        assert!(found[0].is_secure && found[1].is_http_only);
    }
}
