//! A letter, or another thing of Outlook, in a file of its own (`.msg`, [MS-OXMSG]): a compound file in which
//! each long property is a stream, and each file at a letter a storage.

use super::mapi::Names;
use super::mapi::properties::{
    Holder, NodeData, Properties, Value, is_of_eight_bytes, is_several, is_short, packed,
};
use super::mapi::thing::{ATTACHMENT, RECIPIENTS, Thing};
use crate::FormatError;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};

const WHAT: &str = "letter of Outlook";
/// Every compound file begins so.
const MAGIC: [u8; 8] = [0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1];
pub(super) const PROPERTIES: &str = "__properties_version1.0";
pub(super) const NAMES: &str = "__nameid_version1.0";
pub(super) const OF_RECIPIENT: &str = "__recip_version1.0_";
pub(super) const OF_ATTACHMENT: &str = "__attach_version1.0_";
/// The type of a thing in a thing.
const OBJECT: u16 = 0x000d;
const PIECE_IN_BYTES: usize = 1 << 16;
/// No list of values is longer.
const MOST_VALUES: usize = 4096;

type Compound<'f> = cfb::CompoundFile<Cursor<&'f [u8]>>;

/// See the module.
pub struct MsgFile<'f> {
    file: RefCell<Compound<'f>>,
    /// The places that the numbers of data stand for: the first is 1.
    places: RefCell<Vec<PathBuf>>,
    names: Names,
}

fn wrong(detail: impl ToString) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

/// True for the beginning of such a file, and of others of the same kind.
pub fn may_be_one(beginning: &[u8]) -> bool {
    beginning.starts_with(&MAGIC)
}

impl<'f> MsgFile<'f> {
    /// Reads the directory of the file.
    pub fn open(bytes: &'f [u8]) -> Result<Self, FormatError> {
        let mut file = Compound::open(Cursor::new(bytes)).map_err(wrong)?;
        if !file.exists(Path::new("/").join(PROPERTIES)) {
            return Err(wrong("it is another kind of compound file"));
        }
        let [rows, sets, texts] = ["00030102", "00020102", "00040102"].map(|stream| {
            let at = Path::new("/").join(NAMES).join(format!("__substg1.0_{stream}"));
            whole(&mut file, &at).unwrap_or_default()
        });
        let names = Names::from_lists(&rows, &sets, &texts);
        Ok(Self { file: RefCell::new(file), places: RefCell::default(), names })
    }

    /// Its content.
    pub fn thing(&self) -> Result<Thing<'_>, FormatError> {
        let root = self.node(PathBuf::from("/"));
        Thing::load(self, 1, root, 1252)
    }

    fn node(&self, at: PathBuf) -> NodeData {
        let mut places = self.places.borrow_mut();
        places.push(at);
        NodeData { data: places.len() as u64, below: 0 }
    }

    fn place(&self, data: u64) -> Result<PathBuf, FormatError> {
        let at = usize::try_from(data).ok().and_then(|data| data.checked_sub(1));
        let places = self.places.borrow();
        at.and_then(|at| places.get(at).cloned()).ok_or_else(|| wrong("something is not in it"))
    }

    /// The storages below one whose names begin so, in their order.
    fn storages(&self, at: &Path, beginning: &str) -> Vec<PathBuf> {
        let file = self.file.borrow();
        let Ok(rows) = file.read_storage(at) else { return Vec::new() };
        let mut found: Vec<PathBuf> = rows
            .filter(|row| row.is_storage() && row.name().starts_with(beginning))
            .map(|row| row.path().to_path_buf())
            .collect();
        found.sort();
        found
    }

    /// Several values, in the form in which data files keep them.
    fn several(&self, stream: &Path) -> Option<Vec<u8>> {
        let lengths = whole(&mut self.file.borrow_mut(), stream)?;
        let name = stream.file_name()?.to_str()?;
        let mut values = Vec::new();
        for at in 0..MOST_VALUES {
            let one = stream.with_file_name(format!("{name}-{at:08X}"));
            match whole(&mut self.file.borrow_mut(), &one) {
                Some(value) => values.push(value),
                None => break,
            }
        }
        if values.is_empty() && !lengths.is_empty() {
            return None;
        }
        Some(packed(&values))
    }
}

fn whole(file: &mut Compound<'_>, at: &Path) -> Option<Vec<u8>> {
    /// A property that is read as a whole is never longer.
    const MOST_IN_BYTES: u64 = 64 << 20;
    let mut stream = file.open_stream(at).ok()?;
    if stream.len() > MOST_IN_BYTES {
        return None;
    }
    let mut bytes = Vec::new();
    stream.read_to_end(&mut bytes).ok()?;
    Some(bytes)
}

