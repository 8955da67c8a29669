//! The calendars that exist only here: `calendar-data/local.sqlite` (Thunderbird's `CalStorageDatabase`). An
//! event that comes again is a row for itself, and one more of the same id for each day on which it differs.

use crate::FormatError;
use crate::calendar::WorldZone;
use crate::calendar::moment::{clock, utc};
use crate::content_lines::{ContentLines, parameter};
use rusqlite::Connection;
use time::OffsetDateTime;

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

/// Events and tasks as a calendar, each with the time on the clocks of its zone, which is written out
/// where the table has a rule that a calendar can say.
pub fn to_text(database: &Connection) -> Result<String, FormatError> {
    let mut lines = ContentLines::default();
    let mut zones = Vec::new();
    for (table, name) in [("cal_events", "VEVENT"), ("cal_todos", "VTODO")] {
        let is_task = name == "VTODO";
        let moments: &[(&str, &str)] = if is_task {
            &[("todo_entry", "DTSTART"), ("todo_due", "DUE"), ("todo_completed", "COMPLETED")]
        } else {
            &[("event_start", "DTSTART"), ("event_end", "DTEND")]
        };
        let mut statement =
            database.prepare(&format!("SELECT * FROM {table} ORDER BY cal_id, id, recurrence_id"))?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let text = |column: &str| row.get::<_, Option<String>>(column).ok().flatten().unwrap_or_default();
            let number = |column: &str| row.get::<_, Option<i64>>(column).ok().flatten();
            lines.raw("BEGIN", name);
            lines.raw("UID", &text("id"));
            let stamp =
                number(if is_task { "todo_stamp" } else { "event_stamp" }).or(number("last_modified"));
            for (value, name) in [
                (stamp.or(Some(0)), "DTSTAMP"),
                (number("time_created"), "CREATED"),
                (number("last_modified"), "LAST-MODIFIED"),
            ] {
                if let Some(at) = value.and_then(moment_utc) {
                    lines.raw(name, &utc(at));
                }
            }
            lines.text("SUMMARY", &text("title"));
            if let Some(priority) = number("priority").filter(|priority| (1..=9).contains(priority)) {
                lines.raw("PRIORITY", &priority.to_string());
            }
            lines.raw_if("CLASS", &text("privacy"));
            lines.raw_if("STATUS", &text("ical_status"));
            if let Some(percent) = number("todo_complete").filter(|_| is_task) {
                lines.raw("PERCENT-COMPLETE", &percent.to_string());
            }
            // The eighth flag is of a whole day.
            let is_whole_day = number("flags").unwrap_or_default() & WHOLE_DAY != 0;
            for (column, name) in moments {
                let zone = text(&format!("{column}_tz"));
                write_moment(&mut lines, &mut zones, name, number(column), &zone, is_whole_day);
            }
            let instead_of = number("recurrence_id");
            write_moment(
                &mut lines,
                &mut zones,
                "RECURRENCE-ID",
                instead_of,
                &text("recurrence_id_tz"),
                is_whole_day,
            );
            write_beside(database, &mut lines, (&text("cal_id"), &text("id")), instead_of)?;
            lines.raw("END", name);
        }
    }
    let zones: String = zones.concat();
    Ok(format!("BEGIN:VCALENDAR\r\n{zones}{}END:VCALENDAR\r\n", lines.finish()))
}

/// The flag of an event of whole days (`CAL_ITEM_FLAG.EVENT_ALLDAY`).
const WHOLE_DAY: i64 = 8;

/// Microseconds since 1970.
fn moment_utc(microseconds: i64) -> Option<OffsetDateTime> {
    OffsetDateTime::from_unix_timestamp_nanos(i128::from(microseconds) * 1000).ok()
}

