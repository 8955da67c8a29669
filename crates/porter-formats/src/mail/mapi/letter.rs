//! A letter, as RFC 5322 and RFC 2045 write letters. Its parts are those that Outlook kept. A
//! letter that was signed or encrypted keeps its content to the byte.

mod headers;
mod parts;

use self::headers::{encoded, file_name, kept_headers, mailbox, one_line, shown};
use self::parts::{Base64Lines, Body};
use super::rtf;
use super::thing::{Attachment, CODE_PAGE_OF_INTERNET, Recipient, Thing};
use crate::encoding;
use crate::mail::head::Summary;
use crate::mail::letter_flags::LetterFlags;
use std::io::{self, Write};
use time::OffsetDateTime;
use time::format_description::well_known::Rfc2822;

/// Properties of a letter ([MS-OXPROPS]).
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
const LAST_DONE: u16 = 0x1081;
const MARK: u16 = 0x1090;

const LETTER_INSIDE: u32 = 5;
const READ: u32 = 1;
/// The last deed with a letter, and its mark ([MS-OXOMSG], [MS-OXOFLAG]).
const REPLIED: u32 = 102;
const REPLIED_TO_ALL: u32 = 103;
const FORWARDED: u32 = 104;
const MARKED: u32 = 2;
/// Letters in letters are not deeper.
const DEEPEST: usize = 16;

/// See the module.
pub struct Letter<'s> {
    thing: Thing<'s>,
    depth: usize,
}

impl<'s> From<Thing<'s>> for Letter<'s> {
    fn from(thing: Thing<'s>) -> Self {
        Self { thing, depth: 0 }
    }
}

impl<'s> Letter<'s> {
    fn text(&self, id: u16) -> Option<String> {
        self.thing.text(id)
    }

    fn time(&self, id: u16) -> Option<OffsetDateTime> {
        self.thing.time(id)
    }

    /// The subject.
    pub fn subject(&self) -> String {
        self.thing.subject()
    }

    /// The facts for a list.
    pub fn summary(&self) -> Summary {
        let number = |id| self.thing.properties.number(id);
        Summary {
            subject: self.subject(),
            from: self.sender().map(|(name, address)| shown(&name, &address)).unwrap_or_default(),
            at_utc: self.time(RECEIVED).or_else(|| self.time(SENT)),
            flags: LetterFlags {
                is_read: number(FLAGS).is_none_or(|flags| flags & READ != 0),
                is_answered: matches!(number(LAST_DONE), Some(REPLIED | REPLIED_TO_ALL)),
                is_starred: number(MARK) == Some(MARKED),
                is_forwarded: number(LAST_DONE) == Some(FORWARDED),
            },
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

    /// Writes the letter. Returns how many of its parts could not be read: the others are there.
    pub fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        let (attachments, mut damaged) = self.thing.attachments();
        let class = self.thing.class();
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
        let mixed = format!("=_{:08x}_{}_m", self.thing.id, self.depth);
        let alternative = format!("=_{:08x}_{}_a", self.thing.id, self.depth);
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
        let people = self.thing.recipients();
        missing("From", self.sender().map(|(name, address)| mailbox(&name, &address)))?;
        for (kind, name) in [(1, "To"), (2, "Cc"), (3, "Bcc")] {
            let of_kind = people.iter().filter(|person| person.kind & 0xf == kind);
            let all: Vec<String> =
                of_kind.map(|Recipient { name, address, .. }| mailbox(name, address)).collect();
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
        let html = self.thing.properties.binary(self.thing.holder, HTML).filter(|html| !html.is_empty()).map(
            |html| {
                let code_page = self
                    .thing
                    .properties
                    .number(CODE_PAGE_OF_INTERNET)
                    .unwrap_or(self.thing.properties.code_page);
                Body { media_type: "text/html", charset: encoding::charset_of(code_page), bytes: html }
            },
        );
        let html = html.or_else(|| self.text(HTML).map(|html| Body::utf8("text/html", &html)));
        let rich = self.thing.properties.binary(self.thing.holder, RICH).filter(|_| html.is_none());
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
        let text = |id| attachment.text(self.thing.holder, id);
        let name = attachment.name(self.thing.holder);
        if attachment.method() == Some(LETTER_INSIDE)
            && self.depth < DEEPEST
            && let Some(letter) = self.letter_inside(attachment)
        {
            to.write_all(b"Content-Type: message/rfc822\r\n")?;
            write!(to, "Content-Disposition: attachment; {}\r\n\r\n", file_name(&format!("{name}.eml")))?;
            return letter.write(to);
        }
        let media_type = text(Attachment::MEDIA_TYPE).map(|kind| one_line(&kind)).filter(|kind| {
            kind.split('/').count() == 2
                && kind.bytes().all(|b| b.is_ascii_graphic() && !b"\"(),:;<>@[\\]".contains(&b))
        });
        let media_type =
            media_type.filter(|kind| !kind.starts_with("multipart/") && !kind.starts_with("message/"));
        write!(to, "Content-Type: {}\r\n", media_type.as_deref().unwrap_or("application/octet-stream"))?;
        let content_id = text(Attachment::CONTENT_ID).map(|id| one_line(&id));
        if let Some(id) = &content_id {
            write!(to, "Content-ID: <{}>\r\n", id.trim_matches(['<', '>']))?;
        }
        let shown = if content_id.is_some() { "inline" } else { "attachment" };
        write!(to, "Content-Disposition: {shown}; {}\r\n", file_name(&name))?;
        to.write_all(b"Content-Transfer-Encoding: base64\r\n\r\n")?;
        self.write_base64(attachment, to)
    }

    fn letter_inside(&self, attachment: &Attachment) -> Option<Self> {
        let thing = attachment.thing_inside(self.thing.holder, self.thing.properties.code_page)?;
        Some(Self { thing, depth: self.depth + 1 })
    }

    /// Passes on the content of a file, piece by piece. Returns 1 if not all of it can be read.
    fn each_piece(
        &self,
        attachment: &Attachment,
        write: &mut dyn FnMut(&[u8]) -> io::Result<()>,
    ) -> io::Result<u64> {
        let mut failed = None;
        let is_whole = attachment.each_piece(self.thing.holder, &mut |piece| {
            failed = write(piece).err();
            failed.is_none()
        });
        match failed {
            Some(cause) => Err(cause),
            None => Ok(u64::from(!is_whole)),
        }
    }

    fn write_base64(&self, attachment: &Attachment, to: &mut dyn Write) -> io::Result<u64> {
        let mut lines = Base64Lines::new(to);
        let damaged = self.each_piece(attachment, &mut |piece| lines.put(piece))?;
        lines.end()?;
        Ok(damaged)
    }
}
