//! iCalendar (RFC 5545), written.

use super::entry::{Answer, Entry, Guest, OfKind, Reminder, Role, Secrecy};
use super::moment::{Moment, clock, day, utc, value_of};
use super::part_kind::PartKind;
use super::recurrence::End;
use super::zone::Zone;
use crate::content_lines::{ContentLines, parameter};
use time::{Date, OffsetDateTime, PrimitiveDateTime};

/// One calendar with all entries. The zones that they name are in it.
pub fn to_calendar(entries: &[Entry]) -> String {
    let mut lines = begin();
    write_entries(&entries.iter().collect::<Vec<_>>(), &mut lines);
    end(lines)
}

pub(super) fn begin() -> ContentLines {
    let mut lines = ContentLines::default();
    lines.raw("BEGIN", "VCALENDAR");
    lines.raw("VERSION", "2.0");
    lines.raw("PRODID", "-//Loyal Porter//porter//EN");
    lines
}

pub(super) fn end(mut lines: ContentLines) -> String {
    lines.raw("END", "VCALENDAR");
    lines.finish()
}

/// The zones of all entries, and behind them the entries.
pub(super) fn write_entries(entries: &[&Entry], lines: &mut ContentLines) {
    let mut zones: Vec<&Zone> = Vec::new();
    for zone in entries.iter().filter_map(|entry| entry.zone.as_ref()) {
        if !zones.contains(&zone) {
            zones.push(zone);
        }
    }
    // Two programs may mean different rules by one name.
    let names: Vec<String> = (0..zones.len())
        .map(|at| match zones[..at].iter().filter(|other| other.name == zones[at].name).count() {
            0 => zones[at].name.clone(),
            others => format!("{} {}", zones[at].name, others + 1),
        })
        .collect();
    for (zone, name) in zones.iter().zip(&names) {
        Zone { name: name.clone(), ..(*zone).clone() }.write(lines);
    }
    for entry in entries {
        let zone = entry.zone.as_ref().and_then(|zone| zones.iter().position(|other| other == &zone));
        write_entry(entry, zone.map(|at| names[at].as_str()), lines);
    }
}

fn moment(lines: &mut ContentLines, name: &str, at: Moment, zone: Option<&str>) {
    let parameters = match (at, zone) {
        (Moment::Day(_), _) => ";VALUE=DATE".to_owned(),
        (Moment::Clock(_), Some(zone)) => format!(";TZID={}", parameter(zone)),
        _ => String::new(),
    };
    lines.raw(&format!("{name}{parameters}"), &value_of(at));
}

fn write_entry(entry: &Entry, zone: Option<&str>, lines: &mut ContentLines) {
    let kind = PartKind::of(entry);
    let (name, is_task) = (kind.name(), kind == PartKind::Task);
    let end_name = if is_task { "DUE" } else { "DTEND" };
    let has_end = kind != PartKind::Journal;
    lines.raw("BEGIN", name);
    common(entry, &entry.description, lines);
    if let Some(begin) = entry.begin {
        moment(lines, "DTSTART", begin, zone);
    }
    // An event must not end when it begins.
    if let Some(end) = entry.end.filter(|end| has_end && (is_task || Some(*end) != entry.begin)) {
        moment(lines, end_name, end, zone);
    }
    lines.text("SUMMARY", &entry.summary);
    if has_end {
        lines.text("LOCATION", &entry.location);
    }
    if let Some(recurrence) = &entry.recurrence {
        let until = match recurrence.end {
            End::On(last) => Some(until(entry, last)),
            _ => None,
        };
        lines.raw("RRULE", &recurrence.to_rule(until));
        for without in &recurrence.without {
            moment(lines, "EXDATE", *without, zone);
        }
    }
    match &entry.of_kind {
        OfKind::Event { is_free, is_cancelled, organizer, guests, sequence } => {
            lines.raw("TRANSP", if *is_free { "TRANSPARENT" } else { "OPAQUE" });
            if *is_cancelled {
                lines.raw("STATUS", "CANCELLED");
            }
            if *sequence > 0 {
                lines.raw("SEQUENCE", &sequence.to_string());
            }
            if let Some(organizer) = organizer {
                guest(lines, "ORGANIZER", organizer, "");
            }
            for one in guests {
                guest(lines, "ATTENDEE", one, &parameters_of(one));
            }
        }
        OfKind::Task { percent, done_utc, is_done, is_begun } => {
            let status = match (is_done, is_begun) {
                (true, _) => "COMPLETED",
                (false, true) => "IN-PROCESS",
                (false, false) => "NEEDS-ACTION",
            };
            lines.raw("STATUS", status);
            lines.raw("PERCENT-COMPLETE", &percent.min(&100).to_string());
            if let Some(at) = done_utc {
                lines.raw("COMPLETED", &utc(*at));
            }
        }
        // It has no end, and no length: words tell of them.
        OfKind::Journal { kind, minutes } => {
            let took = minutes.map(|minutes| format!("{minutes} min"));
            let words = [Some(kind.clone()).filter(|kind| !kind.is_empty()), took];
            lines.text("COMMENT", &words.into_iter().flatten().collect::<Vec<_>>().join(", "));
        }
    }
    if let Some(reminder) = entry.reminder {
        lines.raw("BEGIN", "VALARM");
        lines.raw("ACTION", "DISPLAY");
        lines.text("DESCRIPTION", if entry.summary.is_empty() { "?" } else { &entry.summary });
        match reminder {
            Reminder::MinutesBefore(minutes) => lines.raw("TRIGGER", &format!("-PT{minutes}M")),
            Reminder::At(at) => lines.raw("TRIGGER;VALUE=DATE-TIME", &utc(at)),
        }
        lines.raw("END", "VALARM");
    }
    for (name, content) in &entry.files {
        let parameters = format!("ATTACH;ENCODING=BASE64;VALUE=BINARY;X-FILENAME={}:", parameter(name));
        lines.bytes(&parameters, content);
    }
    lines.raw("END", name);
    for changed in &entry.changed {
        lines.raw("BEGIN", name);
        common(entry, changed.description.as_deref().unwrap_or(&entry.description), lines);
        moment(lines, "RECURRENCE-ID", changed.instead_of, zone);
        moment(lines, "DTSTART", changed.begin, zone);
        if changed.end != changed.begin {
            moment(lines, end_name, changed.end, zone);
        }
        lines.text("SUMMARY", changed.summary.as_deref().unwrap_or(&entry.summary));
        lines.text("LOCATION", changed.location.as_deref().unwrap_or(&entry.location));
        lines.raw("END", name);
    }
}

