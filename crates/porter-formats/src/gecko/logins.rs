//! How many passwords a profile keeps. They are encrypted with `key4.db` (before 2014 `key3.db`), which lies
//! beside them.

use crate::FormatError;
use rusqlite::Connection;
use serde_json::Value;

/// The passwords in a `logins.json`.
pub fn in_json(file: &[u8]) -> Result<u64, FormatError> {
    let damaged = |detail: &dyn ToString| FormatError::damaged("logins.json", detail.to_string());
    let json: Value = serde_json::from_slice(file).map_err(|cause| damaged(&cause))?;
    let logins = json.get("logins").and_then(Value::as_array);
    logins.map(|logins| logins.len() as u64).ok_or_else(|| damaged(&"it has no list of logins"))
}

/// The passwords in a `logins.db`, which newer versions keep instead.
pub fn in_database(database: &Connection) -> Result<u64, FormatError> {
    // Those of this device, and those that came from others and were not changed here.
    let sql = "SELECT (SELECT count(*) FROM loginsL WHERE is_deleted = 0) + (SELECT count(*) FROM loginsM WHERE is_overridden = 0)";
    Ok(database.query_row(sql, [], |row| row.get(0))?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn passwords_are_counted_in_either_store() {
        assert_eq!(in_json(br#"{"nextId":3,"logins":[{"id":1},{"id":2}]}"#).unwrap(), 2);
        assert!(in_json(b"{}").is_err() && in_json(b"").is_err());
        let database = Connection::open_in_memory().unwrap();
        assert!(in_database(&database).is_err());
        database
            .execute_batch(
                "CREATE TABLE loginsL (guid TEXT, is_deleted TINYINT); CREATE TABLE loginsM (guid TEXT, is_overridden TINYINT);
                 INSERT INTO loginsL VALUES ('a', 0), ('b', 1), ('c', 0); INSERT INTO loginsM VALUES ('c', 1), ('d', 0);",
            )
            .unwrap();
        assert_eq!(in_database(&database).unwrap(), 3);
    }
}
