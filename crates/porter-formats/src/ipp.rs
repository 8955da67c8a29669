//! Messages of the Internet Printing Protocol: requests and answers, without how they travel (RFC 8010, with
//! the tags of its section 3.5).

use crate::FormatError;

/// Its name in errors.
const WHAT: &str = "an IPP message";
/// A server that sends more attributes is not believed.
const MOST_ATTRIBUTES: usize = 100_000;

/// A request, or an answer to one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// The operation of a request; the status of an answer.
    pub code: u16,
    /// The same in a request and its answer.
    pub request_id: u32,
    /// In the order of the message.
    pub groups: Vec<Group>,
}

/// Attributes about one thing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    /// The thing that they are about.
    pub about: About,
    /// In the order of the message.
    pub attributes: Vec<Attribute>,
}

/// The thing that a group of attributes is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum About {
    /// The operation.
    Operation,
    /// A print job.
    Job,
    /// A printer.
    Printer,
    /// Attributes that the server does not take.
    Unsupported,
    /// Anything else, by its tag.
    Other(u8),
}

/// A name with its values.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attribute {
    /// Its name.
    pub name: String,
    /// One, or several.
    pub values: Vec<Value>,
}

/// A value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// A number with a sign.
    Integer(i32),
    /// One of a list of numbers.
    Enum(i32),
    /// Yes or no.
    Boolean(bool),
    /// Text of one of these kinds.
    Text(TextKind, String),
    /// Anything else: its tag and its bytes.
    Other(u8, Vec<u8>),
}

/// The kinds of text. (The two with a language in them are read without it.)
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TextKind {
    /// For people.
    Text = 0x41,
    /// The name of something.
    Name = 0x42,
    /// A word of the protocol.
    Keyword = 0x44,
    /// An address.
    Uri = 0x45,
    /// A name of a character set.
    Charset = 0x47,
    /// A language.
    Language = 0x48,
    /// A type of documents.
    MimeType = 0x49,
}

const END: u8 = 3;
const INTEGER: u8 = 0x21;
const BOOLEAN: u8 = 0x22;
const ENUM: u8 = 0x23;
const TEXT_WITH_LANGUAGE: u8 = 0x35;
const NAME_WITH_LANGUAGE: u8 = 0x36;
/// Tags below this one begin groups.
const FIRST_VALUE: u8 = 0x10;

impl About {
    const fn tag(self) -> u8 {
        match self {
            Self::Operation => 1,
            Self::Job => 2,
            Self::Printer => 4,
            Self::Unsupported => 5,
            Self::Other(tag) => tag,
        }
    }

    const fn of_tag(tag: u8) -> Self {
        match tag {
            1 => Self::Operation,
            2 => Self::Job,
            4 => Self::Printer,
            5 => Self::Unsupported,
            other => Self::Other(other),
        }
    }
}

impl Value {
    fn tag(&self) -> u8 {
        match self {
            Self::Integer(_) => INTEGER,
            Self::Boolean(_) => BOOLEAN,
            Self::Enum(_) => ENUM,
            Self::Text(kind, _) => *kind as u8,
            Self::Other(tag, _) => *tag,
        }
    }

    fn bytes(&self) -> Vec<u8> {
        match self {
            Self::Integer(number) | Self::Enum(number) => number.to_be_bytes().to_vec(),
            Self::Boolean(yes) => vec![u8::from(*yes)],
            Self::Text(_, text) => text.as_bytes().to_vec(),
            Self::Other(_, bytes) => bytes.clone(),
        }
    }

