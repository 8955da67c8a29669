//! A letter as a file of Outlook's own (`.msg`, [MS-OXMSG]), which Outlook takes in when it is dragged into a
//! folder. Words are Unicode; a letter that was signed or encrypted keeps its content to the byte.

use super::address_list::people_in;
use super::head::{Summary, end_of, lines};
use super::mapi::numbers::ticks;
use super::msg::{NAMES, OF_ATTACHMENT, OF_RECIPIENT, PROPERTIES};
use super::parts::{Leaf, each_leaf};
use crate::encoding;
use std::io::{self, Cursor, Write};
use std::time::SystemTime;
use uuid::Uuid;

/// The streams of names that a file must have, though it gives none.
const OF_NAMES: [&str; 3] = ["00020102", "00030102", "00040102"];
/// Says that the file is a letter ([MS-OXMSG] 2.4).
const CLASS_ID: Uuid = Uuid::from_u128(0x0002_0d0b_0000_0000_c000_0000_0000_0046);
/// A property may be read and written.
const USUAL: u32 = 6;

/// Properties ([MS-OXPROPS]), with their types.
const CLASS: u32 = 0x001a_001f;
const SUBJECT: u32 = 0x0037_001f;
const SENT: u32 = 0x0039_0040;
const FOR_NAME: u32 = 0x0042_001f;
const FOR_TYPE: u32 = 0x0064_001f;
const FOR_ADDRESS: u32 = 0x0065_001f;
const HEADERS: u32 = 0x007d_001f;
const RECIPIENT_TYPE: u32 = 0x0c15_0003;
const SENDER_NAME: u32 = 0x0c1a_001f;
const SENDER_TYPE: u32 = 0x0c1e_001f;
const SENDER_ADDRESS: u32 = 0x0c1f_001f;
const SHOWN: [u32; 3] = [0x0e04_001f, 0x0e03_001f, 0x0e02_001f];
const RECEIVED: u32 = 0x0e06_0040;
const FLAGS: u32 = 0x0e07_0003;
const BARE_SUBJECT: u32 = 0x0e1d_001f;
const NUMBER_OF_FILE: u32 = 0x0e21_0003;
const OBJECT_TYPE: u32 = 0x0ffe_0003;
const BODY: u32 = 0x1000_001f;
const PAGE: u32 = 0x1013_0102;
const MESSAGE_ID: u32 = 0x1035_001f;
const REFERENCES: u32 = 0x1039_001f;
const IN_REPLY_TO: u32 = 0x1042_001f;
const LAST_DONE: u32 = 0x1081_0003;
const MARK: u32 = 0x1090_0003;
const ROW: u32 = 0x3000_0003;
const NAME: u32 = 0x3001_001f;
const ADDRESS_TYPE: u32 = 0x3002_001f;
const ADDRESS: u32 = 0x3003_001f;
const IS_UNICODE: u32 = 0x340d_0003;
const DATA: u32 = 0x3701_0102;
const ENDING: u32 = 0x3703_001f;
const METHOD: u32 = 0x3705_0003;
const FILE_NAME: u32 = 0x3707_001f;
const PLACE_IN_TEXT: u32 = 0x370b_0003;
const MEDIA_TYPE: u32 = 0x370e_001f;
const CONTENT_ID: u32 = 0x3712_001f;
const SMTP_ADDRESS: u32 = 0x39fe_001f;
const CODE_PAGE: u32 = 0x3fde_0003;
const SENDER_SMTP: u32 = 0x5d01_001f;
const FOR_SMTP: u32 = 0x5d02_001f;
const IS_HIDDEN: u32 = 0x7ffe_000b;

const READ: u64 = 1;
const HAS_FILES: u64 = 0x10;
const UTF_8: u32 = 65_001;

