//! A thing of Outlook as it travels in one file of a letter (`winmail.dat`, [MS-OXTNEF]): attributes of its
//! own, and in two of them the properties that Outlook's other files have.

use super::mapi::letter::Letter;
use super::mapi::properties::{
    BYTES, Holder, INT_32, NodeData, OBJECT, Properties, SEVERAL, TEXT, TEXT_OF_CODE_PAGE, TIME, Value,
    packed,
};
use super::mapi::thing::{ATTACHMENT, RECIPIENTS, Thing};
use super::mapi::{Name, Names, Set};
use crate::{FormatError, encoding};
use std::collections::BTreeMap;
use time::{Date, Month, PrimitiveDateTime, Time};

const WHAT: &str = "letter of Outlook";
const MAGIC: [u8; 4] = [0x78, 0x9f, 0x3e, 0x22];
/// Attributes ([MS-OXTNEF] 2.1.2), by their number without the type.
const CODE_PAGE: u16 = 0x9007;
const CLASS: u16 = 0x8008;
const SUBJECT: u16 = 0x8004;
const BODY: u16 = 0x800c;
const SENT: u16 = 0x8005;
const RECEIVED: u16 = 0x8006;
const PROPERTIES: u16 = 0x9003;
const PEOPLE: u16 = 0x9004;
const FILE_BEGINS: u16 = 0x9002;
const FILE_NAME: u16 = 0x8010;
const FILE_CONTENT: u16 = 0x800f;
const FILE_PROPERTIES: u16 = 0x9005;
/// Before a class of today, in files of old programs.
const OLD_CLASS: &str = "IPM.Microsoft Mail.";
/// Properties.
const OF_CLASS: u16 = 0x001a;
const OF_SUBJECT: u16 = 0x0037;
const OF_SENT: u16 = 0x0039;
const OF_RECEIVED: u16 = 0x0e06;
const OF_BODY: u16 = 0x1000;
const OF_CONTENT: u16 = 0x3701;
const OF_METHOD: u16 = 0x3705;
const OF_SHORT_NAME: u16 = 0x3704;
/// A number of a property that a program has given a name to.
const FIRST_NAMED: u16 = 0x8000;
/// `IID_IMessage`: behind it another such file stands.
const OF_LETTER: [u8; 16] = [7, 3, 2, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46];
/// Letters in letters: more than people send.
const DEEPEST: usize = 16;
/// No list of properties, people or files is longer.
const MOST_ROWS: usize = 1 << 16;

/// See the module.
#[derive(Debug, Default)]
pub struct TnefFile {
    nodes: Vec<Node>,
    names: BTreeMap<u16, Name>,
    listed: Names,
    root: usize,
}

#[derive(Debug)]
enum Node {
    Bytes(Vec<u8>),
    Thing(Properties),
    People(Vec<Properties>),
}

fn wrong(detail: impl ToString) -> FormatError {
    FormatError::damaged(WHAT, detail)
}

/// True for the beginning of such a file.
pub fn may_be_one(beginning: &[u8]) -> bool {
    beginning.starts_with(&MAGIC)
}

/// The letter in such a file as other programs read it; none if it is no such file.
pub fn letter_in(file: &[u8]) -> Option<Vec<u8>> {
    let file = TnefFile::open(file).ok()?;
    let mut letter = Vec::new();
    Letter::from(file.thing().ok()?).write(&mut letter).ok()?;
    Some(letter)
}

impl TnefFile {
    /// Reads all of it. Attributes behind one that is cut off are lost; their sums are not looked at, as many
    /// programs write wrong ones.
    pub fn open(file: &[u8]) -> Result<Self, FormatError> {
        let mut read = Self::default();
        read.root = read.read(file, 0)?;
        read.listed = Names::of(read.names.iter().map(|(id, name)| (name.clone(), *id)));
        Ok(read)
    }

