//! Two calendars (RFC 5545) as one text.

/// The beginning of a line that names an entry.
const NAME: &str = "UID:";
const BEGIN: &str = "BEGIN:";
const END: &str = "END:VCALENDAR";

/// The names of the events in a calendar, and those of the tasks, each once.
pub fn unique_names(calendar: &str) -> (Vec<String>, Vec<String>) {
    let (mut events, mut tasks) = (Vec::new(), Vec::new());
    let mut is_task = false;
    let whole = calendar.replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "");
    for line in whole.lines() {
        match line.strip_prefix(NAME) {
            Some(name) => (if is_task { &mut tasks } else { &mut events }).push(name.trim().to_owned()),
            None if line.starts_with(BEGIN) && line != "BEGIN:VALARM" => is_task = line == "BEGIN:VTODO",
            None => {}
        }
    }
    for names in [&mut events, &mut tasks] {
        names.sort_unstable();
        names.dedup();
    }
    (events, tasks)
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
        assert_eq!(unique_names(&of(&["b", "a", "a"])).0, ["a", "b"]);
        let (events, tasks) = unique_names("UID:long\r\n er\r\n\tname\r\nBEGIN:VTODO\nBEGIN:VALARM\nUID:z");
        assert_eq!((events, tasks), (vec!["longername".to_owned()], vec!["z".to_owned()]));
    }
}
