//! The head of a letter (RFC 5322), as far as a list of letters and a mailbox need it: who wrote it, when,
//! and what about.

use super::letter_flags::LetterFlags;
use super::transfer_encoding::{base64, quoted_printable};
use crate::encoding;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc2822;

/// The facts that a list of letters shows of one.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Summary {
    /// The subject.
    pub subject: String,
    /// Who wrote it: a name, an address, or both.
    pub from: String,
    /// When it came, or was sent.
    pub at_utc: Option<OffsetDateTime>,
    /// Marks: read, answered and the like.
    pub flags: LetterFlags,
}

/// The lines of a head, each with those that it goes on in. Lines of another shape are left out.
pub fn lines(head: &[u8]) -> Vec<(&[u8], Vec<u8>)> {
    let mut all: Vec<(&[u8], Vec<u8>)> = Vec::new();
    for line in head.split(|byte| *byte == b'\n') {
        let line = line.strip_suffix(b"\r").unwrap_or(line);
        if line.first().is_some_and(|first| b" \t".contains(first)) {
            if let Some((_, value)) = all.last_mut() {
                value.extend_from_slice(line);
            }
        } else if let Some(colon) = memchr::memchr(b':', line) {
            all.push((line[..colon].trim_ascii(), line[colon + 1..].trim_ascii().to_vec()));
        }
    }
    all
}

/// The end of the head of a letter: where the empty line is that it ends with.
pub fn end_of(letter: &[u8]) -> usize {
    let mut at = 0;
    for line in letter.split_inclusive(|byte| *byte == b'\n') {
        if matches!(line, b"\n" | b"\r\n") {
            return at;
        }
        at += line.len();
    }
    letter.len()
}

/// The summary of a head. Its flags are those of a letter that was read.
pub fn summary(head: &[u8]) -> Summary {
    let lines = lines(head);
    let of = |name: &[u8]| {
        lines.iter().find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, value)| value.as_slice())
    };
    Summary {
        subject: of(b"subject").map(decoded).unwrap_or_default(),
        from: of(b"from").map(decoded).unwrap_or_default(),
        at_utc: of(b"date").and_then(date),
        flags: LetterFlags::READ,
    }
}

/// A date, with the words that some programs add left out.
fn date(value: &[u8]) -> Option<OffsetDateTime> {
    let text = String::from_utf8_lossy(value).into_owned();
    let text = text.split('(').next().unwrap_or_default().trim();
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    OffsetDateTime::parse(&text, &Rfc2822).ok()
}

/// A text with its words of RFC 2047 decoded. Bytes beyond ASCII are UTF-8, or else Western.
pub fn decoded(value: &[u8]) -> String {
    let text = match std::str::from_utf8(value) {
        Ok(text) => text.to_owned(),
        Err(_) => encoding::of_code_page(value, 1252),
    };
    let mut out = String::new();
    let mut rest = text.as_str();
    let mut is_behind_word = false;
    while let Some(begin) = rest.find("=?") {
        let (before, from) = rest.split_at(begin);
        let Some((word, behind)) = encoded_word(from) else {
            out.push_str(before);
            out.push_str("=?");
            rest = &from[2..];
            is_behind_word = false;
            continue;
        };
        // Blanks between two words are of the lines, not of the text.
        if !(is_behind_word && before.trim().is_empty()) {
            out.push_str(before);
        }
        out.push_str(&word);
        rest = behind;
        is_behind_word = true;
    }
    out.push_str(rest);
    out.chars().filter(|letter| !letter.is_control() || *letter == '\t').collect()
}

fn encoded_word(text: &str) -> Option<(String, &str)> {
    let mut parts = text.strip_prefix("=?")?.splitn(3, '?');
    let (charset, kind) = (parts.next()?, parts.next()?);
    let (content, behind) = parts.next()?.split_once("?=")?;
    let bytes = match kind {
        "b" | "B" => base64(content.as_bytes())?,
        "q" | "Q" => quoted(content.as_bytes()),
        _ => return None,
    };
    let charset = charset.split('*').next().unwrap_or_default();
    let encoding = encoding_rs::Encoding::for_label(charset.as_bytes()).unwrap_or(encoding_rs::UTF_8);
    Some((encoding.decode_without_bom_handling(&bytes).0.into_owned(), behind))
}

/// Words of a head: a low line is a blank.
fn quoted(content: &[u8]) -> Vec<u8> {
    let blanks: Vec<u8> = content.iter().map(|byte| if *byte == b'_' { b' ' } else { *byte }).collect();
    quoted_printable(&blanks)
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn a_head_says_who_when_and_what_in_all_the_ways_there_are() {
        let head = b"Received: x\r\nFROM: =?iso-8859-1?Q?B=E9a_K=2E?= <bea@kites.example>\r\n\
            Subject: =?utf-8?B?w5xiZXI=?=\r\n =?utf-8?B?IGFsbGVz?= more =? =?x-no?Q?a_b?=\r\n\
            Date: Mon, 9 Feb 2026 10:00:00 +0100 (CET)\r\n";
        let found = summary(head);
        assert_eq!(found.from, "B\u{e9}a K. <bea@kites.example>");
        assert_eq!(found.subject, "\u{dc}ber alles more =? a b");
        assert_eq!(found.at_utc, Some(datetime!(2026-02-09 9:00 UTC)));
        assert_eq!(summary(b"Subject: caf\xe9\nDate: soon\n").subject, "caf\u{e9}");
        assert_eq!(summary(b"Subject: =?utf-8?B?w5x").subject, "=?utf-8?B?w5x");
        let letter = b"A: b\r\n\r\nC: d\n\n";
        assert_eq!(&letter[..end_of(letter)], b"A: b\r\n");
    }
}
