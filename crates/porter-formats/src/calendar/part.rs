//! Events, tasks and notes of work on their way into a calendar: made of what a program knows, or as another
//! calendar has them.

use super::entry::Entry;
use super::ical::{begin, end, write_entries};
use super::part_kind::PartKind;
use crate::content_lines::ContentLine;
use std::collections::{HashMap, HashSet};

/// The part that is a zone.
const ZONE: &str = "VTIMEZONE";

/// An event, a task, or a note of work.
#[derive(Debug, Clone, PartialEq)]
pub enum Part {
    /// It is made of this.
    Made(Box<Entry>),
    /// It stands so in a calendar.
    Written(WrittenPart),
}

impl Part {
    /// A name that nothing else has; empty if it has none.
    pub fn unique_name(&self) -> &str {
        match self {
            Self::Made(entry) => &entry.unique_name,
            Self::Written(part) => &part.unique_name,
        }
    }

    /// Gives it such a name.
    pub fn name(&mut self, unique_name: &str) {
        match self {
            Self::Made(entry) => unique_name.clone_into(&mut entry.unique_name),
            Self::Written(part) => {
                unique_name.clone_into(&mut part.unique_name);
                let first = part.text.find('\n').map_or(0, |at| at + 1);
                part.text.insert_str(first, &format!("UID:{unique_name}\r\n"));
            }
        }
    }
}

/// A part as it stands in a calendar, with the days on which it is not as always.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WrittenPart {
    /// A name that nothing else has.
    pub unique_name: String,
    /// Its kind.
    pub kind: PartKind,
    /// All its lines.
    pub text: String,
}

/// A calendar that was read.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WrittenCalendar {
    /// The zones that its parts name, each with all its lines.
    pub zones: Vec<String>,
    /// Its parts.
    pub parts: Vec<WrittenPart>,
}

impl WrittenCalendar {
    /// Reads iCalendar (RFC 5545), and what of it stands in a text.
    pub fn from_text(text: &str) -> Self {
        let mut calendar = Self::default();
        let mut open: Option<(&str, usize)> = None;
        // The place of each part by its name: a calendar has thousands, and those of one name are one.
        let mut places = HashMap::new();
        let mut at = 0;
        for line in text.split_inclusive('\n') {
            let bare = line.trim_end();
            let begun = bare.strip_prefix("BEGIN:").filter(|_| open.is_none());
            if let Some(name) = begun.filter(|name| *name == ZONE || PartKind::called(name).is_some()) {
                open = Some((name, at));
            }
            at += line.len();
            let ends = |(kind, _): &(&str, usize)| bare.strip_prefix("END:") == Some(*kind);
            if let Some((kind, from)) = open.filter(|open| ends(open)) {
                open = None;
                calendar.add(kind, &text[from..at], &mut places);
            }
        }
        calendar
    }

    fn add(&mut self, kind: &str, text: &str, places: &mut HashMap<(String, PartKind), usize>) {
        let lines = text.replace("\r\n", "\n").trim_end().replace('\n', "\r\n") + "\r\n";
        let Some(kind) = PartKind::called(kind) else {
            if !self.zones.contains(&lines) {
                self.zones.push(lines);
            }
            return;
        };
        // Parts of it have names of their own.
        let mut depth = 0;
        let mut unique_name = String::new();
        for line in ContentLine::all_in(&lines) {
            match line.name.as_str() {
                "BEGIN" => depth += 1,
                "END" => depth -= 1,
                "UID" if depth == 1 => unique_name = line.value.trim().to_owned(),
                _ => {}
            }
        }
        let known = places.get(&(unique_name.clone(), kind)).and_then(|place| self.parts.get_mut(*place));
        match known {
            Some(part) => part.text.push_str(&lines),
            None => {
                if !unique_name.is_empty() {
                    places.insert((unique_name.clone(), kind), self.parts.len());
                }
                self.parts.push(WrittenPart { unique_name, kind, text: lines });
            }
        }
    }
}

/// One calendar with all parts. The zones that written ones name are `zones`; those of others are in it.
pub fn to_calendar_of(parts: &[Part], zones: &[String]) -> String {
    let mut lines = begin();
    let mut known = HashSet::new();
    zones.iter().filter(|zone| known.insert(*zone)).for_each(|zone| lines.as_written(zone));
    let made: Vec<&Entry> = parts
        .iter()
        .filter_map(|part| match part {
            Part::Made(entry) => Some(&**entry),
            Part::Written(_) => None,
        })
        .collect();
    write_entries(&made, &mut lines);
    for part in parts {
        if let Part::Written(part) = part {
            lines.as_written(&part.text);
        }
    }
    end(lines)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_calendar_has_comes_out_with_every_line_and_its_zones() {
        let zone = "BEGIN:VTIMEZONE\nTZID:Marsh\nEND:VTIMEZONE\n";
        let fair = "BEGIN:VEVENT\nUID:fair\nX-KITES:40\nBEGIN:VALARM\nUID:alarm\nEND:VALARM\nEND:VEVENT\n";
        let moved = "BEGIN:VEVENT\nUID:fair\nRECURRENCE-ID:20260101T000000Z\nEND:VEVENT\n";
        let mend = "BEGIN:VTODO\nSUMMARY:A long line\n  that goes on\nUID:mend\nEND:VTODO\n";
        let call = "BEGIN:VJOURNAL\nUID:call\nEND:VJOURNAL\n";
        let text = format!(
            "BEGIN:VCALENDAR\nMETHOD:PUBLISH\n{zone}{fair}{mend}{moved}{call}BEGIN:VEVENT\nUID:cut\n"
        );
        let calendar = WrittenCalendar::from_text(&text);
        let names: Vec<_> = calendar.parts.iter().map(|part| (&*part.unique_name, part.kind)).collect();
        let kinds = [("fair", PartKind::Event), ("mend", PartKind::Task), ("call", PartKind::Journal)];
        assert_eq!(names, kinds);
        let parts: Vec<Part> = calendar.parts.into_iter().map(Part::Written).collect();
        let made = Entry { unique_name: "made".to_owned(), ..Entry::default() };
        let all = [parts, vec![Part::Made(Box::new(made))]].concat();
        let written = to_calendar_of(&all, &[calendar.zones.clone(), calendar.zones].concat());
        for lines in [zone, fair, moved, mend, call] {
            assert_eq!(written.matches(&lines.replace('\n', "\r\n")).count(), 1, "{lines} in {written}");
        }
        assert!(written.contains("UID:made\r\n") && written.ends_with("END:VCALENDAR\r\n"), "{written}");
        assert_eq!(WrittenCalendar::from_text("END:VEVENT\nBEGIN:VEVENT"), WrittenCalendar::default());
    }
}