    fn from_bytes(tag: u8, bytes: &[u8]) -> Option<Self> {
        let text = |kind, bytes: &[u8]| Self::Text(kind, String::from_utf8_lossy(bytes).into_owned());
        let number = || bytes.try_into().ok().map(i32::from_be_bytes);
        // Language and text, each behind its length.
        let behind_language = || {
            let (length, rest) = bytes.split_first_chunk::<2>()?;
            let rest = rest.get(usize::from(u16::from_be_bytes(*length))..)?;
            let (length, rest) = rest.split_first_chunk::<2>()?;
            rest.get(..usize::from(u16::from_be_bytes(*length)))
        };
        Some(match tag {
            INTEGER => Self::Integer(number()?),
            ENUM => Self::Enum(number()?),
            BOOLEAN => match bytes {
                [yes] => Self::Boolean(*yes != 0),
                _ => return None,
            },
            0x41 => text(TextKind::Text, bytes),
            0x42 => text(TextKind::Name, bytes),
            0x44 => text(TextKind::Keyword, bytes),
            0x45 => text(TextKind::Uri, bytes),
            0x47 => text(TextKind::Charset, bytes),
            0x48 => text(TextKind::Language, bytes),
            0x49 => text(TextKind::MimeType, bytes),
            TEXT_WITH_LANGUAGE => text(TextKind::Text, behind_language()?),
            NAME_WITH_LANGUAGE => text(TextKind::Name, behind_language()?),
            other => Self::Other(other, bytes.to_vec()),
        })
    }

    /// The text, if it is one.
    pub fn text(&self) -> Option<&str> {
        match self {
            Self::Text(_, text) => Some(text),
            _ => None,
        }
    }

    /// The number, if it is one.
    pub const fn number(&self) -> Option<i32> {
        match self {
            Self::Integer(number) | Self::Enum(number) => Some(*number),
            _ => None,
        }
    }
}

impl Attribute {
    /// With one value.
    pub fn one(name: &str, value: Value) -> Self {
        Self { name: name.to_owned(), values: vec![value] }
    }

    /// With texts of one kind.
    pub fn texts<'t>(name: &str, kind: TextKind, texts: impl IntoIterator<Item = &'t str>) -> Self {
        let values = texts.into_iter().map(|text| Value::Text(kind, text.to_owned())).collect();
        Self { name: name.to_owned(), values }
    }
}

impl Group {
    /// The values of an attribute; empty if it is not there.
    pub fn values(&self, name: &str) -> &[Value] {
        self.attributes
            .iter()
            .find(|known| known.name == name)
            .map(|known| &*known.values)
            .unwrap_or_default()
    }

    /// The first text of an attribute.
    pub fn text(&self, name: &str) -> Option<&str> {
        self.values(name).first()?.text()
    }

    /// All texts of an attribute.
    pub fn texts(&self, name: &str) -> Vec<&str> {
        self.values(name).iter().filter_map(Value::text).collect()
    }
}

impl Message {
    /// A request in English and UTF-8.
    pub fn request(operation: u16, attributes: Vec<Attribute>) -> Self {
        let word = |name: &str, kind, text: &str| Attribute::one(name, Value::Text(kind, text.to_owned()));
        let mut first = vec![
            word("attributes-charset", TextKind::Charset, "utf-8"),
            word("attributes-natural-language", TextKind::Language, "en"),
        ];
        first.extend(attributes);
        let operation_group = Group { about: About::Operation, attributes: first };
        Self { code: operation, request_id: 1, groups: vec![operation_group] }
    }

    /// The same with attributes of a printer.
    #[must_use]
    pub fn with_printer(mut self, attributes: Vec<Attribute>) -> Self {
        self.groups.push(Group { about: About::Printer, attributes });
        self
    }

    /// Fails for a name or a value that is longer than the protocol can say.
    pub fn to_bytes(&self) -> Result<Vec<u8>, FormatError> {
        let mut bytes = vec![2, 0];
        bytes.extend(self.code.to_be_bytes());
        bytes.extend(self.request_id.to_be_bytes());
        let put = |bytes: &mut Vec<u8>, part: &[u8]| -> Result<(), FormatError> {
            let length = u16::try_from(part.len())
                .map_err(|_| FormatError::damaged(WHAT, format!("a value of {} bytes", part.len())))?;
            bytes.extend(length.to_be_bytes());
            bytes.extend(part);
            Ok(())
        };
        for group in &self.groups {
            bytes.push(group.about.tag());
            for attribute in &group.attributes {
                for (at, value) in attribute.values.iter().enumerate() {
                    bytes.push(value.tag());
                    // A further value of the same attribute has no name.
                    put(&mut bytes, if at == 0 { attribute.name.as_bytes() } else { b"" })?;
                    put(&mut bytes, &value.bytes())?;
                }
            }
        }
        bytes.push(END);
        Ok(bytes)
    }

