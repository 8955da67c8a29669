//! The parts of a letter (RFC 2045, 2046 and 2183), as far as a person wants to read it: its text, and the
//! names of the files at it.

use super::head::{decoded, end_of, lines};
use super::tnef;
use super::transfer_encoding::{base64, quoted_printable};
use crate::encoding;

/// Parts in parts are not deeper, and there are no more of them.
const DEEPEST: usize = 16;
const MOST_PARTS: usize = 1000;

/// The parts of a letter that a person reads.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Readable {
    /// Its text; that of its page, without any form, if it has no other.
    pub text: String,
    /// The names of the files at it, and their lengths in bytes.
    pub files: Vec<(String, u64)>,
}

/// Reads a letter, whole or cut off.
pub fn readable(letter: &[u8]) -> Readable {
    let mut found = Found::default();
    part(letter, 0, &mut found);
    let Found { plain, pages, files, .. } = found;
    let text = if plain.is_empty() { pages } else { plain };
    Readable { text: text.join("\n"), files }
}

#[derive(Default)]
struct Found {
    plain: Vec<String>,
    pages: Vec<String>,
    files: Vec<(String, u64)>,
    parts: usize,
}

/// A line of a head with words behind the first: `text/plain; charset=utf-8`.
struct Worded {
    first: String,
    words: Vec<(String, String)>,
}

impl Worded {
    fn of(value: &[u8]) -> Self {
        let text = String::from_utf8_lossy(value).into_owned();
        let mut pieces = Vec::new();
        let (mut piece, mut is_quoted) = (String::new(), false);
        let mut letters = text.chars();
        while let Some(letter) = letters.next() {
            match letter {
                '"' => is_quoted = !is_quoted,
                '\\' if is_quoted => piece.extend(letters.next()),
                ';' if !is_quoted => pieces.push(std::mem::take(&mut piece)),
                letter => piece.push(letter),
            }
        }
        pieces.push(piece);
        let mut pieces = pieces.into_iter();
        let first = pieces.next().unwrap_or_default().trim().to_ascii_lowercase();
        let word = |piece: String| {
            let (name, value) = piece.split_once('=')?;
            Some((name.trim().to_ascii_lowercase(), value.trim().to_owned()))
        };
        Self { first, words: pieces.filter_map(word).collect() }
    }

    fn word(&self, name: &str) -> Option<String> {
        let plain =
            self.words.iter().find(|(own, _)| own == name).map(|(_, value)| decoded(value.as_bytes()));
        // RFC 2231: a charset, a language, and bytes that are written as numbers.
        let extended = || {
            let (_, value) = self.words.iter().find(|(own, _)| own.strip_suffix('*') == Some(name))?;
            crate::percent::decoded(value.rsplit('\'').next()?)
        };
        plain.or_else(extended)
    }
}

fn part(bytes: &[u8], depth: usize, found: &mut Found) {
    found.parts += 1;
    if depth > DEEPEST || found.parts > MOST_PARTS {
        return;
    }
    let end = end_of(bytes);
    let head = lines(&bytes[..end]);
    let body = bytes[end..].strip_prefix(b"\r\n").or(bytes[end..].strip_prefix(b"\n")).unwrap_or_default();
    let of =
        |name: &[u8]| head.iter().find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, value)| value);
    let kind = Worded::of(of(b"content-type").map_or(b"text/plain", |value| value));
    let placed = of(b"content-disposition").map(|value| Worded::of(value));
    if kind.first.starts_with("multipart/") {
        if let Some(boundary) = kind.word("boundary") {
            parts_between(body, &boundary).into_iter().for_each(|inner| part(inner, depth + 1, found));
        }
        return;
    }
    let is_file = placed.as_ref().is_some_and(|placed| placed.first == "attachment");
    let name = placed.as_ref().and_then(|placed| placed.word("filename")).or_else(|| kind.word("name"));
    let encoded =
        of(b"content-transfer-encoding").map(|value| String::from_utf8_lossy(value).to_ascii_lowercase());
    let content = match encoded.as_deref() {
        Some("base64") => {
            let letters: Vec<u8> = body.iter().copied().filter(|byte| !byte.is_ascii_whitespace()).collect();
            base64(&letters).unwrap_or_default()
        }
        Some("quoted-printable") => quoted_printable(body),
        _ => body.to_vec(),
    };
    let text = || {
        let charset = kind.word("charset").unwrap_or_default();
        match encoding_rs::Encoding::for_label(charset.as_bytes()) {
            Some(encoding) => encoding.decode(&content).0.into_owned(),
            None => match std::str::from_utf8(&content) {
                Ok(text) => text.to_owned(),
                Err(_) => encoding::of_code_page(&content, 1252),
            },
        }
    };
    match kind.first.as_str() {
        "text/plain" if !is_file && name.is_none() => found.plain.push(text()),
        "text/html" if !is_file && name.is_none() => found.pages.push(crate::html::words_of(&text())),
        _ => {
            let name = name.unwrap_or_else(|| kind.first.clone());
            found.files.push((name, content.len() as u64));
            // Outlook packs a whole letter into one file of another.
            if let Some(letter) = tnef::letter_in(&content) {
                part(&letter, depth + 1, found);
            }
        }
    }
}

/// The parts between lines of a boundary.
fn parts_between<'b>(body: &'b [u8], boundary: &str) -> Vec<&'b [u8]> {
    let mark = [b"--", boundary.as_bytes()].concat();
    let (mut parts, mut begin, mut at) = (Vec::new(), None, 0);
    for line in body.split_inclusive(|byte| *byte == b'\n') {
        let rest = line.strip_prefix(&mark[..]);
        let is_mark = rest.is_some_and(|rest| matches!(rest.trim_ascii(), b"" | b"--"));
        if is_mark {
            parts.extend(begin.take().map(|begin: usize| &body[begin..at]));
            if rest.is_some_and(|rest| rest.trim_ascii() == b"--") {
                return parts;
            }
            begin = Some(at + line.len());
        }
        at += line.len();
    }
    // A letter that is cut off has no end.
    parts.extend(begin.map(|begin| &body[begin..]));
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_text_is_read_and_files_are_named_however_they_are_written() {
        let letter = b"Content-Type: multipart/mixed; boundary=\"a;b\"\r\n\r\npreamble\r\n--a;b\r\n\
            Content-Type: multipart/alternative; boundary=in\r\n\r\n--in\r\n\
            Content-Type: text/plain; charset=iso-8859-1\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\n\
            Caf=E9 am =\r\nHafen\r\n--in\r\nContent-Type: text/html\r\n\r\n<p>no</p>\r\n--in--\r\n--a;b\r\n\
            Content-Type: application/pdf\r\nContent-Disposition: attachment; filename*=utf-8''Pl%C3%A4ne.pdf\r\n\
            Content-Transfer-Encoding: base64\r\n\r\nQUJD\r\n--a;b--\r\nafter";
        let found = readable(letter);
        assert_eq!(found.text, "Caf\u{e9} am Hafen\r\n");
        assert_eq!(found.files, [("Pl\u{e4}ne.pdf".to_owned(), 3)]);
        let page =
            b"Content-Type: text/html; charset=utf-8\n\n<style>p{}</style><p>Spars &amp; sails<br>at 9</p>";
        assert_eq!(readable(page).text.trim(), "Spars & sails\nat 9");
        for end in 0..letter.len() {
            readable(&letter[..end]);
        }
    }
}
