//! A letter of a data file, as RFC 5322 and RFC 2045 write letters. Its parts are those that Outlook kept. A
//! letter that was signed or encrypted keeps its content to the byte.

mod headers;
mod parts;

use self::headers::{encoded, file_name, kept_headers, mailbox, one_line, shown};
use self::parts::{Base64Lines, Body};
use super::properties::{Properties, Value, rows_of};
use super::rtf;
use super::store::{NodeData, Store};
use crate::{FormatError, encoding};
use std::io::{self, Write};
use time::OffsetDateTime;
use time::format_description::well_known::Rfc2822;

/// Properties of a letter ([MS-OXPROPS]).
const CLASS: u16 = 0x001a;
const SUBJECT: u16 = 0x0037;
const SENT: u16 = 0x0039;
const HEADERS: u16 = 0x007d;
const FOR_NAME: u16 = 0x0042;
const FOR_ADDRESS: u16 = 0x0065;
const SENDER_NAME: u16 = 0x0c1a;
const SENDER_ADDRESS: u16 = 0x0c1f;
const SENDER_SMTP: u16 = 0x5d01;
const FOR_SMTP: u16 = 0x5d02;
const SHOWN_TO: u16 = 0x0e04;
const RECEIVED: u16 = 0x0e06;
const FLAGS: u16 = 0x0e07;
const BODY: u16 = 0x1000;
const RICH: u16 = 0x1009;
const HTML: u16 = 0x1013;
const MESSAGE_ID: u16 = 0x1035;
const REFERENCES: u16 = 0x1039;
const IN_REPLY_TO: u16 = 0x1042;
const OWN_CODE_PAGE: u16 = 0x3ffd;
const INTERNET_CODE_PAGE: u16 = 0x3fde;
/// Properties of those who get it.
const NAME: u16 = 0x3001;
const ADDRESS: u16 = 0x3003;
const SMTP: u16 = 0x39fe;
const RECIPIENT_KIND: u16 = 0x0c15;
/// Properties of a file at it.
const CONTENT: u16 = 0x3701;
const SHORT_NAME: u16 = 0x3704;
const METHOD: u16 = 0x3705;
const LONG_NAME: u16 = 0x3707;
const MEDIA_TYPE: u16 = 0x370e;
const CONTENT_ID: u16 = 0x3712;

const RECIPIENTS: u32 = 0x692;
const ATTACHMENT: u32 = 0x05;
const TYPE_MASK: u32 = 0x1f;
const LETTER_INSIDE: u32 = 5;
const READ: u32 = 1;
/// Letters in letters are not deeper.
const DEEPEST: usize = 16;

/// See the module.
pub struct Letter<'s, 'r> {
    store: &'s Store<'r>,
    id: u32,
    properties: Properties,
    depth: usize,
}

/// Facts of a letter for a list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Summary {
    /// The subject.
    pub subject: String,
    /// Who wrote it: a name, an address, or both.
    pub from: String,
    /// When it came, or was sent.
    pub at_utc: Option<OffsetDateTime>,
    /// Somebody has read it.
    pub is_read: bool,
    /// As Outlook calls it: `IPM.Note`.
    pub class: String,
}

/// A file at a letter.
struct Attachment {
    properties: Properties,
    id: u32,
}

impl<'s, 'r> Letter<'s, 'r> {
    pub(super) fn load(
        store: &'s Store<'r>,
        id: u32,
        node: NodeData,
        code_page: u32,
    ) -> Result<Self, FormatError> {
        Self::load_at(store, id, node, code_page, 0)
    }

    fn load_at(
        store: &'s Store<'r>,
        id: u32,
        node: NodeData,
        code_page: u32,
        depth: usize,
    ) -> Result<Self, FormatError> {
        let mut properties = Properties::load(store, node, code_page)?;
        let own = [OWN_CODE_PAGE, INTERNET_CODE_PAGE].iter().find_map(|of| properties.number(*of));
        properties.code_page = own.filter(|own| *own != 0).unwrap_or(code_page);
        Ok(Self { store, id, properties, depth })
    }

    fn text(&self, id: u16) -> Option<String> {
        self.properties.text(self.store, id)
    }