    /// Its content.
    pub fn thing(&self) -> Result<Thing<'_>, FormatError> {
        Thing::load(self, 1, Self::place(self.root), 1252)
    }

    fn place(number: usize) -> NodeData {
        NodeData { data: number as u64 + 1, below: 0 }
    }

    fn add(&mut self, node: Node) -> usize {
        self.nodes.push(node);
        self.nodes.len() - 1
    }

    fn node(&self, data: u64) -> Result<&Node, FormatError> {
        let at = usize::try_from(data).ok().and_then(|data| data.checked_sub(1));
        at.and_then(|at| self.nodes.get(at)).ok_or_else(|| wrong("something is not in it"))
    }

    fn read(&mut self, file: &[u8], depth: usize) -> Result<usize, FormatError> {
        if !may_be_one(file) || depth > DEEPEST {
            return Err(wrong("it does not begin as one"));
        }
        let mut thing = Properties { code_page: 1252, ..Properties::default() };
        let mut files: Vec<Properties> = Vec::new();
        let mut rest = Bytes(file.get(6..).unwrap_or_default());
        while let Some((id, content)) = rest.attribute() {
            let code_page = thing.code_page;
            let text = |of: u16| (of, (TEXT_OF_CODE_PAGE, Value::Here(content.to_vec())));
            match id {
                CODE_PAGE => thing.code_page = Bytes(content).u32().unwrap_or(code_page),
                CLASS => {
                    let class = encoding::of_code_page(content, 1252);
                    let class = class.trim_end_matches('\0');
                    let class =
                        class.strip_prefix(OLD_CLASS).map_or(class.to_owned(), |own| format!("IPM.{own}"));
                    // The properties count.
                    let value = (TEXT_OF_CODE_PAGE, Value::Here(class.into_bytes()));
                    thing.values.entry(OF_CLASS).or_insert(value);
                }
                SUBJECT => thing.values.extend([text(OF_SUBJECT)]),
                BODY => thing.values.extend([text(OF_BODY)]),
                SENT | RECEIVED => {
                    let of = if id == SENT { OF_SENT } else { OF_RECEIVED };
                    let value = time_of(content).map(|time| (TIME, Value::Here(time.to_le_bytes().to_vec())));
                    thing.values.extend(value.map(|value| (of, value)));
                }
                PROPERTIES => {
                    let found = self.properties_in(&mut Bytes(content), depth);
                    thing.values.extend(found);
                }
                PEOPLE => {
                    let people = self.people_in(content, code_page, depth);
                    let people = self.add(Node::People(people));
                    thing.below.insert(RECIPIENTS, Self::place(people));
                }
                FILE_BEGINS if files.len() < MOST_ROWS => {
                    files.push(Properties { code_page, ..Properties::default() });
                }
                FILE_NAME | FILE_CONTENT | FILE_PROPERTIES => {
                    let found = match id {
                        FILE_PROPERTIES => self.properties_in(&mut Bytes(content), depth),
                        FILE_NAME => BTreeMap::from([text(OF_SHORT_NAME)]),
                        _ => {
                            let content = self.add(Node::Bytes(content.to_vec()));
                            BTreeMap::from([(OF_CONTENT, (BYTES, Value::Node(Self::place(content))))])
                        }
                    };
                    let Some(file) = files.last_mut() else { continue };
                    // An own content is whole; where a letter is the file, it only says so in words.
                    let is_whole = file.values.contains_key(&OF_CONTENT);
                    file.values.extend(found.into_iter().filter(|(id, (_, value))| {
                        *id != OF_CONTENT || !is_whole || is_thing(&self.nodes, value)
                    }));
                }
                _ => {}
            }
        }
        for (number, mut file) in (1_u32..).zip(files) {
            // Without a word about it, its content stands in it.
            let method = (INT_32, Value::Here(1_u32.to_le_bytes().to_vec()));
            file.values.entry(OF_METHOD).or_insert(method);
            let file = self.add(Node::Thing(file));
            thing.below.insert(number << 5 | ATTACHMENT, Self::place(file));
        }
        Ok(self.add(Node::Thing(thing)))
    }

    fn people_in(&mut self, content: &[u8], code_page: u32, depth: usize) -> Vec<Properties> {
        let mut rest = Bytes(content);
        let number = rest.u32().unwrap_or_default().min(MOST_ROWS as u32);
        let mut people = Vec::new();
        for _ in 0..number {
            // A row has its own number first.
            if rest.0.len() < 4 {
                break;
            }
            let values = self.properties_in(&mut rest, depth);
            people.push(Properties { values, code_page, ..Properties::default() });
        }
        people
    }

    /// A list of properties ([MS-OXTNEF] 2.1.3.4). It ends with the first that cannot be read.
    fn properties_in(&mut self, rest: &mut Bytes<'_>, depth: usize) -> BTreeMap<u16, (u16, Value)> {
        let number = rest.u32().unwrap_or_default().min(MOST_ROWS as u32);
        let mut found = BTreeMap::new();
        for _ in 0..number {
            match self.property_in(rest, depth) {
                Some((id, value)) => {
                    found.insert(id, value);
                }
                None => break,
            }
        }
        found
    }

    fn property_in(&mut self, rest: &mut Bytes<'_>, depth: usize) -> Option<(u16, (u16, Value))> {
        let (kind, id) = (rest.u16()?, rest.u16()?);
        if id >= FIRST_NAMED {
            let set: Set = rest.take(16)?.try_into().ok()?;
            let name = match rest.u32()? {
                0 => Name::Number(set, rest.u32()?),
                _ => Name::Text(set, encoding::utf16(rest.sized()?).trim_end_matches('\0').to_owned()),
            };
            self.names.insert(id, name);
        }
        let one = kind & !SEVERAL;
        let value = match one {
            TEXT | TEXT_OF_CODE_PAGE | BYTES | OBJECT => {
                let number = rest.u32()?.min(MOST_ROWS as u32);
                let mut values = Vec::new();
                for _ in 0..number {
                    values.push(rest.sized()?);
                }
                match (kind & SEVERAL != 0, values.as_slice()) {
                    (true, values) => Value::Here(packed(values)),
                    (false, [content, ..]) if one == OBJECT => self.object(content, depth),
                    (false, [content, ..]) if content.len() > 4096 => {
                        let content = self.add(Node::Bytes(content.to_vec()));
                        Value::Node(Self::place(content))
                    }
                    (false, [content, ..]) => Value::Here(content.to_vec()),
                    (false, []) => return None,
                }
            }
            _ => {
                let length = match one {
                    0x0002 | 0x000b => 2,
                    0x0003 | 0x0004 | 0x000a => 4,
                    0x0005..=0x0007 | 0x0014 | TIME => 8,
                    0x0048 => 16,
                    0x0001 => 0,
                    _ => return None,
                };
                let number = if kind & SEVERAL == 0 { 1 } else { rest.u32()?.min(MOST_ROWS as u32) as usize };
                let bytes = rest.padded(length * number)?.to_vec();
                // A short value fills four bytes elsewhere.
                let short = if bytes.len() == 2 { [bytes, vec![0, 0]].concat() } else { bytes };
                Value::Here(short)
            }
        };
        Some((id, (kind, value)))
    }

    /// The rest behind the name of its interface: another such file, or bytes.
    fn object(&mut self, content: &[u8], depth: usize) -> Value {
        let (interface, content) = content.split_at(content.len().min(OF_LETTER.len()));
        let letter = if interface == OF_LETTER { self.read(content, depth + 1).ok() } else { None };
        let node = match letter {
            Some(letter) => letter,
            None => self.add(Node::Bytes(content.to_vec())),
        };
        Value::Node(Self::place(node))
    }
}

