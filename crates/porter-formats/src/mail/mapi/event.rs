//! An event in a calendar ([MS-OXOCAL]).

use super::contact::day_of;
use super::names::{OF_ALL, OF_APPOINTMENT, OF_MEETING};
use super::numbers::utc;
use super::recurrence::{Repeated, repeated};
use super::thing::{Recipient, Thing};
use super::zone;
use crate::calendar::entry::{Answer, Changed, Entry, Guest, OfKind, Reminder, Role, Secrecy};
use crate::calendar::moment::Moment;
use crate::calendar::zone::Zone;
use time::{Date, Duration, OffsetDateTime, PrimitiveDateTime};

/// Properties of events ([MS-OXPROPS]), by the sets that they are of.
const SEQUENCE: u32 = 0x8201;
const BUSY: u32 = 0x8205;
const LOCATION: u32 = 0x8208;
const BEGIN: u32 = 0x820d;
const END: u32 = 0x820e;
const IS_WHOLE_DAY: u32 = 0x8215;
const RECURRENCE: u32 = 0x8216;
const STATE: u32 = 0x8217;
const ZONE_RULE: u32 = 0x8233;
const ZONE_NAME: u32 = 0x8234;
const ZONES: [u32; 2] = [0x8260, 0x825e];
const REMINDS_BEFORE: u32 = 0x8501;
const REMINDS: u32 = 0x8503;
const UNIQUE_NAMES: [u32; 2] = [0x23, 0x03];
const IMPORTANCE: u16 = 0x0017;
const SENSITIVITY: u16 = 0x0036;
const SENDERS: [[u16; 2]; 2] = [[0x0042, 0x5d02], [0x0c1a, 0x5d01]];
const PLAIN_SENDERS: [u16; 2] = [0x0065, 0x0c1f];
/// Bits of the state.
const IS_MEETING: u32 = 1;
const IS_CANCELLED: u32 = 4;
/// A file that was put at it, as it is; a thing of Outlook's own.
const BY_VALUE: u32 = 1;
const THING_INSIDE: u32 = 5;
/// When such a thing begins.
const BEGIN_OF_CHANGED: u16 = 0x7ffb;
/// Larger files stay where they are: a calendar is read as a whole.
const MOST_FILE_IN_BYTES: usize = 8 << 20;

/// The event that a thing is. None if it has no beginning.
pub fn event(thing: &Thing<'_>) -> Option<Entry> {
    let begin_utc = thing.named_time(OF_APPOINTMENT, BEGIN)?;
    let end_utc = thing.named_time(OF_APPOINTMENT, END).filter(|end| *end >= begin_utc).unwrap_or(begin_utc);
    let zone = zone_of(thing);
    let is_whole_day = thing.is(OF_APPOINTMENT, IS_WHOLE_DAY);
    let of_recurrence = thing.named_bytes(OF_APPOINTMENT, RECURRENCE);
    let repeated = of_recurrence.and_then(|bytes| repeated(&bytes, thing.properties.code_page));
    let (begin, end) = match (&repeated, is_whole_day, &zone) {
        (_, true, _) => {
            let first = local_day(begin_utc, zone.as_ref())?;
            let behind = local_day(end_utc, zone.as_ref())?;
            (Moment::Day(first), Moment::Day(behind.max(first.next_day()?)))
        }
        (_, false, Some(zone)) => {
            (Moment::Clock(zone.clock_at(begin_utc)?), Moment::Clock(zone.clock_at(end_utc)?))
        }
        // Without a zone, the times of each day are known by the clock only.
        (Some(Repeated { hours: Some((begin, end)), first, .. }), false, None) => {
            (Moment::Clock(at_minute(*first, *begin)?), Moment::Clock(at_minute(*first, *end)?))
        }
        (_, false, None) => (Moment::Utc(begin_utc), Moment::Utc(end_utc)),
    };
    let mut entry = Entry { begin: Some(begin), end: Some(end), ..of_all(thing) };
    entry.zone = zone.filter(|_| !is_whole_day);
    entry.location = thing.named_text(OF_APPOINTMENT, LOCATION).unwrap_or_default();
    if let Some(repeated) = repeated {
        take_repeated(&mut entry, repeated, is_whole_day);
        take_own_words(thing, &mut entry);
    }
    if let Some(name) = unique_name(thing) {
        entry.unique_name = name;
    }
    if thing.is(OF_ALL, REMINDS) {
        let minutes = thing.named_number(OF_ALL, REMINDS_BEFORE);
        // The largest means the usual.
        entry.reminder = minutes.filter(|minutes| *minutes < 1 << 24).map(Reminder::MinutesBefore);
    }
    let state = thing.named_number(OF_APPOINTMENT, STATE).unwrap_or_default();
    let is_meeting = state & IS_MEETING != 0;
    entry.of_kind = OfKind::Event {
        is_free: thing.named_number(OF_APPOINTMENT, BUSY) == Some(0),
        is_cancelled: state & IS_CANCELLED != 0,
        organizer: if is_meeting { organizer(thing) } else { None },
        guests: if is_meeting { thing.recipients().into_iter().map(guest).collect() } else { Vec::new() },
        sequence: thing.named_number(OF_APPOINTMENT, SEQUENCE).unwrap_or_default(),
    };
    Some(entry)
}