    fn time(&self, id: u16) -> Option<OffsetDateTime> {
        self.properties.time(self.store, id).and_then(utc)
    }

    /// The subject. Outlook marks how long the `Re:` before it is.
    pub fn subject(&self) -> String {
        let subject = self.text(SUBJECT).unwrap_or_default();
        match subject.strip_prefix('\u{1}') {
            Some(rest) => rest.chars().skip(1).collect(),
            None => subject,
        }
    }

    /// The facts for a list.
    pub fn summary(&self) -> Summary {
        Summary {
            subject: self.subject(),
            from: self.sender().map(|(name, address)| shown(&name, &address)).unwrap_or_default(),
            at_utc: self.time(RECEIVED).or_else(|| self.time(SENT)),
            is_read: self.properties.number(FLAGS).is_none_or(|flags| flags & READ != 0),
            class: self.text(CLASS).unwrap_or_default(),
        }
    }

    /// The name and the address of who wrote it.
    fn sender(&self) -> Option<(String, String)> {
        let first = |ids: &[u16]| ids.iter().find_map(|id| self.text(*id).filter(|text| !text.is_empty()));
        let is_address = |text: &String| text.contains('@');
        let address = [SENDER_SMTP, FOR_SMTP, SENDER_ADDRESS, FOR_ADDRESS]
            .iter()
            .find_map(|id| self.text(*id).filter(is_address));
        let name = first(&[FOR_NAME, SENDER_NAME]);
        (name.is_some() || address.is_some()).then(|| (name.unwrap_or_default(), address.unwrap_or_default()))
    }

    /// Those who get it: how (1 to, 2 copy, 3 blind copy), name, address.
    fn recipients(&self) -> Vec<(u32, String, String)> {
        let table = self.properties.below.get(&RECIPIENTS);
        let rows = table.and_then(|node| rows_of(self.store, *node, self.properties.code_page).ok());
        let row = |row: Properties| {
            let text = |id| row.text(self.store, id).filter(|text| !text.is_empty());
            let address = text(SMTP).or_else(|| text(ADDRESS).filter(|address| address.contains('@')));
            (
                row.number(RECIPIENT_KIND).unwrap_or(1),
                text(NAME).unwrap_or_default(),
                address.unwrap_or_default(),
            )
        };
        rows.into_iter().flatten().map(row).collect()
    }

    fn attachments(&self) -> (Vec<Attachment>, u64) {
        let of_kind = self.properties.below.iter().filter(|(id, _)| *id & TYPE_MASK == ATTACHMENT);
        let (mut found, mut damaged) = (Vec::new(), 0);
        for (id, node) in of_kind {
            match Properties::load(self.store, *node, self.properties.code_page) {
                Ok(properties) => found.push(Attachment { properties, id: *id }),
                Err(_) => damaged += 1,
            }
        }
        (found, damaged)
    }