fn is_thing(nodes: &[Node], value: &Value) -> bool {
    let Value::Node(NodeData { data, .. }) = value else { return false };
    let at = usize::try_from(*data).ok().and_then(|data| data.checked_sub(1));
    matches!(at.and_then(|at| nodes.get(at)), Some(Node::Thing(_)))
}

/// Numbers for year, month, day, hour, minute and second, as a `FILETIME`.
fn time_of(content: &[u8]) -> Option<u64> {
    let mut rest = Bytes(content);
    let mut next = || rest.u16();
    let (year, month, day) = (next()?, next()?, next()?);
    let small = |number: u16| u8::try_from(number).ok();
    let month = Month::try_from(small(month)?).ok()?;
    let day = Date::from_calendar_date(i32::from(year), month, small(day)?).ok()?;
    let time = Time::from_hms(small(next()?)?, small(next()?)?, small(next()?)?).ok()?;
    let seconds = PrimitiveDateTime::new(day, time).assume_utc().unix_timestamp();
    /// From 1601 to 1970.
    const BETWEEN_IN_SECONDS: i64 = 11_644_473_600;
    u64::try_from(seconds.checked_add(BETWEEN_IN_SECONDS)?).ok()?.checked_mul(10_000_000)
}

/// Bytes that are not read yet.
struct Bytes<'b>(&'b [u8]);

