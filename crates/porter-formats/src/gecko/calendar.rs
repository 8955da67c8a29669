//! The calendars that exist only here: `calendar-data/local.sqlite` (Thunderbird's `CalStorageDatabase`). An
//! event that comes again is a row for itself, and one more of the same id for each day on which it differs.

use crate::FormatError;
use rusqlite::Connection;

/// Events, each that comes again once.
pub fn event_count(database: &Connection) -> Result<u64, FormatError> {
    count(database, "cal_events")
}

/// Tasks.
pub fn task_count(database: &Connection) -> Result<u64, FormatError> {
    count(database, "cal_todos")
}

/// The names of all events and tasks.
pub fn unique_names(database: &Connection) -> Result<Vec<String>, FormatError> {
    let mut statement =
        database.prepare("SELECT id FROM cal_events UNION SELECT id FROM cal_todos ORDER BY 1")?;
    let rows = statement.query_map([], |row| row.get(0))?;
    Ok(rows.collect::<Result<_, _>>()?)
}

fn count(database: &Connection, table: &str) -> Result<u64, FormatError> {
    let sql = format!("SELECT count(*) FROM (SELECT DISTINCT cal_id, id FROM {table})");
    Ok(database.query_row(&sql, [], |row| row.get(0))?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gecko::address_book;

    #[test]
    fn contacts_lists_events_and_tasks_are_counted_once_each() {
        let database = Connection::open_in_memory().unwrap();
        assert!(event_count(&database).is_err() && address_book::counts(&database).is_err());
        database
            .execute_batch(
                "CREATE TABLE properties (card TEXT, name TEXT, value TEXT); CREATE TABLE lists (uid TEXT, name TEXT);
                 INSERT INTO properties VALUES ('a', 'DisplayName', 'Ines'), ('a', 'PrimaryEmail', 'i@x'), ('b', '_vCard', '');
                 INSERT INTO lists VALUES ('l', 'Stall holders');
                 CREATE TABLE cal_events (cal_id TEXT, id TEXT, recurrence_id INTEGER); CREATE TABLE cal_todos (cal_id TEXT, id TEXT);
                 INSERT INTO cal_events VALUES ('c', 'fair', NULL), ('c', 'fair', 5), ('d', 'fair', NULL);
                 INSERT INTO cal_todos VALUES ('c', 'mend');",
            )
            .unwrap();
        assert_eq!(address_book::counts(&database).unwrap(), (2, 1));
        assert_eq!((event_count(&database).unwrap(), task_count(&database).unwrap()), (2, 1));
    }
}
