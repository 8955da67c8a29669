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

/// A part that holds no other parts.
#[derive(Debug)]
pub(super) struct Leaf {
    /// `text/plain`, in small letters.
    pub(super) kind: String,
    /// The name of its letters, if it is text and says so.
    pub(super) charset: Option<String>,
    /// Its name, if it has one.
    pub(super) name: Option<String>,
    /// The name by which other parts call it: `<1@kite>` without its marks.
    pub(super) content_id: Option<String>,
    /// True for a file beside the text.
    pub(super) is_attached: bool,
    /// Decoded.
    pub(super) content: Vec<u8>,
}

impl Leaf {
    /// True for words that are shown, and not taken as a file.
    pub(super) fn is_shown(&self, kind: &str) -> bool {
        self.kind == kind && !self.is_attached && self.name.is_none()
    }

    /// Its content as text.
    pub(super) fn text(&self) -> String {
        match encoding_rs::Encoding::for_label(self.charset.as_deref().unwrap_or_default().as_bytes()) {
            Some(encoding) => encoding.decode(&self.content).0.into_owned(),
            None => match std::str::from_utf8(&self.content) {
                Ok(text) => text.to_owned(),
                Err(_) => encoding::of_code_page(&self.content, 1252),
            },
        }
    }
}

/// Reads a letter, whole or cut off.
pub fn readable(letter: &[u8]) -> Readable {
    let (mut plain, mut pages, mut files) = (Vec::new(), Vec::new(), Vec::new());
    each_leaf(letter, &mut |leaf| {
        if leaf.is_shown("text/plain") {
            plain.push(leaf.text());
        } else if leaf.is_shown("text/html") {
            pages.push(crate::html::words_of(&leaf.text()));
        } else {
            files.push((leaf.name.unwrap_or(leaf.kind), leaf.content.len() as u64));
        }
    });
    let text = if plain.is_empty() { pages } else { plain };
    Readable { text: text.join("\n"), files }
}

/// Passes on all parts that hold no others, in their order; behind a file that Outlook has packed a whole
/// letter into, the parts of that letter.
pub(super) fn each_leaf(letter: &[u8], look: &mut dyn FnMut(Leaf)) {
    part(letter, 0, &mut 0, look);
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

fn part(bytes: &[u8], depth: usize, parts: &mut usize, look: &mut dyn FnMut(Leaf)) {
    *parts += 1;
    if depth > DEEPEST || *parts > MOST_PARTS {
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
            for inner in parts_between(body, &boundary) {
                part(inner, depth + 1, parts, look);
            }
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
    let packed = if kind.first.starts_with("text/") { None } else { tnef::letter_in(&content) };
    let content_id =
        of(b"content-id").map(|id| String::from_utf8_lossy(id).trim_matches(['<', '>', ' ']).to_owned());
    look(Leaf {
        charset: kind.word("charset"),
        kind: kind.first,
        name,
        content_id,
        is_attached: is_file,
        content,
    });
    // Outlook packs a whole letter into one file of another.
    if let Some(letter) = packed {
        part(&letter, depth + 1, parts, look);
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
            // The end of the line before is the boundary's (RFC 2046, 5.1.1).
            let inner = |begin: usize| {
                let inner = body.get(begin..at).unwrap_or_default();
                inner.strip_suffix(b"\r\n").or(inner.strip_suffix(b"\n")).unwrap_or(inner)
            };
            parts.extend(begin.take().map(inner));
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
        assert_eq!(found.text, "Caf\u{e9} am Hafen");
        assert_eq!(found.files, [("Pl\u{e4}ne.pdf".to_owned(), 3)]);
        let page =
            b"Content-Type: text/html; charset=utf-8\n\n<style>p{}</style><p>Spars &amp; sails<br>at 9</p>";
        assert_eq!(readable(page).text.trim(), "Spars & sails\nat 9");
        for end in 0..letter.len() {
            readable(&letter[..end]);
        }
    }
}