    /// Writes the letter. Returns how many of its parts could not be read: the others are there.
    pub fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        let (attachments, mut damaged) = self.attachments();
        let class = self.text(CLASS).unwrap_or_default().to_ascii_lowercase();
        self.write_headers(to)?;
        if let ([only], true) = (&attachments[..], class.starts_with("ipm.note.smime")) {
            // The letter as it came is in it, and a signature holds for every byte.
            if class.starts_with("ipm.note.smime.multipartsigned") {
                damaged += self.each_piece(only, &mut |piece| to.write_all(piece))?;
            } else {
                to.write_all(
                    b"MIME-Version: 1.0\r\nContent-Type: application/pkcs7-mime; name=\"smime.p7m\"\r\n",
                )?;
                to.write_all(b"Content-Transfer-Encoding: base64\r\n\r\n")?;
                damaged += self.write_base64(only, to)?;
            }
            return Ok(damaged);
        }
        let bodies = self.bodies();
        to.write_all(b"MIME-Version: 1.0\r\n")?;
        let mixed = format!("=_{:08x}_{}_m", self.id, self.depth);
        let alternative = format!("=_{:08x}_{}_a", self.id, self.depth);
        let is_mixed = !attachments.is_empty();
        if is_mixed {
            write!(to, "Content-Type: multipart/mixed; boundary=\"{mixed}\"\r\n\r\n--{mixed}\r\n")?;
        }
        match &bodies[..] {
            [only] => only.write(to)?,
            several => {
                write!(to, "Content-Type: multipart/alternative; boundary=\"{alternative}\"\r\n\r\n")?;
                for body in several {
                    write!(to, "--{alternative}\r\n")?;
                    body.write(to)?;
                    to.write_all(b"\r\n")?;
                }
                write!(to, "--{alternative}--\r\n")?;
            }
        }
        for attachment in &attachments {
            write!(to, "\r\n--{mixed}\r\n")?;
            damaged += self.write_attachment(attachment, to)?;
        }
        if is_mixed {
            write!(to, "\r\n--{mixed}--\r\n")?;
        }
        Ok(damaged)
    }

    /// Those that came with it, but for what says how its parts were written; the others are made of what
    /// Outlook knows.
    fn write_headers(&self, to: &mut dyn Write) -> io::Result<()> {
        let came = self.text(HEADERS).unwrap_or_default();
        let kept = kept_headers(&came);
        let has = |name: &str| {
            kept.iter().any(|line| line.split(':').next().is_some_and(|own| own.eq_ignore_ascii_case(name)))
        };
        for line in &kept {
            write!(to, "{line}\r\n")?;
        }
        let mut missing = |name: &str, value: Option<String>| match value.filter(|value| !value.is_empty()) {
            Some(value) if !has(name) => write!(to, "{name}: {value}\r\n"),
            _ => Ok(()),
        };
        let people = self.recipients();
        missing("From", self.sender().map(|(name, address)| mailbox(&name, &address)))?;
        for (kind, name) in [(1, "To"), (2, "Cc"), (3, "Bcc")] {
            let of_kind = people.iter().filter(|(own, ..)| own & 0xf == kind);
            let all: Vec<String> = of_kind.map(|(_, name, address)| mailbox(name, address)).collect();
            let all = if all.is_empty() && kind == 1 && people.is_empty() {
                self.text(SHOWN_TO).map(|shown| encoded(&shown)).into_iter().collect()
            } else {
                all
            };
            missing(name, Some(all.join(",\r\n ")))?;
        }
        missing("Subject", Some(encoded(&self.subject())))?;
        let at = self.time(SENT).or_else(|| self.time(RECEIVED));
        missing("Date", at.and_then(|at| at.format(&Rfc2822).ok()))?;
        for (name, id) in
            [("Message-ID", MESSAGE_ID), ("In-Reply-To", IN_REPLY_TO), ("References", REFERENCES)]
        {
            missing(name, self.text(id).map(|value| one_line(&value)))?;
        }
        Ok(())
    }

    /// Its text in each form that it has, the plainest first. A letter without any has an empty one.
    fn bodies(&self) -> Vec<Body> {
        let mut bodies = Vec::new();
        let plain = self.text(BODY).filter(|text| !text.is_empty());
        let html = self.properties.binary(self.store, HTML).filter(|html| !html.is_empty()).map(|html| {
            let code_page = self.properties.number(INTERNET_CODE_PAGE).unwrap_or(self.properties.code_page);
            Body { media_type: "text/html", charset: encoding::charset_of(code_page), bytes: html }
        });
        let html = html.or_else(|| self.text(HTML).map(|html| Body::utf8("text/html", &html)));
        let rich = self.properties.binary(self.store, RICH).filter(|_| html.is_none());
        let rich = rich.and_then(|rich| rtf::unpacked(&rich).ok()).map(|rich| rtf::content(&rich));
        match (&plain, &rich) {
            (Some(plain), _) => bodies.push(Body::utf8("text/plain", plain)),
            (None, Some(rtf::Content::Text(text))) => bodies.push(Body::utf8("text/plain", text)),
            _ => {}
        }
        bodies.extend(html);
        if let Some(rtf::Content::Html(page)) = rich {
            bodies.push(Body::utf8("text/html", &page));
        }
        if bodies.is_empty() {
            bodies.push(Body::utf8("text/plain", ""));
        }
        bodies
    }

    fn write_attachment(&self, attachment: &Attachment, to: &mut dyn Write) -> io::Result<u64> {
        let text = |id| attachment.properties.text(self.store, id).filter(|text| !text.is_empty());
        let name = text(LONG_NAME).or_else(|| text(SHORT_NAME)).or_else(|| text(NAME));
        let name = name.unwrap_or_else(|| format!("file {:x}", attachment.id));
        if attachment.properties.number(METHOD) == Some(LETTER_INSIDE)
            && self.depth < DEEPEST
            && let Some(letter) = self.letter_inside(attachment)
        {
            to.write_all(b"Content-Type: message/rfc822\r\n")?;
            write!(to, "Content-Disposition: attachment; {}\r\n\r\n", file_name(&format!("{name}.eml")))?;
            return letter.write(to);
        }
        let media_type = text(MEDIA_TYPE).map(|kind| one_line(&kind)).filter(|kind| {
            kind.split('/').count() == 2
                && kind.bytes().all(|b| b.is_ascii_graphic() && !b"\"(),:;<>@[\\]".contains(&b))
        });
        let media_type =
            media_type.filter(|kind| !kind.starts_with("multipart/") && !kind.starts_with("message/"));
        write!(to, "Content-Type: {}\r\n", media_type.as_deref().unwrap_or("application/octet-stream"))?;
        let content_id = text(CONTENT_ID).map(|id| one_line(&id));
        if let Some(id) = &content_id {
            write!(to, "Content-ID: <{}>\r\n", id.trim_matches(['<', '>']))?;
        }
        let shown = if content_id.is_some() { "inline" } else { "attachment" };
        write!(to, "Content-Disposition: {shown}; {}\r\n", file_name(&name))?;
        to.write_all(b"Content-Transfer-Encoding: base64\r\n\r\n")?;
        self.write_base64(attachment, to)
    }

    fn letter_inside(&self, attachment: &Attachment) -> Option<Letter<'s, 'r>> {
        let node = match attachment.properties.content(CONTENT)? {
            // The number of a node below the attachment, and a length.
            Value::Here(object) => {
                let id = u32::from_le_bytes(object.get(..4)?.try_into().ok()?);
                (id, *attachment.properties.below.get(&id)?)
            }
            Value::Node(node) => (attachment.id, *node),
        };
        Self::load_at(self.store, node.0, node.1, self.properties.code_page, self.depth + 1).ok()
    }

    /// Passes on the content of a file, piece by piece. Returns 1 if not all of it can be read.
    fn each_piece(
        &self,
        attachment: &Attachment,
        write: &mut dyn FnMut(&[u8]) -> io::Result<()>,
    ) -> io::Result<u64> {
        let node = match attachment.properties.content(CONTENT) {
            None => return Ok(u64::from(attachment.properties.has(CONTENT))),
            Some(Value::Node(node)) => *node,
            Some(Value::Here(bytes)) => {
                let inside = bytes.get(..4).and_then(|id| {
                    let id = u32::from_le_bytes(id.try_into().ok()?);
                    attachment.properties.below.get(&id).filter(|_| bytes.len() == 8)
                });
                match inside {
                    Some(node) => *node,
                    None => return write(bytes).map(|()| 0),
                }
            }
        };
        let mut failed = None;
        let read = self.store.each_piece(node.data, &mut |piece| {
            failed = write(piece).err();
            failed.is_none()
        });
        match failed {
            Some(cause) => Err(cause),
            None => Ok(u64::from(read.is_err())),
        }
    }

    fn write_base64(&self, attachment: &Attachment, to: &mut dyn Write) -> io::Result<u64> {
        let mut lines = Base64Lines::new(to);
        let damaged = self.each_piece(attachment, &mut |piece| lines.put(piece))?;
        lines.end()?;
        Ok(damaged)
    }
}

/// 100 ns since 1601.
fn utc(ticks: u64) -> Option<OffsetDateTime> {
    const BETWEEN_IN_SECONDS: i64 = 11_644_473_600;
    let seconds = i64::try_from(ticks / 10_000_000).ok()?.checked_sub(BETWEEN_IN_SECONDS)?;
    OffsetDateTime::from_unix_timestamp(seconds).ok()
}
