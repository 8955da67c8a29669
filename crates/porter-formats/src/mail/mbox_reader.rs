//! The letters of a mailbox, one after the other. No more than the head of one is held.

use super::head::{Summary, summary};
use super::letter_flags::LetterFlags;
use super::mbox::{EXPUNGED, is_envelope, status_in};
use std::io::{self, BufRead, Write};

/// So much of a line is looked at as one.
const LONGEST_PIECE_IN_BYTES: usize = 1 << 16;
/// Bytes behind that count as the body.
const LONGEST_HEAD_IN_BYTES: usize = 1 << 20;
/// Lines of the mailbox, not of the letter: its writer makes others.
const OF_MAILBOX: [&[u8]; 4] = [b"x-mozilla-status:", b"x-mozilla-status2:", b"x-evolution:", b"status:"];

/// See the module.
pub struct MboxReader<R> {
    from: R,
    /// A line, or the next piece of a long one, with its end.
    piece: Vec<u8>,
    /// The piece begins a line.
    begins_line: bool,
    /// The line before was empty, or there was none.
    is_behind_empty_line: bool,
    /// The piece is not used yet.
    is_waiting: bool,
    /// The piece is a line between two letters.
    is_at_letter: bool,
}

/// The head of a letter.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MboxLetter {
    /// Its lines, with the line ends of the internet, without those of the mailbox.
    pub head: Vec<u8>,
    /// Its summary.
    pub summary: Summary,
}

impl<R: BufRead> MboxReader<R> {
    /// At the beginning of a mailbox.
    pub fn new(from: R) -> Self {
        Self {
            from,
            piece: Vec::new(),
            begins_line: true,
            is_behind_empty_line: true,
            is_waiting: false,
            is_at_letter: false,
        }
    }

    /// Reads the next line, or the next piece of one. False at the end.
    fn read_piece(&mut self) -> io::Result<bool> {
        if self.is_waiting {
            self.is_waiting = false;
            return Ok(true);
        }
        if !self.piece.is_empty() {
            let was_empty = self.begins_line && without_end(&self.piece).is_empty();
            self.begins_line = self.piece.ends_with(b"\n");
            if self.begins_line {
                self.is_behind_empty_line = was_empty;
            }
        }
        self.piece.clear();
        let mut limited = io::Read::take(&mut self.from, LONGEST_PIECE_IN_BYTES as u64);
        limited.read_until(b'\n', &mut self.piece)?;
        self.is_at_letter =
            self.begins_line && self.is_behind_empty_line && is_envelope(without_end(&self.piece));
        Ok(!self.piece.is_empty())
    }

    /// The head of the next letter. The rest of the one before is passed by, and so are deleted letters.
    pub fn next_letter(&mut self) -> io::Result<Option<MboxLetter>> {
        loop {
            while !self.is_at_letter {
                if !self.read_piece()? {
                    return Ok(None);
                }
            }
            self.is_at_letter = false;
            self.is_waiting = false;
            let (mut head, mut status) = (Vec::new(), None);
            while head.len() < LONGEST_HEAD_IN_BYTES && self.read_piece()? {
                let line = without_end(&self.piece);
                // A letter without a body has no empty line before the next.
                if self.is_at_letter || (self.begins_line && line.is_empty()) {
                    self.is_waiting = self.is_at_letter;
                    break;
                }
                if self.begins_line && is_of_mailbox(line) {
                    // The finer one counts.
                    if status.is_none() || line[0].eq_ignore_ascii_case(&b'x') {
                        status = status_in(line).or(status);
                    }
                    continue;
                }
                head.extend_from_slice(line);
                if self.piece.ends_with(b"\n") {
                    head.extend_from_slice(b"\r\n");
                }
            }
            if status.is_some_and(|bits| bits & EXPUNGED != 0) {
                continue;
            }
            let flags = status.map_or(LetterFlags::READ, LetterFlags::from_mozilla);
            let summary = Summary { flags, ..summary(&head) };
            return Ok(Some(MboxLetter { head, summary }));
        }
    }