/// Writes a letter. `summary` says when it came, and what was done with it.
pub fn to_msg(letter: &[u8], summary: &Summary) -> io::Result<Vec<u8>> {
    let end = end_of(letter);
    let head = lines(&letter[..end]);
    let line = |name: &str| head.iter().find(|(own, _)| own.eq_ignore_ascii_case(name.as_bytes()));
    let value = |name: &str| line(name).map(|(_, value)| value.as_slice()).unwrap_or_default();
    let kind = String::from_utf8_lossy(value("content-type")).to_lowercase();
    let mut content = Content::default();
    match kind.split(';').next().unwrap_or_default().trim() {
        "multipart/signed" => content.sealed(
            "IPM.Note.SMIME.MultipartSigned",
            "multipart/signed",
            [b"Content-Type: ", value("content-type"), b"\r\n", &letter[end..]].concat(),
        ),
        "application/pkcs7-mime" | "application/x-pkcs7-mime" => {
            let mut whole = Vec::new();
            each_leaf(letter, &mut |leaf| whole = leaf.content);
            content.sealed("IPM.Note.SMIME", "application/pkcs7-mime", whole);
        }
        _ => each_leaf(letter, &mut |leaf| content.take(leaf)),
    }
    let mut message = Storage::default();
    message.text(CLASS, content.class);
    message.text(SUBJECT, &summary.subject);
    message.text(BARE_SUBJECT, without_prefix(&summary.subject));
    message.text(HEADERS, &String::from_utf8_lossy(&letter[..end]));
    for (tag, name) in [(MESSAGE_ID, "message-id"), (REFERENCES, "references"), (IN_REPLY_TO, "in-reply-to")]
    {
        message.text(tag, &String::from_utf8_lossy(value(name)));
    }
    if let Some((name, address)) = people_in(value("from")).into_iter().next() {
        let shown = if name.is_empty() { &address } else { &name };
        for (tag, text) in [
            (SENDER_NAME, shown.as_str()),
            (FOR_NAME, shown),
            (SENDER_TYPE, "SMTP"),
            (FOR_TYPE, "SMTP"),
            (SENDER_ADDRESS, &address),
            (FOR_ADDRESS, &address),
            (SENDER_SMTP, &address),
            (FOR_SMTP, &address),
        ] {
            message.text(tag, text);
        }
    }
    let dated_utc = super::head::summary(&letter[..end]).at_utc;
    for (tag, at_utc) in [(SENT, dated_utc.or(summary.at_utc)), (RECEIVED, summary.at_utc.or(dated_utc))] {
        at_utc.and_then(ticks).into_iter().for_each(|ticks| message.number(tag, ticks));
    }
    let flags = summary.flags;
    let has_files = if content.files.is_empty() { 0 } else { HAS_FILES };
    message.number(FLAGS, has_files | if flags.is_read { READ } else { 0 });
    // Who answered it has not forwarded it since.
    let done = [(flags.is_answered, 102), (flags.is_forwarded, 104)];
    if let Some((_, deed)) = done.into_iter().find(|(is, _)| *is) {
        message.number(LAST_DONE, deed);
    }
    if flags.is_starred {
        message.number(MARK, 2);
    }
    message.number(IS_UNICODE, 0x0004_0000);
    message.text(BODY, &content.plain.join("\r\n"));
    if let Some((page, code_page)) = &content.page {
        message.bytes(PAGE, page);
        message.number(CODE_PAGE, u64::from(*code_page));
    }
    let kinds = [("to", 1), ("cc", 2), ("bcc", 3)];
    let people: Vec<(String, String, u64)> = kinds
        .iter()
        .flat_map(|(name, kind)| {
            people_in(value(name)).into_iter().map(|(name, address)| (name, address, *kind))
        })
        .collect();
    for ((_, kind), tag) in kinds.iter().zip(SHOWN) {
        let shown = people.iter().filter(|(.., own)| own == kind);
        let shown = shown.map(|(name, address, _)| if name.is_empty() { address.as_str() } else { name });
        message.text(tag, &shown.collect::<Vec<_>>().join("; "));
    }
    write(&message, &people, &content.files)
}

