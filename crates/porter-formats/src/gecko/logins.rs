//! How many passwords a profile keeps. They are encrypted with `key4.db` (before 2014 `key3.db`), which lies beside them.

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
    let tables = "SELECT name FROM sqlite_master WHERE type = 'table' AND name IN ('loginsL', 'loginsM')";
    let mut tables = database.prepare(tables)?;
    let names: Vec<String> = tables.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
    let mut count = 0;
    for name in names {
        count += database.query_row(&format!("SELECT count(*) FROM {name}"), [], |row| row.get::<_, u64>(0))?;
    }
    Ok(count)
}
