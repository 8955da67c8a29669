//! Two calendars (RFC 5545) as one text.

use super::part::WrittenCalendar;
use super::part_kind::PartKind;

const BEGIN: &str = "BEGIN:";
const END: &str = "END:VCALENDAR";

/// The names of the events in a calendar, and those of the tasks, each once.
pub fn unique_names(calendar: &str) -> (Vec<String>, Vec<String>) {
    let parts = WrittenCalendar::from_text(calendar).parts;
    let names = |kind: PartKind| {
        let parts = parts.iter().filter(|part| part.kind == kind);
        parts.map(|part| part.unique_name.clone()).collect()
    };
    (names(PartKind::Event), names(PartKind::Task))
}

/// A calendar with the entries of another one behind its own.
pub fn joined(calendar: &str, more: &str) -> String {
    let Some(end) = calendar.rfind(END) else { return more.to_owned() };
    // The lines about the calendar itself stand before its first part.
    let behind_first = more.find('\n').map_or(0, |at| at + 1);
    let first_part = more[behind_first..].find(BEGIN).or(more[behind_first..].find(END));
    let parts = first_part.map_or(more.len(), |at| behind_first + at);
    [&calendar[..end], &more[parts..]].concat()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_calendar_gets_the_entries_of_another_one() {
        let of = |names: &[&str]| {
            let events: String =
                names.iter().map(|name| format!("BEGIN:VEVENT\r\nUID:{name}\r\nEND:VEVENT\r\n")).collect();
            format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{events}END:VCALENDAR\r\n")
        };
        assert_eq!(joined(&of(&["a", "b"]), &of(&["c"])), of(&["a", "b", "c"]));
        assert_eq!(joined(&of(&["a"]), &of(&[])), of(&["a"]));
        assert_eq!(unique_names(&of(&["b", "a", "a"])).0, ["b", "a"]);
        let tasks = "BEGIN:VTODO\r\nUID:long\r\n er\r\n\tname\r\nEND:VTODO\r\n";
        assert_eq!(unique_names(tasks), (vec![], vec!["longername".to_owned()]));
    }
}