impl<'b> Bytes<'b> {
    fn take(&mut self, length: usize) -> Option<&'b [u8]> {
        let (taken, rest) = self.0.split_at_checked(length)?;
        self.0 = rest;
        Some(taken)
    }

    fn u16(&mut self) -> Option<u16> {
        self.take(2)?.try_into().ok().map(u16::from_le_bytes)
    }

    fn u32(&mut self) -> Option<u32> {
        self.take(4)?.try_into().ok().map(u32::from_le_bytes)
    }

    /// The same with the bytes behind it that fill up four.
    fn padded(&mut self, length: usize) -> Option<&'b [u8]> {
        let taken = self.take(length)?;
        // The last one of all may lack them.
        let fill = length.next_multiple_of(4) - length;
        self.0 = self.0.get(fill..).unwrap_or_default();
        Some(taken)
    }

    /// Behind its length.
    fn sized(&mut self) -> Option<&'b [u8]> {
        let length = self.u32()?;
        self.padded(usize::try_from(length).ok()?)
    }

    /// The next attribute: its number and its content. One that is cut off ends them.
    fn attribute(&mut self) -> Option<(u16, &'b [u8])> {
        let level = self.take(1)?;
        let id = self.u16().filter(|_| matches!(level, [1 | 2]))?;
        let _type = self.u16()?;
        let length = usize::try_from(self.u32()?).ok()?;
        let content = self.take(length)?;
        let _sum = self.take(2);
        Some((id, content))
    }
}

impl Holder for TnefFile {
    fn each_piece(&self, data: u64, look: &mut dyn FnMut(&[u8]) -> bool) -> Result<(), FormatError> {
        match self.node(data)? {
            Node::Bytes(bytes) => {
                look(bytes);
                Ok(())
            }
            Node::Thing(_) | Node::People(_) => Err(wrong("a thing is where bytes should be")),
        }
    }

    fn properties(&self, node: NodeData, _code_page: u32) -> Result<Properties, FormatError> {
        match self.node(node.data)? {
            Node::Thing(properties) => Ok(properties.clone()),
            Node::Bytes(_) | Node::People(_) => Err(wrong("bytes are where a thing should be")),
        }
    }

    fn rows(&self, node: NodeData, _code_page: u32) -> Result<Vec<Properties>, FormatError> {
        match self.node(node.data)? {
            Node::People(people) => Ok(people.clone()),
            Node::Bytes(_) | Node::Thing(_) => Err(wrong("no people are there")),
        }
    }