/// The parts of a letter as Outlook keeps them.
struct Content {
    class: &'static str,
    plain: Vec<String>,
    /// The page, and the code page of its letters.
    page: Option<(Vec<u8>, u32)>,
    files: Vec<Leaf>,
}

impl Default for Content {
    fn default() -> Self {
        Self { class: "IPM.Note", plain: Vec::new(), page: None, files: Vec::new() }
    }
}

impl Content {
    fn take(&mut self, leaf: Leaf) {
        if leaf.is_shown("text/plain") {
            self.plain.push(leaf.text());
        } else if leaf.is_shown("text/html") && self.page.is_none() {
            let charset = leaf.charset.as_deref().unwrap_or("utf-8");
            self.page = Some(match encoding::code_page_of(charset) {
                Some(code_page) => (leaf.content, code_page),
                None => (leaf.text().into_bytes(), UTF_8),
            });
        } else {
            self.files.push(leaf);
        }
    }

    /// A letter of which no byte may change: all of it is one file.
    fn sealed(&mut self, class: &'static str, kind: &str, content: Vec<u8>) {
        self.class = class;
        self.files.push(Leaf {
            kind: kind.to_owned(),
            charset: None,
            name: Some("smime.p7m".to_owned()),
            content_id: None,
            is_attached: true,
            content,
        });
    }
}

/// A subject without what answers and forwarded letters begin with: at most three letters and a colon.
fn without_prefix(subject: &str) -> &str {
    match subject.split_once(':') {
        Some((prefix, rest))
            if (1..=3).contains(&prefix.chars().count()) && prefix.chars().all(char::is_alphabetic) =>
        {
            rest.trim_start()
        }
        _ => subject,
    }
}

/// The properties of one thing.
#[derive(Default)]
struct Storage {
    numbers: Vec<(u32, u64)>,
    streams: Vec<(u32, Vec<u8>)>,
}

impl Storage {
    fn number(&mut self, tag: u32, value: u64) {
        self.numbers.push((tag, value));
    }

    /// A text, unless it is empty.
    fn text(&mut self, tag: u32, text: &str) {
        if !text.is_empty() {
            self.streams.push((tag, text.encode_utf16().flat_map(u16::to_le_bytes).collect()));
        }
    }

    fn bytes(&mut self, tag: u32, bytes: &[u8]) {
        self.streams.push((tag, bytes.to_vec()));
    }

    /// Behind a heading, the rows of the list of properties; the long ones in streams beside it.
    fn write(&self, file: &mut Compound, at: &str, heading: &[u8]) -> io::Result<()> {
        let mut list = heading.to_vec();
        let mut row = |tag: u32, value: u64| {
            list.extend([&tag.to_le_bytes()[..], &USUAL.to_le_bytes(), &value.to_le_bytes()].concat());
        };
        self.numbers.iter().for_each(|(tag, value)| row(*tag, *value));
        for (tag, content) in &self.streams {
            // The length of a text counts the NUL behind it, which is not written.
            let is_text = tag & 0xffff == 0x001f;
            row(*tag, content.len() as u64 + if is_text { 2 } else { 0 });
            file.stream(&format!("{at}/__substg1.0_{tag:08X}"), content)?;
        }
        file.stream(&format!("{at}/{PROPERTIES}"), &list)
    }
}

/// A compound file in memory that is the same for the same content: no time stands in it.
struct Compound(cfb::CompoundFile<Cursor<Vec<u8>>>);

impl Compound {
    fn storage(&mut self, at: &str) -> io::Result<()> {
        self.0.create_storage(at)?;
        self.without_time(at)
    }

    fn stream(&mut self, at: &str, content: &[u8]) -> io::Result<()> {
        self.0.create_stream(at)?.write_all(content)
    }

