//! The things of a data file that are no letters: people, a list of them, events, a task and a note.

use super::properties::{
    DOUBLE, Letter, Property, SEVERAL_BYTES, SEVERAL_TEXTS, STEP, bytes, flag, int, sum, tag, text, ticks,
    time,
};
use time::macros::{date, datetime};
use time::{Date, OffsetDateTime};

/// Numbers of nodes: the folders, and the first thing, behind all letters that have room.
const CONTACTS: u32 = 0x8082;
const CALENDAR: u32 = 0x80a2;
const TASKS: u32 = 0x80c2;
const NOTES: u32 = 0x80e2;
pub(super) const FIRST: u32 = 0x20_8004;

/// A folder of things.
pub(super) struct Things {
    pub(super) number: u32,
    pub(super) name: &'static str,
    pub(super) kind: &'static str,
    pub(super) things: Vec<Letter>,
}

/// The sets of named properties that are used, by the first number of each ([MS-OXPROPS] 1.3.2).
const OF_ALL: usize = 0;
const OF_ADDRESS: usize = 1;
const OF_APPOINTMENT: usize = 2;
const OF_TASK: usize = 3;
const SETS: [u32; 4] = [0x0006_2008, 0x0006_2004, 0x0006_2002, 0x0006_2003];
/// The properties that have numbers of a set for names.
const NAMED: [(usize, u32); 19] = [
    (OF_ALL, 0x8501),
    (OF_ALL, 0x8503),
    (OF_ADDRESS, 0x8005),
    (OF_ADDRESS, 0x8053),
    (OF_ADDRESS, 0x8054),
    (OF_ADDRESS, 0x8080),
    (OF_ADDRESS, 0x8082),
    (OF_ADDRESS, 0x8083),
    (OF_APPOINTMENT, 0x8205),
    (OF_APPOINTMENT, 0x8208),
    (OF_APPOINTMENT, 0x820d),
    (OF_APPOINTMENT, 0x820e),
    (OF_APPOINTMENT, 0x8215),
    (OF_APPOINTMENT, 0x8216),
    (OF_APPOINTMENT, 0x8223),
    (OF_APPOINTMENT, 0x825e),
    (OF_TASK, 0x8101),
    (OF_TASK, 0x8102),
    (OF_TASK, 0x8105),
];
/// The one that has a text for a name, behind the others.
const KEYWORDS: &str = "Keywords";
const FIRST_NAMED: u16 = 0x8000;

fn id_of(set: usize, number: u32) -> u16 {
    let at = NAMED.iter().position(|named| *named == (set, number)).unwrap_or_default();
    FIRST_NAMED + at as u16
}

/// The node that tells which numbers the named properties have ([MS-PST] 2.4.7).
pub(super) fn names() -> Vec<Property> {
    const BUCKETS: u32 = 251;
    const OF_PUBLIC: u16 = 2;
    let set = |first: &u32| [&first.to_le_bytes()[..], &[0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46]].concat();
    let row = |id: u32, kind: u16, at: usize| {
        [&id.to_le_bytes()[..], &kind.to_le_bytes(), &(at as u16).to_le_bytes()].concat()
    };
    let numbered = NAMED.iter().enumerate();
    let numbered = numbered.map(|(at, (set, number))| (*number, row(*number, (*set as u16 + 3) << 1, at)));
    let keywords: Vec<u8> = KEYWORDS.encode_utf16().flat_map(u16::to_le_bytes).collect();
    let texts = [&(keywords.len() as u32).to_le_bytes()[..], &keywords].concat();
    let rows: Vec<(u32, Vec<u8>)> =
        numbered.chain([(sum(&keywords), row(0, OF_PUBLIC << 1 | 1, NAMED.len()))]).collect();
    let mut properties = vec![
        int(0x0001, BUCKETS),
        bytes(0x0002, &SETS.iter().flat_map(set).collect::<Vec<_>>()),
        bytes(0x0003, &rows.iter().flat_map(|(_, row)| row.clone()).collect::<Vec<_>>()),
        bytes(0x0004, &texts),
    ];
    // The same rows again, where they are looked up.
    let mut buckets = std::collections::BTreeMap::<u32, Vec<u8>>::new();
    for (id, row) in rows {
        let kind = u32::from(u16::from_le_bytes([row[4], row[5]]));
        buckets.entry((id ^ kind) % BUCKETS).or_default().extend(row);
    }
    properties.extend(buckets.into_iter().map(|(bucket, rows)| bytes(0x1000 + bucket as u16, &rows)));
    properties
}

fn double(id: u16, value: f64) -> Property {
    (tag(id, DOUBLE), value.to_le_bytes().to_vec())
}

