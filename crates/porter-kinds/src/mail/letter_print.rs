//! The print of a letter: the same for one letter wherever it lies.
//!
//! Mail programs note their own things in a letter's head (whether it was read, which account it came by),
//! end lines each in their way and put empty lines behind it. None of that is of the letter, so none of that
//! counts. All else does: two letters of one `Message-ID` that differ in a word are two.

use porter_trunk::ContentHasher;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;
use std::io::{self, Write};

/// Half of a hash of BLAKE3: enough that nobody can make two letters of one print.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LetterPrint([u8; 16]);

impl LetterPrint {
    /// The print of a whole letter.
    pub fn of(letter: &[u8]) -> Self {
        let mut printing = Printing::default();
        printing.add(letter);
        printing.finish()
    }

    fn from_hex(text: &str) -> Option<Self> {
        if text.len() != 32 || !text.is_ascii() {
            return None;
        }
        u128::from_str_radix(text, 16).ok().map(|number| Self(number.to_be_bytes()))
    }
}

impl fmt::Display for LetterPrint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:032x}", u128::from_be_bytes(self.0))
    }
}

impl fmt::Debug for LetterPrint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl Serialize for LetterPrint {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for LetterPrint {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Self::from_hex(&text).ok_or_else(|| serde::de::Error::custom("not the print of a letter"))
    }
}

/// The beginnings of lines that mail programs put into the head of a letter.
const OF_PROGRAMS: [&[u8]; 6] =
    [b"x-mozilla-", b"x-evolution:", b"status:", b"x-status:", b"x-account-key:", b"x-uidl:"];
/// So much of a line of a head is looked at as one.
const LONGEST_LINE_IN_BYTES: usize = 1 << 16;

/// Makes the print of a letter that is written to it, in pieces of any length.
pub struct Printing {
    hasher: ContentHasher,
    is_in_head: bool,
    /// A line of the head, as far as it came.
    line: Vec<u8>,
    /// The line before is not of the letter, so what goes on in it is not either.
    is_passed_by: bool,
    /// Line ends that count once something comes behind them.
    line_ends: usize,
}

impl Default for Printing {
    fn default() -> Self {
        Self {
            hasher: ContentHasher::default(),
            is_in_head: true,
            line: Vec::new(),
            is_passed_by: false,
            line_ends: 0,
        }
    }
}

impl Printing {
    /// Adds what comes next.
    pub fn add(&mut self, mut piece: &[u8]) {
        while self.is_in_head && !piece.is_empty() {
            let room = LONGEST_LINE_IN_BYTES - self.line.len();
            let end = piece.iter().take(room).position(|byte| *byte == b'\n');
            let (now, rest) = piece.split_at(end.map_or(piece.len().min(room), |end| end + 1));
            self.line.extend_from_slice(now);
            piece = rest;
            if end.is_some() || self.line.len() == LONGEST_LINE_IN_BYTES {
                self.end_line();
            }
        }
        self.count(piece);
    }

    fn end_line(&mut self) {
        let line = std::mem::take(&mut self.line);
        let goes_on = line.first().is_some_and(|first| b" \t".contains(first));
        if !goes_on {
            self.is_passed_by = OF_PROGRAMS
                .iter()
                .any(|begin| line.get(..begin.len()).is_some_and(|own| own.eq_ignore_ascii_case(begin)));
        }
        self.is_in_head = line.trim_ascii_end() != b"" || goes_on;
        if !self.is_passed_by {
            self.count(&line);
        }
    }

    fn count(&mut self, piece: &[u8]) {
        for line in piece.split_inclusive(|byte| *byte == b'\n') {
            let text = line.strip_suffix(b"\n").unwrap_or(line);
            for text in text.split(|byte| *byte == b'\r').filter(|text| !text.is_empty()) {
                for _ in 0..std::mem::take(&mut self.line_ends) {
                    self.hasher.update(b"\n");
                }
                self.hasher.update(text);
            }
            self.line_ends += usize::from(text.len() < line.len());
        }
    }

    /// The print of what was added.
    pub fn finish(mut self) -> LetterPrint {
        self.end_line();
        let hash = self.hasher.finish().to_string();
        LetterPrint::from_hex(hash.get(..32).unwrap_or_default()).unwrap_or(LetterPrint([0; 16]))
    }
}

impl Write for Printing {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.add(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_and_line_ends_of_programs_do_not_count_and_every_word_does() {
        let plain: &[u8] = b"Message-ID: <1@kites>\nSubject: Kite\n\nFrom the marsh\n\n\nStatus: windy";
        let marked: &[u8] =
            b"X-Mozilla-Status: 0001\r\nMessage-ID: <1@kites>\r\nX-Mozilla-Keys: a\r\n \t b\r\n\
            Status: RO\r\nSubject: Kite\r\n\r\nFrom the marsh\r\n\r\n\r\nStatus: windy\r\n\r\n\r\n";
        assert_eq!(LetterPrint::of(plain), LetterPrint::of(marked));
        for length in [1, 2, 7, 30] {
            let mut printing = Printing::default();
            marked.chunks(length).for_each(|piece| printing.add(piece));
            assert_eq!(printing.finish(), LetterPrint::of(plain), "in pieces of {length}");
        }
        for other in [
            &b"Message-ID: <1@kites>\nSubject: Kite\n\nFrom the marsh\n\nStatus: windy"[..],
            b"Message-ID: <1@kites>\nSubject: Kite\n\nFrom the marsh\n\n\nStatus: calm",
            b"Message-ID: <1@kites>\nSubject: Kite\n b\n\nFrom the marsh\n\n\nStatus: windy",
            b"Message-ID: <1@kites>\nSubject: Kite\nFrom the marsh\n\n\nStatus: windy",
        ] {
            assert_ne!(LetterPrint::of(plain), LetterPrint::of(other), "{}", String::from_utf8_lossy(other));
        }
        let long = [b"Subject: ".as_slice(), &[b'k'; 200_000], b"\n\nx"].concat();
        assert_ne!(LetterPrint::of(&long), LetterPrint::of(&long[..150_000]));
        let written = serde_json::to_string(&LetterPrint::of(plain)).unwrap();
        assert_eq!(serde_json::from_str::<LetterPrint>(&written).unwrap(), LetterPrint::of(plain));
    }
}