    fn without_time(&mut self, at: &str) -> io::Result<()> {
        self.0.set_created_time(at, SystemTime::UNIX_EPOCH)?;
        self.0.set_modified_time(at, SystemTime::UNIX_EPOCH)
    }
}

fn write(message: &Storage, people: &[(String, String, u64)], files: &[Leaf]) -> io::Result<Vec<u8>> {
    let mut file = Compound(cfb::CompoundFile::create(Cursor::new(Vec::new()))?);
    file.0.set_storage_clsid("/", CLASS_ID)?;
    file.storage(&format!("/{NAMES}"))?;
    for name in OF_NAMES {
        file.stream(&format!("/{NAMES}/__substg1.0_{name}"), &[])?;
    }
    let (people_count, files_count) = (people.len() as u32, files.len() as u32);
    let counts = [people_count, files_count, people_count, files_count];
    let heading = [&[0; 8][..], &counts.map(u32::to_le_bytes).concat(), &[0; 8]].concat();
    message.write(&mut file, "", &heading)?;
    for (number, (name, address, kind)) in people.iter().enumerate() {
        let at = format!("/{OF_RECIPIENT}#{number:08X}");
        let mut person = Storage::default();
        person.number(ROW, number as u64);
        person.number(RECIPIENT_TYPE, *kind);
        // A person, who reads mail.
        person.number(OBJECT_TYPE, 6);
        person.text(NAME, if name.is_empty() { address } else { name });
        person.text(ADDRESS_TYPE, "SMTP");
        person.text(ADDRESS, address);
        person.text(SMTP_ADDRESS, address);
        file.storage(&at)?;
        person.write(&mut file, &at, &[0; 8])?;
    }
    for (number, leaf) in files.iter().enumerate() {
        let at = format!("/{OF_ATTACHMENT}#{number:08X}");
        let name = leaf.name.clone().unwrap_or_else(|| unnamed(&leaf.kind));
        let mut attachment = Storage::default();
        attachment.number(NUMBER_OF_FILE, number as u64);
        attachment.number(METHOD, 1);
        attachment.number(OBJECT_TYPE, 7);
        attachment.number(PLACE_IN_TEXT, u64::from(u32::MAX));
        attachment.text(FILE_NAME, &name);
        attachment.text(NAME, &name);
        if let Some((_, ending)) = name.rsplit_once('.') {
            attachment.text(ENDING, &format!(".{ending}"));
        }
        attachment.text(MEDIA_TYPE, &leaf.kind);
        if let Some(id) = &leaf.content_id {
            attachment.text(CONTENT_ID, id);
            // A picture of the page is no file to a reader.
            attachment.number(IS_HIDDEN, u64::from(!leaf.is_attached));
        }
        attachment.bytes(DATA, &leaf.content);
        file.storage(&at)?;
        attachment.write(&mut file, &at, &[0; 8])?;
    }
    file.without_time("/")?;
    file.0.flush()?;
    Ok(file.0.into_inner().into_inner())
}