fn common(entry: &Entry, description: &str, lines: &mut ContentLines) {
    lines.text("UID", &entry.unique_name);
    let changed = entry.modified_utc.or(entry.created_utc).unwrap_or(OffsetDateTime::UNIX_EPOCH);
    lines.raw("DTSTAMP", &utc(changed));
    for (name, at) in [("CREATED", entry.created_utc), ("LAST-MODIFIED", entry.modified_utc)] {
        if let Some(at) = at {
            lines.raw(name, &utc(at));
        }
    }
    lines.text("DESCRIPTION", description);
    lines.texts("CATEGORIES", &entry.categories, ",");
    match entry.secrecy {
        Secrecy::Public => {}
        Secrecy::Private => lines.raw("CLASS", "PRIVATE"),
        Secrecy::Confidential => lines.raw("CLASS", "CONFIDENTIAL"),
    }
    let may_have = !matches!(entry.of_kind, OfKind::Journal { .. });
    if let Some(priority) = entry.priority.filter(|_| may_have) {
        lines.raw("PRIORITY", &priority.to_string());
    }
}

/// The last time, in the form of the first one; by the clock of the world if that has a zone.
fn until(entry: &Entry, last: Date) -> String {
    match entry.begin {
        Some(Moment::Clock(begin)) => {
            let at = PrimitiveDateTime::new(last, begin.time());
            match entry.zone.as_ref().and_then(|zone| zone.utc_of(at)) {
                Some(at) => utc(at),
                None => clock(at),
            }
        }
        Some(Moment::Utc(begin)) => utc(begin.replace_date(last)),
        Some(Moment::Day(_)) | None => day(last),
    }
}

fn guest(lines: &mut ContentLines, name: &str, guest: &Guest, parameters: &str) {
    let shown = if guest.name.is_empty() { String::new() } else { format!(";CN={}", parameter(&guest.name)) };
    let address: String = guest.address.chars().filter(|c| !c.is_control() && *c != ' ').collect();
    // A guest without an address still has a name.
    let address = if address.is_empty() { "invalid:nomail".to_owned() } else { format!("mailto:{address}") };
    lines.raw(&format!("{name}{shown}{parameters}"), &address);
}

fn parameters_of(guest: &Guest) -> String {
    let role = match guest.role {
        Role::Required => "",
        Role::Optional => ";ROLE=OPT-PARTICIPANT",
        Role::Resource => ";CUTYPE=RESOURCE;ROLE=NON-PARTICIPANT",
    };
    let answer = match guest.answer {
        Answer::None => "",
        Answer::Perhaps => ";PARTSTAT=TENTATIVE",
        Answer::Comes => ";PARTSTAT=ACCEPTED",
        Answer::Declined => ";PARTSTAT=DECLINED",
    };
    format!("{role}{answer}")
}
