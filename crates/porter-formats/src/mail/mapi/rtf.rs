//! Rich text as Outlook keeps it: compressed ([MS-OXRTFCP]), and often with a page of HTML inside of it,
//! which is taken out again ([MS-OXRTFEX]).

use super::numbers::number;
use crate::{FormatError, encoding};

const WHAT: &str = "rich text";
/// The words that every dictionary begins with.
const BEGINNING: &[u8] = b"{\\rtf1\\ansi\\mac\\deff0\\deftab720{\\fonttbl;}{\\f0\\fnil \\froman \\fswiss \\fmodern \\fscript \\fdecor MS Sans SerifSymbolArialTimes New RomanCourier{\\colortbl\\red0\\green0\\blue0\r\n\\par \\pard\\plain\\f0\\fs20\\b\\i\\u\\tab\\tx";
const DICTIONARY: usize = 4096;
const COMPRESSED: &[u8] = b"LZFu";
const PLAIN: &[u8] = b"MELA";
const HEADER_IN_BYTES: usize = 16;
/// No letter's text is longer.
const MOST_IN_BYTES: usize = 64 << 20;
/// Groups in groups are not deeper.
const DEEPEST: usize = 1000;

/// The rich text in a compressed one.
pub fn unpacked(bytes: &[u8]) -> Result<Vec<u8>, FormatError> {
    let wrong = |detail: &str| FormatError::damaged(WHAT, detail);
    let kind = bytes.get(8..12).ok_or_else(|| wrong("it ends in its beginning"))?;
    let length = (number(bytes, 4, 4).unwrap_or_default() as usize).min(MOST_IN_BYTES);
    let content = bytes.get(HEADER_IN_BYTES..).unwrap_or_default();
    if kind == PLAIN {
        return Ok(content[..length.min(content.len())].to_vec());
    }
    if kind != COMPRESSED {
        return Err(wrong("it is compressed in a way that is not known"));
    }
    let mut dictionary = [0; DICTIONARY];
    dictionary[..BEGINNING.len()].copy_from_slice(BEGINNING);
    let mut at = BEGINNING.len();
    let mut text = Vec::new();
    let put = |text: &mut Vec<u8>, dictionary: &mut [u8; DICTIONARY], at: &mut usize, byte: u8| {
        text.push(byte);
        dictionary[*at] = byte;
        *at = (*at + 1) % DICTIONARY;
    };
    let mut rest = content.iter();
    // A text that is cut off gives as much as it holds.
    while let Some(flags) = rest.next() {
        for bit in 0..8 {
            if text.len() >= length {
                return Ok(text);
            }
            if flags >> bit & 1 == 0 {
                let Some(byte) = rest.next() else { return Ok(text) };
                put(&mut text, &mut dictionary, &mut at, *byte);
                continue;
            }
            let Some((high, low)) = rest.next().zip(rest.next()) else { return Ok(text) };
            let reference = usize::from(*high) << 8 | usize::from(*low);
            let (from, count) = (reference >> 4, (reference & 15) + 2);
            if from == at {
                return Ok(text);
            }
            for step in 0..count {
                let byte = dictionary[(from + step) % DICTIONARY];
                put(&mut text, &mut dictionary, &mut at, byte);
            }
        }
    }
    Ok(text)
}

/// The content of a rich text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// The page that it was made of.
    Html(String),
    /// Its text, without any form.
    Text(String),
}

/// Takes the page out of a rich text that was made of one, or the words out of any other.
pub fn content(rtf: &[u8]) -> Content {
    let beginning = &rtf[..rtf.len().min(1000)];
    let is_html = memchr::memmem::find(beginning, b"\\fromhtml1").is_some();
    let mut reader = Reader { rest: rtf, out: String::new(), bytes: Vec::new(), code_page: 1252, is_html };
    reader.read();
    reader.flush();
    if is_html { Content::Html(reader.out) } else { Content::Text(reader.out) }
}

struct Reader<'t> {
    rest: &'t [u8],
    out: String,
    /// Bytes of the code page that wait to be read together.
    bytes: Vec<u8>,
    code_page: u32,
    is_html: bool,
}