fn write_moment(
    lines: &mut ContentLines,
    zones: &mut Vec<String>,
    name: &str,
    value: Option<i64>,
    zone: &str,
    is_whole_day: bool,
) {
    let Some(at) = value.and_then(moment_utc) else { return };
    let clock = utc(at);
    let clock = clock.trim_end_matches('Z');
    match zone {
        _ if is_whole_day && name != "COMPLETED" => {
            lines.raw(&format!("{name};VALUE=DATE"), clock.split('T').next().unwrap_or_default());
        }
        "" | "UTC" => lines.raw(name, &utc(at)),
        "floating" => lines.raw(name, clock),
        // The database has the time of the world, and says whose clock is meant.
        zone => match clock_in(zone, at) {
            Some((written, clock, id)) => {
                if !written.is_empty() && !zones.contains(&written) {
                    zones.push(written);
                }
                lines.raw(&format!("{name};TZID={}", parameter(&id)), &clock);
            }
            None => lines.raw(name, &utc(at)),
        },
    }
}

/// The lines of a zone (none if they cannot be said), the time on its clock, and its name.
fn clock_in(zone: &str, at: OffsetDateTime) -> Option<(String, String, String)> {
    let zone = WorldZone::called(zone)?;
    let clock_there = clock(zone.clock_at(at)?);
    let rule = zone.as_zone();
    let mut lines = ContentLines::default();
    if let Some(rule) = &rule {
        rule.write(&mut lines);
    }
    Some((lines.finish(), clock_there, zone.name().to_owned()))
}

/// The lines that the database keeps as a calendar has them: rules, guests, reminders, files; and other
/// properties, each in a row.
fn write_beside(
    database: &Connection,
    lines: &mut ContentLines,
    (calendar, item): (&str, &str),
    instead_of: Option<i64>,
) -> Result<(), FormatError> {
    if has_table(database, "cal_properties")? {
        write_properties(database, lines, (calendar, item), instead_of)?;
    }
    let of_all = ["cal_recurrence"].into_iter().filter(|_| instead_of.is_none());
    for table in of_all.chain(["cal_attendees", "cal_attachments", "cal_relations", "cal_alarms"]) {
        // Old versions lack some of them.
        if !has_table(database, table)? {
            continue;
        }
        let is_of_day = if table == "cal_recurrence" { "" } else { " AND recurrence_id IS ?3" };
        let sql = format!(
            "SELECT icalString FROM {table} WHERE cal_id = ?1 AND item_id = ?2{is_of_day} ORDER BY rowid"
        );
        let mut statement = database.prepare(&sql)?;
        let given: &[&dyn rusqlite::ToSql] = &[&calendar, &item, &instead_of];
        let given = if is_of_day.is_empty() { &given[..2] } else { given };
        let mut rows = statement.query(given)?;
        while let Some(row) = rows.next()? {
            let text = row.get::<_, Option<String>>(0)?.unwrap_or_default();
            lines.as_written(&(text.replace("\r\n", "\n").trim_end().replace('\n', "\r\n") + "\r\n"));
        }
    }
    Ok(())
}

fn has_table(database: &Connection, name: &str) -> Result<bool, FormatError> {
    let sql = "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = ?1";
    Ok(database.query_row(sql, [name], |row| row.get::<_, u64>(0))? > 0)
}

fn write_properties(
    database: &Connection,
    lines: &mut ContentLines,
    (calendar, item): (&str, &str),
    instead_of: Option<i64>,
) -> Result<(), FormatError> {
    let mut statement = database.prepare(
        "SELECT key, CAST(value AS TEXT) FROM cal_properties WHERE cal_id = ?1 AND item_id = ?2 AND recurrence_id IS ?3 ORDER BY rowid",
    )?;
    let mut rows = statement.query(rusqlite::params![calendar, item, instead_of])?;
    while let Some(row) = rows.next()? {
        let (key, value) = (row.get::<_, String>(0)?, row.get::<_, Option<String>>(1)?.unwrap_or_default());
        let is_name = !key.is_empty() && key.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-');
        if is_name && !["X-MOZ-LASTACK", "X-MOZ-GENERATION"].contains(&&*key) {
            match key.as_str() {
                "CATEGORIES" | "URL" => lines.raw_if(&key, &value),
                key => lines.text(key, &value),
            }
        }
    }
    Ok(())
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