/// Several values behind their number and the places that they begin at ([MS-PST] 2.3.3.4.2).
fn several(id: u16, kind: u16, values: &[Vec<u8>]) -> Property {
    let mut at = 4 + 4 * values.len();
    let mut whole = (values.len() as u32).to_le_bytes().to_vec();
    for value in values {
        whole.extend((at as u32).to_le_bytes());
        at += value.len();
    }
    whole.extend(values.concat());
    (tag(id, kind), whole)
}

fn utf16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

/// A thing of a class, with what all things have.
fn thing(number: u32, class: &str, subject: &str, properties: Vec<Property>) -> Letter {
    let changed = ticks(datetime!(2026-02-10 16:20 UTC));
    let of_all = vec![
        text(0x001a, class),
        text(0x0037, subject),
        int(0x0e07, 1),
        int(0x0e08, 1000),
        time(0x3007, changed),
        time(0x3008, changed),
        bytes(0x300b, format!("saltmarsh {number:06}").as_bytes()),
    ];
    let properties = of_all.into_iter().chain(properties).collect();
    Letter { number: FIRST + number * STEP, is_read: true, is_sent: false, attached: None, properties }
}

/// All folders of them.
pub(super) fn folders() -> Vec<Things> {
    let folder = |number, name, kind, things| Things { number, name, kind, things };
    vec![
        folder(CONTACTS, "Contacts", "IPF.Contact", people()),
        folder(CALENDAR, "Calendar", "IPF.Appointment", events()),
        folder(TASKS, "Tasks", "IPF.Task", vec![task()]),
        folder(NOTES, "Notes", "IPF.StickyNote", vec![note()]),
    ]
}

fn people() -> Vec<Letter> {
    let email = |address: &str| {
        let named = |number: u32, value: &str| text(id_of(OF_ADDRESS, number), value);
        [named(0x8080, address), named(0x8082, "SMTP"), named(0x8083, address)]
    };
    let ines = [
        text(0x3001, "Ines Albrecht"),
        text(id_of(OF_ADDRESS, 0x8005), "Albrecht, Ines"),
        text(0x3a06, "Ines"),
        text(0x3a11, "Albrecht"),
        text(0x3a16, "Windrose Sailmakers"),
        text(0x3a17, "Sailmaker"),
        text(0x3a08, "+44 1555 010 20"),
        text(0x3a1c, "+44 7555 010 21"),
        text(0x3a5d, "3 Dyke Road"),
        text(0x3a59, "Saltmarsh"),
        text(0x3a5b, "SM1 4KT"),
        time(0x3a42, ticks(midnight(date!(1979 - 03 - 07)))),
        text(0x1000, "Cuts ripstop; by the metre.\r\nAsk for \u{fc}berbreit."),
        several(
            FIRST_NAMED + NAMED.len() as u16,
            SEVERAL_TEXTS,
            &[utf16("Suppliers"), utf16("Fair, spring")],
        ),
    ];
    let owen = [text(0x3001, "Owen Tarrant"), text(0x3a06, "Owen"), text(0x3a11, "Tarrant")];
    // Members stand for themselves ([MS-OXCDATA] 2.2.5.1).
    let member = |name: &str, address: &str| {
        const MARK: [u8; 16] =
            [0x81, 0x2b, 0x1f, 0xa4, 0xbe, 0xa3, 0x10, 0x19, 0x9d, 0x6e, 0x00, 0xdd, 0x01, 0x0f, 0x54, 0x02];
        let words = utf16(&format!("{name}\0SMTP\0{address}\0"));
        [&[0; 4][..], &MARK, &[0, 0, 1, 0x90], &words].concat()
    };
    let members =
        [member("Ines Albrecht", "ines@windrose.example"), member("Piet Visser", "piet@saltmarsh.example")];
    let list = vec![
        text(0x3001, "Stall holders"),
        text(id_of(OF_ADDRESS, 0x8053), "Stall holders"),
        several(id_of(OF_ADDRESS, 0x8054), SEVERAL_BYTES, &members),
    ];
    vec![
        thing(
            0,
            "IPM.Contact",
            "Ines Albrecht",
            ines.into_iter().chain(email("ines@windrose.example")).collect(),
        ),
        thing(
            1,
            "IPM.Contact",
            "Owen Tarrant",
            owen.into_iter().chain(email("owen@saltmarsh.example")).collect(),
        ),
        thing(2, "IPM.DistList", "Stall holders", list),
    ]
}

fn midnight(day: Date) -> OffsetDateTime {
    day.midnight().assume_utc()
}