/// The state within a group.
#[derive(Debug, Clone, Copy)]
struct Group {
    /// Nothing in it is shown: fonts, colours, and what programs do not know.
    is_passed_by: bool,
    /// It holds a piece of the page.
    is_tag: bool,
    /// Rich text beside the page, which stands for something in it.
    is_double: bool,
    /// The number of letters behind one of Unicode that stand for it.
    skip: usize,
}

/// Groups of these names hold nothing that is shown.
const PASSED_BY: [&str; 12] = [
    "fonttbl",
    "colortbl",
    "stylesheet",
    "info",
    "pict",
    "object",
    "header",
    "footer",
    "pntext",
    "listtable",
    "listoverridetable",
    "generator",
];

impl Reader<'_> {
    fn read(&mut self) {
        let start = Group { is_passed_by: false, is_tag: false, is_double: false, skip: 1 };
        let mut open = vec![start];
        let mut is_star = false;
        let mut to_skip = 0;
        while let Some((first, rest)) = self.rest.split_first() {
            self.rest = rest;
            let Some(group) = open.last().copied() else { return };
            match first {
                b'{' if open.len() < DEEPEST => {
                    open.push(group);
                    to_skip = 0;
                }
                b'}' => {
                    open.pop();
                    to_skip = 0;
                }
                b'\\' => {
                    let (word, value) = self.control();
                    if word == "*" {
                        is_star = true;
                        continue;
                    }
                    let Some(group) = open.last_mut() else { return };
                    match word.as_str() {
                        "htmltag" if is_star && self.is_html => group.is_tag = true,
                        _ if is_star => group.is_passed_by = true,
                        name if PASSED_BY.contains(&name) => group.is_passed_by = true,
                        "htmlrtf" => group.is_double = value != Some(0),
                        "uc" => group.skip = value.map_or(1, |value| value.clamp(0, 8) as usize),
                        "ansicpg" => self.code_page = value.map_or(1252, |value| value.max(0) as u32),
                        "'" if to_skip > 0 => to_skip -= 1,
                        _ => {
                            let group = *group;
                            if word == "u" {
                                to_skip = group.skip;
                            }
                            if self.shows(group) {
                                self.put_control(&word, value);
                            }
                        }
                    }
                    is_star = false;
                    continue;
                }
                b'\r' | b'\n' => {}
                _ if to_skip > 0 => to_skip -= 1,
                byte if self.shows(group) => self.bytes.push(*byte),
                _ => {}
            }
            is_star = false;
        }
    }

    fn shows(&self, group: Group) -> bool {
        !group.is_passed_by && !group.is_double
    }

    /// The name of a control word behind its backslash, and its number.
    fn control(&mut self) -> (String, Option<i64>) {
        let letters = self.rest.iter().take_while(|byte| byte.is_ascii_alphabetic()).count();
        if letters == 0 {
            let Some((sign, rest)) = self.rest.split_first() else { return (String::new(), None) };
            self.rest = rest;
            if *sign != b'\'' {
                return (char::from(*sign).to_string(), None);
            }
            let (hex, behind) = rest.split_at(rest.len().min(2));
            self.rest = behind;
            let value = std::str::from_utf8(hex).ok().and_then(|hex| i64::from_str_radix(hex, 16).ok());
            return ("'".to_owned(), value);
        }
        let (word, rest) = self.rest.split_at(letters.min(64));
        let sign = usize::from(rest.first() == Some(&b'-'));
        let digits = rest[sign..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        let end = if digits > 0 { sign + digits } else { 0 };
        let value = std::str::from_utf8(&rest[..end]).ok().and_then(|digits| digits.parse().ok());
        self.rest = &rest[end..];
        if self.rest.first() == Some(&b' ') {
            self.rest = &self.rest[1..];
        }
        (String::from_utf8_lossy(word).into_owned(), value)
    }

    fn put_control(&mut self, word: &str, value: Option<i64>) {
        let text = match word {
            "'" => {
                self.bytes.extend(value.map(|value| value as u8));
                return;
            }
            "u" => {
                // Numbers above 32767 are written as negative ones.
                let unit = value.map_or(0xfffd, |value| value as u16);
                let letter = char::from_u32(unit.into()).unwrap_or('\u{fffd}');
                self.flush();
                return self.put_unit(unit, letter);
            }
            "par" | "line" => "\r\n",
            "tab" => "\t",
            "lquote" => "\u{2018}",
            "rquote" => "\u{2019}",
            "ldblquote" => "\u{201c}",
            "rdblquote" => "\u{201d}",
            "bullet" => "\u{2022}",
            "endash" => "\u{2013}",
            "emdash" => "\u{2014}",
            "~" => "\u{a0}",
            "_" => "\u{ad}",
            "\\" | "{" | "}" => word,
            _ => return,
        };
        self.flush();
        self.out.push_str(text);
    }

    /// Puts one unit of UTF-16: two of them may be one letter.
    fn put_unit(&mut self, unit: u16, letter: char) {
        const SECOND_HALVES: std::ops::RangeInclusive<u16> = 0xdc00..=0xdfff;
        const HALF: char = '\u{f0000}';
        if (0xd800..=0xdbff).contains(&unit) {
            // It waits as a letter of private use for its other half.
            self.out.push(char::from_u32(HALF as u32 + u32::from(unit & 0x3ff)).unwrap_or('\u{fffd}'));
        } else if SECOND_HALVES.contains(&unit) {
            let first = self.out.pop().map_or(0, |first| (first as u32).wrapping_sub(HALF as u32));
            let whole = 0x1_0000 + (first & 0x3ff) * 0x400 + u32::from(unit & 0x3ff);
            self.out.push(char::from_u32(whole).unwrap_or('\u{fffd}'));
        } else {
            self.out.push(letter);
        }
    }

    fn flush(&mut self) {
        if !self.bytes.is_empty() {
            let bytes = std::mem::take(&mut self.bytes);
            self.out.push_str(&encoding::of_code_page(&bytes, self.code_page));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn compressed_text_is_unpacked_and_what_is_cut_off_gives_what_it_holds() {
        assert_eq!(BEGINNING.len(), 207);
        // The example of the description.
        let packed = [
            0x2d, 0, 0, 0, 0x2b, 0, 0, 0, 0x4c, 0x5a, 0x46, 0x75, 0xf1, 0xc5, 0xc7, 0xa7, 0x03, 0x00, 0x0a,
            0x00, 0x72, 0x63, 0x70, 0x67, 0x31, 0x32, 0x35, 0x42, 0x32, 0x0a, 0xf3, 0x20, 0x68, 0x65, 0x6c,
            0x09, 0x00, 0x20, 0x62, 0x77, 0x05, 0xb0, 0x6c, 0x64, 0x7d, 0x0a, 0x80, 0x0f, 0xa0,
        ];
        let text = unpacked(&packed).unwrap();
        assert_eq!(String::from_utf8_lossy(&text), "{\\rtf1\\ansi\\ansicpg1252\\pard hello world}\r\n");
        assert!(text.starts_with(&unpacked(&packed[..30]).unwrap()));
        assert!(unpacked(&packed[..9]).is_err());
    }

    #[test]
    fn a_page_comes_out_as_it_went_in_and_other_texts_give_their_words() {
        let rtf = br"{\rtf1\ansi\ansicpg1252\fromhtml1 \deff0{\fonttbl{\f0\fswiss Arial;}}
{\*\htmltag19 <html>}{\*\htmltag50 <body>}\htmlrtf {\b \htmlrtf0 {\*\htmltag84 <b>}Caf\'e9 \u8364?{\*\htmltag92 </b>}\htmlrtf }\htmlrtf0
{\*\htmltag58 </body>}{\*\mhtmltag1 <junk>}}";
        assert_eq!(content(rtf), Content::Html("<html><body><b>Caf\u{e9} \u{20ac}</b></body>".to_owned()));
        let plain = br"{\rtf1\ansi{\info{\author Ines}}Two \{kites\}\par and \u-10179?\u-8704? more\tab\'e9}";
        assert_eq!(content(plain), Content::Text("Two {kites}\r\nand \u{1f600} more\t\u{e9}".to_owned()));
        for torn in [&b"{\\"[..], b"{\\rtf1 {{{{", b"\\'", b"\\u", b"}}}}text", b""] {
            content(torn);
        }
    }
}