/// The facts that events and tasks have in common.
pub(super) fn of_all(thing: &Thing<'_>) -> Entry {
    let (attached, mut files_left_out) = thing.attachments();
    let mut files = Vec::new();
    for file in attached.iter().filter(|file| file.method() == Some(BY_VALUE)) {
        match file.content(thing.holder, MOST_FILE_IN_BYTES) {
            Some(content) => files.push((file.name(thing.holder), content)),
            None => files_left_out += 1,
        }
    }
    Entry {
        unique_name: thing.unique_name(),
        summary: thing.subject(),
        description: thing.words(),
        categories: thing.categories(),
        secrecy: match thing.properties.number(SENSITIVITY) {
            Some(1 | 2) => Secrecy::Private,
            Some(3) => Secrecy::Confidential,
            _ => Secrecy::Public,
        },
        priority: match thing.properties.number(IMPORTANCE) {
            Some(0) => Some(9),
            Some(2) => Some(1),
            _ => None,
        },
        created_utc: thing.created_utc(),
        modified_utc: thing.modified_utc(),
        files,
        files_left_out,
        ..Entry::default()
    }
}

fn zone_of(thing: &Thing<'_>) -> Option<Zone> {
    let definitions = ZONES.iter().filter_map(|id| thing.named_bytes(OF_APPOINTMENT, *id));
    let mut known = definitions.filter_map(|bytes| zone::of_definition(&bytes));
    known.next().or_else(|| {
        let name = thing.named_text(OF_APPOINTMENT, ZONE_NAME).unwrap_or_default();
        zone::of_rule(&thing.named_bytes(OF_APPOINTMENT, ZONE_RULE)?, &name)
    })
}

fn local_day(at_utc: OffsetDateTime, zone: Option<&Zone>) -> Option<Date> {
    match zone {
        // A rule of another year may be an hour off.
        Some(zone) => day_of(zone.clock_at(at_utc)?.assume_utc()),
        None => day_of(at_utc),
    }
}

fn at_minute(day: Date, minutes: u32) -> Option<PrimitiveDateTime> {
    day.midnight().checked_add(Duration::minutes(minutes.into()))
}

fn take_repeated(entry: &mut Entry, repeated: Repeated, is_whole_day: bool) {
    let minutes = repeated.hours.map_or(0, |(begin, _)| begin);
    let begin_of = |day: Date| match at_minute(day, minutes) {
        Some(at) if !is_whole_day => Moment::Clock(at),
        _ => Moment::Day(day),
    };
    let moment =
        |at: PrimitiveDateTime| if is_whole_day { Moment::Day(at.date()) } else { Moment::Clock(at) };
    let without = repeated.moments_without(begin_of);
    entry.changed = repeated
        .changed
        .into_iter()
        .map(|changed| Changed {
            instead_of: moment(changed.instead_of),
            begin: moment(changed.begin),
            end: moment(changed.end),
            summary: changed.summary,
            location: changed.location,
            description: None,
        })
        .collect();
    entry.recurrence = Some(crate::calendar::recurrence::Recurrence { without, ..repeated.recurrence });
}

/// A time that is not as the others may be a thing at the event, with words of its own
/// ([MS-OXOCAL] 2.2.10.1): it says when it begins by the clock of the event.
fn take_own_words(thing: &Thing<'_>, entry: &mut Entry) {
    if entry.changed.is_empty() {
        return;
    }
    for attached in thing.attachments().0.iter().filter(|attached| attached.method() == Some(THING_INSIDE)) {
        let begin = attached.properties.time(thing.holder, BEGIN_OF_CHANGED).and_then(utc);
        let Some(begin) = begin.map(|at| PrimitiveDateTime::new(at.date(), at.time())) else { continue };
        let is_it = |changed: &&mut Changed| match changed.begin {
            Moment::Clock(at) => at == begin,
            Moment::Day(day) => day == begin.date(),
            Moment::Utc(_) => false,
        };
        let words = || Some(attached.thing_inside(thing.holder, thing.properties.code_page)?.words());
        if let Some(changed) = entry.changed.iter_mut().find(is_it)
            && let Some(words) = words().filter(|words| !words.trim().is_empty())
            && words != entry.description
        {
            changed.description = Some(words);
        }
    }
}

/// The name that all who are invited have for it ([MS-OXOCAL] 2.2.1.27). One that came from another program
/// has that program's name in it.
fn unique_name(thing: &Thing<'_>) -> Option<String> {
    const OTHERS: &[u8] = b"vCal-Uid\x01\0\0\0";
    let bytes = UNIQUE_NAMES.iter().find_map(|id| thing.named_bytes(OF_MEETING, *id))?;
    if let Some(at) = memchr::memmem::find(&bytes, OTHERS) {
        let name = bytes[at + OTHERS.len()..].split(|byte| *byte == 0).next().unwrap_or_default();
        let name = String::from_utf8_lossy(name).into_owned();
        return Some(name).filter(|name| !name.is_empty());
    }
    (!bytes.is_empty()).then(|| bytes.iter().map(|byte| format!("{byte:02X}")).collect())
}

fn organizer(thing: &Thing<'_>) -> Option<Guest> {
    let plain = PLAIN_SENDERS.iter().find_map(|id| thing.filled(*id).filter(|text| text.contains('@')));
    let known = SENDERS.iter().find_map(|[name, address]| {
        let (name, address) = (thing.filled(*name), thing.filled(*address));
        (name.is_some() || address.is_some()).then_some((name, address))
    });
    let (name, address) = known?;
    let address = address.or(plain).unwrap_or_default();
    Some(Guest { name: name.unwrap_or_default(), address, ..Guest::default() })
}

fn guest(recipient: Recipient) -> Guest {
    let Recipient { kind, name, address, answer } = recipient;
    Guest {
        name,
        address,
        role: match kind & 0xf {
            2 => Role::Optional,
            3 => Role::Resource,
            _ => Role::Required,
        },
        answer: match answer {
            1 | 3 => Answer::Comes,
            2 => Answer::Perhaps,
            4 => Answer::Declined,
            _ => Answer::None,
        },
    }
}