    fn names(&self) -> &Names {
        &self.listed
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mail::parts::readable;
    use base64::Engine;
    use base64::engine::general_purpose::STANDARD;

    fn attribute(level: u8, id: u16, content: &[u8]) -> Vec<u8> {
        let sum: u32 = content.iter().map(|byte| u32::from(*byte)).sum();
        [
            &[level][..],
            &id.to_le_bytes(),
            &[6, 0],
            &(content.len() as u32).to_le_bytes(),
            content,
            &(sum as u16).to_le_bytes(),
        ]
        .concat()
    }

    fn text(id: u16, text: &str) -> Vec<u8> {
        let mut bytes: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        let length = bytes.len() as u32;
        bytes.resize(bytes.len().next_multiple_of(4), 0);
        [&TEXT.to_le_bytes()[..], &id.to_le_bytes(), &1_u32.to_le_bytes(), &length.to_le_bytes(), &bytes]
            .concat()
    }

    fn list(properties: &[Vec<u8>]) -> Vec<u8> {
        [&(properties.len() as u32).to_le_bytes()[..], &properties.concat()].concat()
    }

    fn file(attributes: &[Vec<u8>]) -> Vec<u8> {
        [&MAGIC[..], &[1, 0], &attributes.concat()].concat()
    }

    /// A letter to Bram with a file, and a letter inside.
    fn letter() -> Vec<u8> {
        let inside = file(&[attribute(1, PROPERTIES, &list(&[text(OF_SUBJECT, "Inside")]))]);
        let object = [&OF_LETTER[..], &inside].concat();
        let mut padded = object.clone();
        padded.resize(object.len().next_multiple_of(4), 0);
        let object = [
            &OBJECT.to_le_bytes()[..],
            &OF_CONTENT.to_le_bytes(),
            &1_u32.to_le_bytes(),
            &(object.len() as u32).to_le_bytes(),
            &padded,
        ]
        .concat();
        let method = [&[3, 0][..], &OF_METHOD.to_le_bytes(), &5_u32.to_le_bytes()].concat();
        let bram = list(&[text(0x3001, "Bram"), text(0x39fe, "bram@saltmarsh.example")]);
        let when: Vec<u8> = [2026_u16, 2, 9, 10, 0, 0, 1].into_iter().flat_map(u16::to_le_bytes).collect();
        file(&[
            attribute(1, CODE_PAGE, &[0xe2, 4, 0, 0, 0, 0, 0, 0]),
            attribute(1, CLASS, b"IPM.Microsoft Mail.Note\0"),
            attribute(1, SUBJECT, b"An old subject\0"),
            attribute(1, SENT, &when),
            attribute(1, PEOPLE, &[&1_u32.to_le_bytes()[..], &bram].concat()),
            attribute(
                1,
                PROPERTIES,
                &list(&[text(OF_SUBJECT, "Spars f\u{fc}r Bram"), text(OF_BODY, "Twelve.")]),
            ),
            attribute(2, FILE_BEGINS, &[0; 14]),
            attribute(2, FILE_NAME, b"PLAN~1.PDF\0"),
            attribute(2, FILE_CONTENT, b"%PDF-plan"),
            attribute(2, FILE_PROPERTIES, &list(&[text(0x3707, "The plan.pdf")])),
            attribute(2, FILE_BEGINS, &[0; 14]),
            attribute(2, FILE_PROPERTIES, &list(&[method, object])),
        ])
    }

    #[test]
    fn a_letter_comes_out_with_its_people_files_and_the_letter_inside_and_no_damage_ends_it() {
        let bytes = letter();
        let file = TnefFile::open(&bytes).unwrap();
        let letter = Letter::from(file.thing().unwrap());
        let mut written = Vec::new();
        assert_eq!(letter.write(&mut written).unwrap(), 0);
        let written = String::from_utf8(written).unwrap();
        for part in [
            "To: \"Bram\" <bram@saltmarsh.example>\r\n",
            "Date: Mon, 09 Feb 2026 10:00:00 +0000\r\n",
            "\r\nTwelve.\r\n",
            "filename=\"The plan.pdf\"",
            "\r\nJVBERi1wbGFu\r\n",
            "Content-Type: message/rfc822\r\n",
            "Subject: Inside\r\n",
        ] {
            assert!(written.contains(part), "{part} in {written}");
        }
        assert_eq!(letter.summary().subject, "Spars f\u{fc}r Bram");
        for at in 0..bytes.len() {
            let mut damaged = bytes.clone();
            damaged[at] ^= 0x41;
            for bytes in [&damaged[..], &bytes[..at]] {
                if let Ok(file) = TnefFile::open(bytes)
                    && let Ok(thing) = file.thing()
                {
                    drop(Letter::from(thing).write(&mut std::io::sink()));
                }
            }
        }
        assert!(TnefFile::open(b"From ines").is_err());
        let packed = format!(
            "Content-Type: application/ms-tnef; name=winmail.dat\r\nContent-Transfer-Encoding: base64\r\n\r\n{}\r\n",
            STANDARD.encode(&bytes)
        );
        let read = readable(packed.as_bytes());
        let names: Vec<&str> = read.files.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!((read.text.trim(), &names[..2]), ("Twelve.", &["winmail.dat", "The plan.pdf"][..]));
    }
}