    /// Reads a message, and returns what follows it: a document.
    pub fn from_bytes(bytes: &[u8]) -> Result<(Self, &[u8]), FormatError> {
        let cut_off = || FormatError::damaged(WHAT, "it is cut off");
        let (head, mut rest) = bytes.split_first_chunk::<8>().ok_or_else(cut_off)?;
        if !(1..=2).contains(&head[0]) {
            let version = format!("{}.{}", head[0], head[1]);
            return Err(FormatError::Unsupported { what: "IPP", version });
        }
        let code = u16::from_be_bytes([head[2], head[3]]);
        let request_id = u32::from_be_bytes([head[4], head[5], head[6], head[7]]);
        let mut groups: Vec<Group> = Vec::new();
        let mut count = 0;
        fn part<'b>(rest: &mut &'b [u8]) -> Option<&'b [u8]> {
            let (length, more) = rest.split_first_chunk::<2>()?;
            let (part, more) = more.split_at_checked(usize::from(u16::from_be_bytes(*length)))?;
            *rest = more;
            Some(part)
        }
        loop {
            let (tag, more) = rest.split_first().ok_or_else(cut_off)?;
            rest = more;
            if *tag == END {
                return Ok((Self { code, request_id, groups }, rest));
            }
            if *tag < FIRST_VALUE {
                groups.push(Group { about: About::of_tag(*tag), attributes: Vec::new() });
                continue;
            }
            let name = part(&mut rest).ok_or_else(cut_off)?;
            let value = part(&mut rest).ok_or_else(cut_off)?;
            let value = Value::from_bytes(*tag, value)
                .ok_or_else(|| FormatError::damaged(WHAT, format!("a value of tag {tag:#x}")))?;
            count += 1;
            let group = groups.last_mut().filter(|_| count <= MOST_ATTRIBUTES);
            let group = group.ok_or_else(|| FormatError::damaged(WHAT, "values that are about nothing"))?;
            match group.attributes.last_mut() {
                Some(last) if name.is_empty() => last.values.push(value),
                _ => {
                    let name = String::from_utf8_lossy(name).into_owned();
                    group.attributes.push(Attribute { name, values: vec![value] });
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_request_is_as_the_standard_writes_it_and_comes_back() {
        let attributes = vec![
            Attribute::texts("printer-uri", TextKind::Uri, ["ipp://localhost/printers/a"]),
            Attribute::texts("requesting-user-name-denied", TextKind::Name, ["bram", "Zoë"]),
            Attribute::one("printer-state", Value::Enum(3)),
            Attribute::one("printer-is-shared", Value::Boolean(true)),
            Attribute::one("job-k-limit", Value::Integer(-1)),
            Attribute::one("x", Value::Other(0x33, vec![0; 8])),
        ];
        let message = Message::request(0x4003, Vec::new()).with_printer(attributes);
        let mut bytes = message.to_bytes().unwrap();
        // RFC 8010, section 3.1: version, operation, id, the group's tag, the first attribute.
        assert_eq!(bytes[..9], [2, 0, 0x40, 3, 0, 0, 0, 1, 1]);
        assert_eq!(bytes[9..12], [0x47, 0, 18]);
        bytes.extend(b"a document");
        let (back, document) = Message::from_bytes(&bytes).unwrap();
        assert_eq!((back, document), (message, &b"a document"[..]));
        for end in 0..bytes.len() - 11 {
            assert!(Message::from_bytes(&bytes[..end]).is_err(), "{end}");
        }
        // Two texts, the first a language, as some servers send names.
        let name = [&[0x36, 0, 1, b'n', 0, 9][..], &[0, 2], b"en", &[0, 3], b"Ada"].concat();
        let answer = [&[1, 1, 0, 0, 0, 0, 0, 1, 4][..], &name, &[3]].concat();
        assert_eq!(Message::from_bytes(&answer).unwrap().0.groups[0].text("n"), Some("Ada"));
        let without_group = [&[1, 1, 0, 0, 0, 0, 0, 1][..], &name, &[3]].concat();
        assert!(Message::from_bytes(&without_group).is_err());
        let long = "x".repeat(70_000);
        let message = Message::request(1, vec![Attribute::texts("n", TextKind::Text, [long.as_str()])]);
        assert!(message.to_bytes().is_err());
    }
}
