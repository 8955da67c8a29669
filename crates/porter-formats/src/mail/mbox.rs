//! Letters one behind the other in a file (RFC 4155), with the flags that Mozilla's programs write into them
//! (`X-Mozilla-Status`: <https://www-archive.mozilla.org/mailnews/arch/mailflags.html>).

use super::letter_flags::LetterFlags;
use memchr::memchr;

/// Each letter begins with such a line, at the start of the file or behind an empty one.
const ENVELOPE: &[u8] = b"From ";
/// Flags of Mozilla's status: somebody has read the letter; it is deleted, and goes when the file is next
/// compacted.
const READ: u32 = 0x0001;
pub(super) const EXPUNGED: u32 = 0x0008;
/// No line that matters is longer: only so much of one is kept.
const LONGEST_LINE_IN_BYTES: usize = 256;

/// The letters of a mailbox.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Letters {
    /// All but those that are deleted.
    pub messages: u64,
    /// Those of them that nobody has read. A letter without a status counts as read.
    pub unread: u64,
}

/// True for the beginning of a mailbox.
pub fn is_one(beginning: &[u8]) -> bool {
    beginning.starts_with(ENVELOPE)
}

/// Counts letters in pieces of a file, in their order. It holds no more than the beginning of a line.
#[derive(Debug)]
pub struct Counter {
    letters: Letters,
    /// The beginning of the line that is not over yet.
    line: Vec<u8>,
    is_behind_empty_line: bool,
    /// The status of the letter whose head is being read.
    head: Option<Option<u32>>,
}

impl Default for Counter {
    fn default() -> Self {
        Self { letters: Letters::default(), line: Vec::new(), is_behind_empty_line: true, head: None }
    }
}

impl Counter {
    /// The next bytes of the file.
    pub fn feed(&mut self, mut bytes: &[u8]) {
        while let Some(end) = memchr(b'\n', bytes) {
            self.keep(&bytes[..end]);
            self.end_line();
            bytes = &bytes[end + 1..];
        }
        self.keep(bytes);
    }

    /// All letters of the file, at its end.
    pub fn letters(mut self) -> Letters {
        if !self.line.is_empty() {
            self.end_line();
        }
        self.end_head();
        self.letters
    }

    fn keep(&mut self, bytes: &[u8]) {
        let room = LONGEST_LINE_IN_BYTES - self.line.len();
        self.line.extend_from_slice(&bytes[..bytes.len().min(room)]);
    }

    fn end_line(&mut self) {
        let line = std::mem::take(&mut self.line);
        let text = line.strip_suffix(b"\r").unwrap_or(&line);
        if self.is_behind_empty_line && is_envelope(text) {
            self.end_head();
            self.head = Some(None);
        } else if let Some(status) = &mut self.head {
            if text.is_empty() {
                self.end_head();
            } else if let Some(flags) = status_in(text) {
                *status = Some(flags);
            }
        }
        self.is_behind_empty_line = text.is_empty();
        // The same room is used for the next line.
        self.line = line;
        self.line.clear();
    }

    fn end_head(&mut self) {
        let Some(status) = self.head.take() else { return };
        let flags = status.unwrap_or(READ);
        if flags & EXPUNGED == 0 {
            self.letters.messages += 1;
            self.letters.unread += u64::from(flags & READ == 0);
        }
    }
}

/// A sender and a date, or nothing behind the word. A sentence that begins with it is not one.
pub(super) fn is_envelope(line: &[u8]) -> bool {
    const DAYS: [&[u8]; 7] = [b"Mon", b"Tue", b"Wed", b"Thu", b"Fri", b"Sat", b"Sun"];
    let Some(rest) = line.strip_prefix(ENVELOPE) else { return line == b"From" };
    let mut words = rest.split(|byte| *byte == b' ').filter(|word| !word.is_empty());
    match (words.next(), words.next()) {
        (None, _) => true,
        (Some(_), Some(day)) => DAYS.iter().any(|known| day.get(..3) == Some(*known)) && rest.contains(&b':'),
        (Some(_), None) => false,
    }
}

/// The flags, as Mozilla numbers them, of `X-Mozilla-Status: 0001`, of `X-Evolution: 0000001f-0010`, or of
/// the `Status: RO` of other programs.
pub(super) fn status_in(line: &[u8]) -> Option<u32> {
    let colon = memchr(b':', line)?;
    let value = line[colon + 1..].trim_ascii();
    match &line[..colon] {
        name if name.eq_ignore_ascii_case(b"x-mozilla-status") => {
            u32::from_str_radix(std::str::from_utf8(value).ok()?, 16).ok()
        }
        name if name.eq_ignore_ascii_case(b"x-evolution") => {
            /// `CAMEL_MESSAGE_DELETED`.
            const DELETED: u32 = 0x2;
            let (_, marks) = std::str::from_utf8(value).ok()?.split_once('-')?;
            let bits = u32::from_str_radix(marks.get(..4)?, 16).ok()?;
            let expunged = if bits & DELETED != 0 { EXPUNGED } else { 0 };
            Some(LetterFlags::from_evolution(bits).to_mozilla() | expunged)
        }
        name if name.eq_ignore_ascii_case(b"status") => Some(u32::from(value.contains(&b'R'))),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn count(file: &[u8], piece: usize) -> (u64, u64) {
        let mut counter = Counter::default();
        file.chunks(piece).for_each(|bytes| counter.feed(bytes));
        let Letters { messages, unread } = counter.letters();
        (messages, unread)
    }

    #[test]
    fn letters_are_told_from_sentences_and_from_what_was_deleted() {
        let file = b"From - Mon Mar  5 08:00:00 2012\r\nX-Mozilla-Status: 0001\r\nSubject: a\r\n\r\nbody\r\n\r\n\
            From here on the wind was good: 12 knots\r\n\r\n>From - Mon Mar  5 08:00:00 2012\r\n\r\n\
            From odile@saltmarsh.example Tue Mar  6 08:00:00 2012\nX-Mozilla-Status: 0000\n\nX-Mozilla-Status: 0009\n\n\
            From \nX-Mozilla-Status: 0009\n\ngone\n\nFrom - Wed Mar  7 08:00:00 2012\nStatus: O\n\n\
            text\nFrom - Wed Mar  7 08:00:00 2012\nin a letter\n\nFrom - Thu Mar  8 08:00:00 2012\nSubject: the last";
        for piece in [1, 3, 64, file.len()] {
            assert_eq!(count(file, piece), (4, 2), "in pieces of {piece}");
        }
        assert_eq!(count(b"", 1), (0, 0));
        assert_eq!(count(b"no mailbox\n\nFrom the sea\n", 5), (0, 0));
        assert!(is_one(b"From - x") && !is_one(b"from"));
    }

    #[test]
    fn a_line_without_an_end_takes_no_memory() {
        let mut counter = Counter::default();
        for _ in 0..1000 {
            counter.feed(&[b'x'; 4096]);
        }
        assert!(counter.line.len() <= LONGEST_LINE_IN_BYTES);
        assert_eq!(counter.letters(), Letters::default());
    }
}