impl Holder for MsgFile<'_> {
    fn each_piece(&self, data: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError> {
        let at = self.place(data)?;
        let mut file = self.file.borrow_mut();
        let mut stream = file.open_stream(&at).map_err(wrong)?;
        let mut piece = vec![0; PIECE_IN_BYTES];
        loop {
            match stream.read(&mut piece).map_err(wrong)? {
                0 => return Ok(()),
                read if look(&piece[..read]) => {}
                _ => return Ok(()),
            }
        }
    }

    fn properties(&self, node: NodeData, code_page: u32) -> Result<Properties, FormatError> {
        let at = self.place(node.data)?;
        let list = whole(&mut self.file.borrow_mut(), &at.join(PROPERTIES));
        let list = list.ok_or_else(|| wrong("a thing in it has no properties"))?;
        let name = at.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let (is_thing, heading_in_bytes) = match name {
            "" => (true, 32),
            name if name.starts_with(OF_RECIPIENT) || name.starts_with(OF_ATTACHMENT) => (false, 8),
            _ => (true, 24),
        };
        let mut found = Properties { values: BTreeMap::new(), below: BTreeMap::new(), code_page };
        for row in list.get(heading_in_bytes..).unwrap_or_default().chunks_exact(16) {
            let (kind, id) = (u16::from_le_bytes([row[0], row[1]]), u16::from_le_bytes([row[2], row[3]]));
            let stream = at.join(format!("__substg1.0_{id:04X}{kind:04X}"));
            let value = match kind {
                kind if is_short(kind) => Some(Value::Here(row[8..12].to_vec())),
                kind if is_of_eight_bytes(kind) => Some(Value::Here(row[8..16].to_vec())),
                kind if is_several(kind) => self.several(&stream).map(Value::Here),
                OBJECT => Some(Value::Node(self.node(stream))),
                _ => self.file.borrow().is_stream(&stream).then(|| Value::Node(self.node(stream))),
            };
            found.values.extend(value.map(|value| (id, (kind, value))));
        }
        if is_thing {
            found.below.insert(RECIPIENTS, node);
            for (number, file) in (1..).zip(self.storages(&at, OF_ATTACHMENT)) {
                found.below.insert(number << 5 | ATTACHMENT, self.node(file));
            }
        }
        Ok(found)
    }

    fn rows(&self, node: NodeData, code_page: u32) -> Result<Vec<Properties>, FormatError> {
        let recipients = self.storages(&self.place(node.data)?, OF_RECIPIENT);
        let read = |at| self.properties(self.node(at), code_page).ok();
        Ok(recipients.into_iter().filter_map(read).collect())
    }

    fn names(&self) -> &Names {
        &self.names
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mail::mapi::letter::Letter;
    use crate::mail::mapi::{contact, thing::ThingKind};
    use std::io::Write;

    fn utf16(text: &str) -> Vec<u8> {
        text.encode_utf16().flat_map(u16::to_le_bytes).collect()
    }

    /// A storage with its list of properties: those of fixed length, and texts.
    fn put(
        file: &mut cfb::CompoundFile<Cursor<Vec<u8>>>,
        at: &str,
        heading_in_bytes: usize,
        numbers: &[(u32, u64)],
        streams: &[(u32, Vec<u8>)],
    ) {
        if at != "/" {
            file.create_storage(at).unwrap();
        }
        let at = at.trim_end_matches('/');
        let mut list = vec![0; heading_in_bytes];
        for (tag, value) in numbers {
            list.extend([&tag.to_le_bytes()[..], &[0; 4], &value.to_le_bytes()].concat());
        }
        for (tag, content) in streams {
            list.extend([&tag.to_le_bytes()[..], &[0; 4], &(content.len() as u64).to_le_bytes()].concat());
            let stream = format!("{at}/__substg1.0_{tag:08X}");
            file.create_stream(stream).unwrap().write_all(content).unwrap();
        }
        file.create_stream(format!("{at}/{PROPERTIES}")).unwrap().write_all(&list).unwrap();
    }

    /// A letter with one file, and one more letter in it; or somebody whose categories have a name.
    fn file_of(class: &str) -> Vec<u8> {
        let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
        let texts = [
            (0x001a_001f, utf16(class)),
            (0x0037_001f, utf16("Spars f\u{fc}r den Rokkaku")),
            (0x1000_001f, utf16("Twelve.\r\n")),
            (0x3001_001f, utf16("Ines Albrecht")),
            (0x8000_101f, [8_u32, 12].into_iter().flat_map(u32::to_le_bytes).collect()),
        ];
        put(&mut file, "/", 32, &[(0x0e07_0003, 0), (0x0039_0040, 133_000_000_000_000_000)], &texts);
        for (at, category) in ["Fair", "Kites"].iter().enumerate() {
            let stream = format!("/__substg1.0_8000101F-{at:08X}");
            file.create_stream(stream).unwrap().write_all(&utf16(category)).unwrap();
        }
        let name = [(0x3001_001f, utf16("Bram")), (0x3003_001f, utf16("bram@saltmarsh.example"))];
        put(&mut file, "/__recip_version1.0_#00000000", 8, &[(0x0c15_0003, 1)], &name);
        let content = [(0x3707_001f, utf16("plan.pdf")), (0x3701_0102, b"%PDF-plan".to_vec())];
        put(&mut file, "/__attach_version1.0_#00000000", 8, &[(0x3705_0003, 1)], &content);
        let inside = "/__attach_version1.0_#00000001";
        put(&mut file, inside, 8, &[(0x3705_0003, 5), (0x3701_000d, 0)], &[(0x3001_001f, utf16("Inside"))]);
        let subject = [(0x0037_001f, utf16("A letter inside")), (0x1000_001f, utf16("Hidden words"))];
        put(&mut file, &format!("{inside}/__substg1.0_3701000D"), 24, &[], &subject);
        file.create_storage(format!("/{NAMES}")).unwrap();
        let keywords = [&16_u32.to_le_bytes()[..], &utf16("Keywords")].concat();
        // The first property with a name: the text at 0, in the second set.
        let row = [0, 0, 0, 0, 5, 0, 0, 0].to_vec();
        for (stream, content) in [("00020102", vec![]), ("00030102", row), ("00040102", keywords)] {
            let at = format!("/{NAMES}/__substg1.0_{stream}");
            file.create_stream(at).unwrap().write_all(&content).unwrap();
        }
        file.flush().unwrap();
        file.into_inner().into_inner()
    }

    #[test]
    fn a_letter_comes_out_with_its_people_its_files_and_the_letter_inside() {
        let bytes = file_of("IPM.Note");
        assert!(may_be_one(&bytes));
        let file = MsgFile::open(&bytes).unwrap();
        let letter = Letter::from(file.thing().unwrap());
        let mut written = Vec::new();
        assert_eq!(letter.write(&mut written).unwrap(), 0);
        let written = String::from_utf8(written).unwrap();
        for part in [
            "To: \"Bram\" <bram@saltmarsh.example>\r\n",
            "Subject: =?utf-8?B?",
            "Date: Sat, 18 Jun 2022 04:26:40 +0000\r\n",
            "\r\nTwelve.\r\n",
            "filename=\"plan.pdf\"",
            "\r\nJVBERi1wbGFu\r\n",
            "Content-Type: message/rfc822\r\n",
            "Subject: A letter inside\r\n",
            "Hidden words",
        ] {
            assert!(written.contains(part), "{part} in {written}");
        }
        assert!(!letter.summary().flags.is_read && letter.summary().subject.ends_with("Rokkaku"));
    }

    #[test]
    fn somebody_comes_out_with_properties_that_have_names_and_no_damage_ends_it() {
        let bytes = file_of("IPM.Contact");
        let file = MsgFile::open(&bytes).unwrap();
        let thing = file.thing().unwrap();
        assert_eq!(thing.kind(), ThingKind::Contact);
        let person = contact::contact(&thing);
        assert_eq!(
            (person.name.as_str(), person.categories),
            ("Ines Albrecht", vec!["Fair".to_owned(), "Kites".to_owned()])
        );
        for at in (0..bytes.len()).step_by(37) {
            let mut damaged = bytes.clone();
            damaged[at] ^= 0x41;
            if let Ok(file) = MsgFile::open(&damaged)
                && let Ok(thing) = file.thing()
            {
                drop(contact::contact(&thing));
                drop(Letter::from(thing).write(&mut std::io::sink()));
            }
        }
        assert!(MsgFile::open(b"From ines").is_err() && MsgFile::open(&bytes[..600]).is_err());
    }

    /// A course on three Tuesdays, of which the second is an hour later, with words of its own.
    fn course() -> Vec<u8> {
        const DAY: u32 = 24 * 60;
        // The third of February of 2026, in days since 1601.
        let first = 155_261 * DAY;
        let moved = first + 7 * DAY;
        let mut blob: Vec<u8> =
            [0x3004_u16, 0x3004, 0x200b, 1, 0].into_iter().flat_map(u16::to_le_bytes).collect();
        let mut longs = |values: &[u32]| values.iter().for_each(|value| blob.extend(value.to_le_bytes()));
        longs(&[first, 1, 0, 1 << 2, 0x2022, 3, 1, 1, moved, 1, moved, first, first + 14 * DAY]);
        longs(&[0x3006, 0x3009, 18 * 60, 20 * 60]);
        blob.extend(1_u16.to_le_bytes());
        let mut longs = |values: &[u32]| values.iter().for_each(|value| blob.extend(value.to_le_bytes()));
        longs(&[moved + 19 * 60, moved + 21 * 60, moved + 18 * 60]);
        blob.extend([0; 2]);
        blob.extend([0_u32, 4, 0, 0].into_iter().flat_map(u32::to_le_bytes));

        let ticks = |minutes: u32| u64::from(minutes) * 60 * 10_000_000;
        let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
        let texts = [
            (0x001a_001f, utf16("IPM.Appointment")),
            (0x0037_001f, utf16("Sewing course")),
            (0x1000_001f, utf16("Bring needles.")),
            (0x8002_0102, blob),
        ];
        let hours = [(0x8000_0040, ticks(first + 18 * 60)), (0x8001_0040, ticks(first + 20 * 60))];
        put(&mut file, "/", 32, &hours, &texts);
        let inside = "/__attach_version1.0_#00000000";
        let begin = (0x7ffb_0040, ticks(moved + 19 * 60));
        put(&mut file, inside, 8, &[(0x3705_0003, 5), (0x3701_000d, 0), begin], &[]);
        let words = [(0x001a_001f, utf16("IPM.OLE.CLASS")), (0x1000_001f, utf16("Bring glue."))];
        put(&mut file, &format!("{inside}/__substg1.0_3701000D"), 24, &[], &words);
        finished_with_names(file, 0x02, &[0x820d, 0x820e, 0x8216])
    }

    /// Names the properties from 0x8000 on, all of one of Outlook's sets.
    fn finished_with_names(
        mut file: cfb::CompoundFile<Cursor<Vec<u8>>>,
        set: u8,
        properties: &[u32],
    ) -> Vec<u8> {
        file.create_storage(format!("/{NAMES}")).unwrap();
        let set = [&[set], &b"\x20\x06\0\0\0\0\0\xc0\0\0\0\0\0\0\x46"[..]].concat();
        let rows = properties.iter().zip(0_u16..);
        let rows = rows
            .flat_map(|(id, at)| [&id.to_le_bytes()[..], &6_u16.to_le_bytes(), &at.to_le_bytes()].concat());
        for (stream, content) in [("00020102", set), ("00030102", rows.collect()), ("00040102", vec![])] {
            let at = format!("/{NAMES}/__substg1.0_{stream}");
            file.create_stream(at).unwrap().write_all(&content).unwrap();
        }
        file.flush().unwrap();
        file.into_inner().into_inner()
    }

    #[test]
    fn a_note_of_work_tells_what_it_was_and_how_long_it_took() {
        let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
        let texts = [
            (0x001a_001f, utf16("IPM.Activity")),
            (0x0037_001f, utf16("Otto about the spars")),
            (0x1000_001f, utf16("He wants twelve.")),
            (0x8000_001f, utf16("Phone call")),
        ];
        let numbers = [
            (0x8001_0040, 133_000_000_000_000_000),
            (0x8002_0003, 25),
            (0x8003_0040, 133_000_015_000_000_000),
        ];
        put(&mut file, "/", 32, &numbers, &texts);
        let bytes = finished_with_names(file, 0x0a, &[0x8700, 0x8706, 0x8707, 0x8708]);
        let file = MsgFile::open(&bytes).unwrap();
        let thing = file.thing().unwrap();
        assert_eq!(thing.kind(), ThingKind::Journal);
        let text = crate::calendar::to_calendar(&[crate::mail::mapi::journal::journal(&thing)]);
        for line in [
            "BEGIN:VJOURNAL\r\n",
            "DTSTART:20220618T042640Z\r\n",
            "SUMMARY:Otto about the spars\r\n",
            "DESCRIPTION:He wants twelve.",
            "COMMENT:Phone call\\, 25 min\r\n",
        ] {
            assert!(text.contains(line), "{line} in {text}");
        }
        assert!(!text.contains("DTEND") && !text.contains("LOCATION"), "a note of work has neither: {text}");
    }

    #[test]
    fn one_of_many_times_has_words_of_its_own() {
        let bytes = course();
        let file = MsgFile::open(&bytes).unwrap();
        let event = crate::mail::mapi::event::event(&file.thing().unwrap()).unwrap();
        let text = crate::calendar::to_calendar(&[event]);
        let times: Vec<&str> = text.split("BEGIN:VEVENT").skip(1).collect();
        assert_eq!(times.len(), 2, "{text}");
        assert!(times[0].contains("RRULE:FREQ=WEEKLY") && times[0].contains("DESCRIPTION:Bring needles."));
        assert!(
            times[1].contains("RECURRENCE-ID:20260210T180000")
                && times[1].contains("DTSTART:20260210T190000")
        );
        assert!(times[1].contains("DESCRIPTION:Bring glue."), "{text}");
    }
}