/// A name for a part that has none.
fn unnamed(kind: &str) -> String {
    match kind {
        "message/rfc822" => "letter.eml".to_owned(),
        "text/html" => "page.html".to_owned(),
        "text/calendar" => "invitation.ics".to_owned(),
        kind if kind.starts_with("text/") => "text.txt".to_owned(),
        kind => format!("file.{}", kind.rsplit('/').next().unwrap_or("bin")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mail::head::summary;
    use crate::mail::letter_flags::LetterFlags;
    use crate::mail::mapi::letter::Letter;
    use crate::mail::msg::MsgFile;
    use crate::mail::parts::readable;

    const LETTER: &[u8] = b"Received: from x\r\nFrom: \"Vane, Otto\" <otto@windrose.example>\r\nTo: ines@kites.example (Ines)\r\nCC: =?utf-8?B?QsOpYQ==?= <bea@kites.example>\r\n\
        Subject: AW: =?utf-8?Q?Spars_f=C3=BCr_den_Rokkaku?=\r\nDate: Mon, 9 Feb 2026 10:00:00 +0100\r\nMessage-ID: <1@windrose.example>\r\n\
        Content-Type: multipart/mixed; boundary=m\r\n\r\n--m\r\nContent-Type: multipart/alternative; boundary=a\r\n\r\n--a\r\nContent-Type: text/plain; charset=iso-8859-1\r\n\
        Content-Transfer-Encoding: quoted-printable\r\n\r\nCaf=E9 at the harbour\r\n--a\r\nContent-Type: text/html; charset=windows-1252\r\n\r\n<p>Caf\xe9 <img src=\"cid:p1\"></p>\r\n--a--\r\n\
        --m\r\nContent-Type: image/png\r\nContent-ID: <p1>\r\nContent-Transfer-Encoding: base64\r\n\r\niVBORw==\r\n\
        --m\r\nContent-Type: application/pdf\r\nContent-Disposition: attachment; filename=\"pl\xc3\xa4ne.pdf\"\r\n\r\n%PDF\r\n--m--\r\n";

    fn through(letter: &[u8]) -> (Vec<u8>, String) {
        let flags = LetterFlags { is_answered: true, is_starred: true, ..LetterFlags::default() };
        let bytes = to_msg(letter, &Summary { flags, ..summary(letter) }).unwrap();
        let file = MsgFile::open(&bytes).unwrap();
        let letter = Letter::from(file.thing().unwrap());
        assert_eq!(letter.summary().flags, flags);
        let mut back = Vec::new();
        assert_eq!(letter.write(&mut back).unwrap(), 0);
        (bytes.clone(), String::from_utf8_lossy(&back).into_owned())
    }

    #[test]
    fn a_letter_says_the_same_after_it_was_a_file_of_outlook() {
        let (bytes, back) = through(LETTER);
        assert_eq!(readable(back.as_bytes()).text.trim(), "Caf\u{e9} at the harbour");
        let files = readable(back.as_bytes()).files;
        assert_eq!(files, [("file.png".to_owned(), 4), ("pl\u{e4}ne.pdf".to_owned(), 4)]);
        for line in [
            "Received: from x",
            "Message-ID: <1@windrose.example>",
            "Content-ID: <p1>",
            "charset=\"windows-1252\"",
        ] {
            assert!(back.contains(line), "{line} in {back}");
        }
        assert_eq!(summary(back.as_bytes()).subject, "AW: Spars f\u{fc}r den Rokkaku");
        assert_eq!(summary(back.as_bytes()).at_utc, summary(LETTER).at_utc);
        assert_eq!(through(LETTER).0, bytes, "the same letter gives the same file");
    }

    #[test]
    fn a_signature_holds_and_odd_letters_are_written() {
        let signed = b"From: a@x.example\r\nContent-Type: multipart/signed; boundary=s;\r\n micalg=sha-256\r\n\r\n--s\r\nContent-Type: text/plain\r\n\r\nTwelve  \r\n--s\r\n\
            Content-Type: application/pkcs7-signature\r\n\r\nxx\r\n--s--\r\n";
        let (_, back) = through(signed);
        let body = |text: &str| text.split_once("--s\r\n").unwrap().1.to_owned();
        assert_eq!(body(&back), body(&String::from_utf8_lossy(signed)));
        let sealed = b"From: a@x.example\r\nContent-Type: application/pkcs7-mime; name=smime.p7m\r\nContent-Transfer-Encoding: base64\r\n\r\nMIIB\r\n";
        assert!(through(sealed).1.contains("MIIB"));
        for odd in [
            &b""[..],
            b"Subject: x",
            b"\r\n\r\n",
            b"From: <>\r\nTo: ,\r\nContent-Type: text/plain; charset=no-such\r\n\r\n\xff",
        ] {
            through(odd);
        }
    }
}