fn events() -> Vec<Letter> {
    let of = |number: u32| id_of(OF_APPOINTMENT, number);
    let event = |begin: OffsetDateTime, end: OffsetDateTime, place: &str| {
        vec![
            text(of(0x8208), place),
            time(of(0x820d), ticks(begin)),
            time(of(0x820e), ticks(end)),
            bytes(of(0x825e), &zone()),
            int(of(0x8205), 2),
        ]
    };
    let mut fair = event(datetime!(2026-07-04 9:00 UTC), datetime!(2026-07-04 16:30 UTC), "Harbour green");
    fair.push(int(id_of(OF_ALL, 0x8501), 30));
    fair.push(flag(id_of(OF_ALL, 0x8503), true));
    fair.push(text(0x1000, "Bring the tall poles."));
    let mut course = event(
        datetime!(2026-02-03 18:00 UTC),
        datetime!(2026-02-03 20:00 UTC),
        "Workshop \u{fc}ber dem Laden",
    );
    course.push(flag(of(0x8223), true));
    course.push(bytes(of(0x8216), &every_tuesday()));
    let mut closed = event(datetime!(2026-08-09 23:00 UTC), datetime!(2026-08-14 23:00 UTC), "");
    closed.push(flag(of(0x8215), true));
    vec![
        thing(3, "IPM.Appointment", "Summer kite fair", fair),
        thing(4, "IPM.Appointment", "Sewing course", course),
        thing(5, "IPM.Appointment", "Workshop closed", closed),
    ]
}

/// The clocks of Saltmarsh, with summer time ([MS-OXOCAL] 2.2.1.41).
fn zone() -> Vec<u8> {
    let name = utf16("GMT Standard Time");
    let mut zone = vec![2, 1];
    zone.extend((name.len() as u16 + 6).to_le_bytes());
    zone.extend([2, 0]);
    zone.extend((name.len() as u16 / 2).to_le_bytes());
    zone.extend(name);
    zone.extend([1, 0]);
    // One rule, which is in force.
    zone.extend([2, 1, 0x3e, 0, 2, 0]);
    zone.extend(2026_u16.to_le_bytes());
    zone.extend([0; 14]);
    zone.extend([0_i32, 0, -60].into_iter().flat_map(i32::to_le_bytes));
    // The last Sunday of October at two, and that of March at one.
    for change in [[0_u16, 10, 0, 5, 2, 0, 0, 0], [0, 3, 0, 5, 1, 0, 0, 0]] {
        zone.extend(change.into_iter().flat_map(u16::to_le_bytes));
    }
    zone
}

/// Ten Tuesdays from six to eight, one of which is left out, and another an hour later in another place
/// ([MS-OXOCAL] 2.2.1.44).
fn every_tuesday() -> Vec<u8> {
    let minutes = |day: Date| {
        let days = (day - date!(1601 - 01 - 01)).whole_days();
        u32::try_from(days * 24 * 60).unwrap_or_default()
    };
    let (left_out, moved) = (minutes(date!(2026 - 02 - 17)), minutes(date!(2026 - 02 - 24)));
    let first = minutes(date!(2026 - 02 - 03));
    let mut blob: Vec<u8> =
        [0x3004_u16, 0x3004, 0x200b, 1, 0].into_iter().flat_map(u16::to_le_bytes).collect();
    let longs = |blob: &mut Vec<u8>, values: &[u32]| {
        blob.extend(values.iter().flat_map(|value| value.to_le_bytes()));
    };
    // On Tuesdays, ten times; weeks begin on Monday.
    longs(&mut blob, &[first, 1, 0, 1 << 2, 0x2022, 10, 1]);
    longs(&mut blob, &[2, left_out, moved, 1, moved]);
    longs(&mut blob, &[first, minutes(date!(2026 - 04 - 07))]);
    longs(&mut blob, &[0x3006, 0x3009, 18 * 60, 20 * 60]);
    blob.extend(1_u16.to_le_bytes());
    longs(&mut blob, &[moved + 19 * 60, moved + 21 * 60, moved + 18 * 60]);
    let place = "Net loft";
    blob.extend(0x10_u16.to_le_bytes());
    blob.extend((place.len() as u16 + 1).to_le_bytes());
    blob.extend((place.len() as u16).to_le_bytes());
    blob.extend(place.as_bytes());
    longs(&mut blob, &[0]);
    // The same in full.
    longs(&mut blob, &[4, 0, 0]);
    longs(&mut blob, &[moved + 19 * 60, moved + 21 * 60, moved + 18 * 60]);
    blob.extend((place.len() as u16).to_le_bytes());
    blob.extend(utf16(place));
    longs(&mut blob, &[0, 0]);
    blob
}

fn task() -> Letter {
    let of = |number: u32| id_of(OF_TASK, number);
    let properties = vec![
        int(of(0x8101), 1),
        double(of(0x8102), 0.25),
        time(of(0x8105), ticks(midnight(date!(2026 - 06 - 30)))),
        int(0x0017, 2),
        text(0x1000, "Twelve spars, 12 mm."),
    ];
    thing(6, "IPM.Task", "Order carbon spars", properties)
}

fn note() -> Letter {
    thing(
        7,
        "IPM.StickyNote",
        "Key of the net loft",
        vec![text(0x1000, "Key of the net loft\r\nis with Bram.")],
    )
}
