//! Two calendars (RFC 5545) as one text.

/// The beginning of a line that names an entry.
const NAME: &str = "UID:";
const BEGIN: &str = "BEGIN:";
const END: &str = "END:VCALENDAR";

/// The names of the events and tasks in a calendar, each once, as they are written there.
pub fn unique_names(calendar: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let whole = calendar.replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "");
    for name in whole.lines().filter_map(|line| line.strip_prefix(NAME)) {
        if names.last().is_none_or(|last| last != name) {
            names.push(name.trim().to_owned());
        }
    }
    names.sort_unstable();
    names.dedup();
    names
}

/// A calendar with the entries of another one behind its own.
pub fn joined(calendar: &str, more: &str) -> String {
    let Some(end) = calendar.rfind(END) else { return more.to_owned() };
    // The lines about the calendar itself stand before its first part.
    let behind_first = more.find('\n').map_or(0, |at| at + 1);
    let parts = more[behind_first..].find(BEGIN).map_or(more.len(), |at| behind_first + at);
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
        assert_eq!(unique_names(&of(&["b", "a", "a"])), ["a", "b"]);
        assert_eq!(unique_names("UID:long\r\n er\r\n\tname\r\nUID:z"), ["longername", "z"]);
    }
}