    /// Writes the body of the letter whose head was read last, with the line ends of the internet.
    pub fn body(&mut self, to: &mut dyn Write) -> io::Result<()> {
        // The empty line before the next letter is of the mailbox.
        let mut has_empty_line = false;
        while !self.is_at_letter && self.read_piece()? {
            if self.is_at_letter {
                self.is_waiting = true;
                break;
            }
            let line = without_end(&self.piece);
            let is_whole = self.piece.ends_with(b"\n");
            if has_empty_line {
                to.write_all(b"\r\n")?;
            }
            has_empty_line = self.begins_line && line.is_empty();
            if has_empty_line {
                continue;
            }
            // A mark that keeps a line from beginning a letter.
            let marks = line.iter().take_while(|byte| **byte == b'>').count();
            let is_marked = self.begins_line && marks > 0 && line[marks..].starts_with(b"From ");
            to.write_all(if is_marked { &line[1..] } else { line })?;
            if is_whole {
                to.write_all(b"\r\n")?;
            }
        }
        Ok(())
    }
}

fn is_of_mailbox(line: &[u8]) -> bool {
    OF_MAILBOX.iter().any(|name| line.get(..name.len()).is_some_and(|own| own.eq_ignore_ascii_case(name)))
}

/// A letter that was kept as one of a mailbox, in a file of its own: without the line before it, and without
/// the mailbox's lines in its head.
pub fn without_marks(letter: &[u8]) -> Vec<u8> {
    let begin = match memchr::memchr(b'\n', letter) {
        Some(end) if is_envelope(without_end(&letter[..=end])) => end + 1,
        _ => 0,
    };
    let letter = &letter[begin..];
    let (head, rest) = letter.split_at(super::head::end_of(letter));
    let lines = head.split_inclusive(|byte| *byte == b'\n').filter(|line| !is_of_mailbox(line));
    [&lines.collect::<Vec<_>>().concat(), rest].concat()
}

fn without_end(line: &[u8]) -> &[u8] {
    let line = line.strip_suffix(b"\n").unwrap_or(line);
    line.strip_suffix(b"\r").unwrap_or(line)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mail::mbox_writer::{Envelope, Marks, MboxWriter};

    fn letters(file: &[u8]) -> Vec<(LetterFlags, String)> {
        let mut reader = MboxReader::new(file);
        let mut all = Vec::new();
        while let Some(MboxLetter { head, summary }) = reader.next_letter().unwrap() {
            let mut letter = [&head[..], b"\r\n"].concat();
            reader.body(&mut letter).unwrap();
            all.push((summary.flags, String::from_utf8(letter).unwrap()));
        }
        all
    }

    #[test]
    fn what_was_written_is_read_again_and_what_others_wrote_too() {
        let first = LetterFlags { is_starred: true, ..LetterFlags::default() };
        let texts = [
            (first, "Subject: a\r\n\r\nFrom the marsh\r\n>From - x\r\n\r\n\r\nend\r\n"),
            (LetterFlags::READ, "Subject: b\r\n\r\n"),
            (LetterFlags::READ, "Subject: c\r\nX-More: d\r\n\r\nFrom - Mon Mar  5 08:00:00 2012\r\n"),
        ];
        for marks in [Marks::Mozilla, Marks::Evolution] {
            let mut writer = MboxWriter::new(Vec::new()).with_marks(marks);
            for (flags, text) in texts {
                writer.letter(Envelope { at_utc: None, flags }, |to| to.write_all(text.as_bytes())).unwrap();
            }
            let found = letters(&writer.finish().unwrap());
            let expected: Vec<_> = texts.iter().map(|(flags, text)| (*flags, (*text).to_owned())).collect();
            assert_eq!(found, expected, "{marks:?}");
        }
        let deleted = b"From - x Mon Mar  5 08:00:00 2012\nX-Evolution: 00000007-0012\nSubject: gone\n\n";
        assert!(letters(deleted).is_empty());
        let others = b"From - Mon Mar  5 08:00:00 2012\r\nX-Mozilla-Status: 0009\r\n\r\ngone\r\n\r\n\
            From a@b Mon Mar  5 08:00:00 2012\nStatus: O\nSubject: kept\n\nFrom here on\n\nlast line";
        let expected = "Subject: kept\r\n\r\nFrom here on\r\n\r\nlast line";
        assert_eq!(letters(others), [(LetterFlags::default(), expected.to_owned())]);
        assert!(letters(b"no mailbox\n\nat all").is_empty());
        let alone = b"From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: 0001\nSubject: a\n\nStatus: x\n";
        assert_eq!(without_marks(alone), b"Subject: a\n\nStatus: x\n");
        assert_eq!(without_marks(b"Subject: a"), b"Subject: a");
    }
}
