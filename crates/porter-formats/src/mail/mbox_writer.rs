//! Writing a mailbox (RFC 4155, in the form *mboxrd*): letters one after the other, with the line ends of
//! Unix. A line of a letter that could begin the next one gets a `>` more, which readers take away.

use super::letter_flags::LetterFlags;
use std::io::{self, Write};
use time::OffsetDateTime;
use time::macros::format_description;

/// A mailbox that is written.
pub struct MboxWriter<W: Write> {
    to: W,
    marks: Marks,
    letters: u32,
}

/// The program that is to find its own marks in a mailbox.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Marks {
    /// Mozilla's, and those that most know.
    #[default]
    Mozilla,
    /// Evolution: a line with a number of the letter and its marks (`camel-mbox-summary.c`).
    Evolution,
}

/// The facts in front of a letter.
#[derive(Debug, Clone, Copy)]
pub struct Envelope {
    /// When it came; the beginning of 1970 if that is not known.
    pub at_utc: Option<OffsetDateTime>,
    /// Marks: read, answered and the like.
    pub flags: LetterFlags,
}

impl<W: Write> MboxWriter<W> {
    /// At the beginning of a new mailbox.
    pub fn new(to: W) -> Self {
        Self { to, marks: Marks::default(), letters: 0 }
    }

    /// With the marks of a program.
    #[must_use]
    pub fn with_marks(self, marks: Marks) -> Self {
        Self { marks, ..self }
    }

    /// Adds a letter, which `write` writes with the line ends of the internet.
    pub fn letter<T>(
        &mut self,
        envelope: Envelope,
        write: impl FnOnce(&mut dyn Write) -> io::Result<T>,
    ) -> io::Result<T> {
        let form = format_description!(
            "[weekday repr:short] [month repr:short] [day padding:space] [hour]:[minute]:[second] [year]"
        );
        let at =
            envelope.at_utc.unwrap_or(OffsetDateTime::UNIX_EPOCH).format(&form).map_err(io::Error::other)?;
        let status = if envelope.flags.is_read { "RO" } else { "O" };
        self.letters += 1;
        match self.marks {
            // Mozilla's programs read the second line, others the third.
            Marks::Mozilla => {
                let mozilla = envelope.flags.to_mozilla();
                write!(self.to, "From - {at}\nX-Mozilla-Status: {mozilla:04x}\nStatus: {status}\n")?;
            }
            // A number that is another letter's by now gets a new one.
            Marks::Evolution => {
                let (number, marks) = (self.letters, envelope.flags.to_evolution());
                write!(self.to, "From - {at}\nX-Evolution: {number:08x}-{marks:04x}\nStatus: {status}\n")?;
            }
        }
        let mut lines = Lines { to: &mut self.to, waiting: Vec::new(), is_at_begin: true };
        let done = write(&mut lines)?;
        lines.end()?;
        Ok(done)
    }

    /// The stream that it writes to: between two letters.
    pub fn get_mut(&mut self) -> &mut W {
        &mut self.to
    }

    /// Writes the rest out, and returns what it wrote to.
    pub fn finish(mut self) -> io::Result<W> {
        self.to.flush()?;
        Ok(self.to)
    }
}

/// Lines on their way into a mailbox. Only the beginning of a line is looked at, however long it is.
struct Lines<'w, W: Write> {
    to: &'w mut W,
    /// The beginning of a line, as long as it may be one of a letter.
    waiting: Vec<u8>,
    is_at_begin: bool,
}

impl<W: Write> Lines<'_, W> {
    /// True if more could still make it `>>From `.
    fn may_begin_a_letter(&self) -> bool {
        let rest = &self.waiting[self.waiting.iter().take_while(|byte| **byte == b'>').count()..];
        b"From ".starts_with(rest) || rest.starts_with(b"From ")
    }

    fn settle(&mut self) -> io::Result<()> {
        let marks = self.waiting.iter().take_while(|byte| **byte == b'>').count();
        if self.waiting[marks..].starts_with(b"From ") {
            self.to.write_all(b">")?;
        }
        self.to.write_all(&self.waiting)?;
        self.waiting.clear();
        self.is_at_begin = false;
        Ok(())
    }

    /// Every letter ends with a line, and an empty one behind it.
    fn end(mut self) -> io::Result<()> {
        let is_open = !self.waiting.is_empty() || !self.is_at_begin;
        self.settle()?;
        self.to.write_all(if is_open { b"\n\n" } else { b"\n" })
    }
}

impl<W: Write> Write for Lines<'_, W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut coming = bytes;
        while !coming.is_empty() {
            let end = memchr::memchr(b'\n', coming).map_or(coming.len(), |at| at + 1);
            let (piece, behind) = coming.split_at(end);
            coming = behind;
            let (line, is_whole) = match piece {
                [line @ .., b'\r', b'\n'] | [line @ .., b'\n'] => (line, true),
                line => (line, false),
            };
            // Most lines are whole, and begin with neither mark.
            let is_harmless = is_whole && !matches!(line.first(), Some(b'>' | b'F'));
            if is_harmless && self.is_at_begin && self.waiting.is_empty() {
                self.to.write_all(line)?;
                self.to.write_all(b"\n")?;
                continue;
            }
            // A return that ends this piece may belong to a line end that begins the next one.
            let line = line.strip_suffix(b"\r").filter(|_| !is_whole).unwrap_or(line);
            let mut rest = line;
            while self.is_at_begin && !rest.is_empty() {
                self.waiting.push(rest[0]);
                rest = &rest[1..];
                if !self.may_begin_a_letter() || self.waiting.len() > 80 {
                    self.settle()?;
                }
            }
            if !self.is_at_begin {
                self.to.write_all(rest)?;
            }
            if is_whole {
                self.settle()?;
                self.to.write_all(b"\n")?;
                self.is_at_begin = true;
            }
        }
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
    fn no_line_of_a_letter_begins_another_however_it_comes() {
        let letter =
            b"Subject: From kites\r\n\r\nFrom the marsh\r\n>From there\r\n>> From\r\nFrom\r\n\r\nFro"
                .as_slice();
        let mut written = Vec::new();
        for length in [1, 2, 5, 7, 1000] {
            let mut mailbox = MboxWriter::new(Vec::new());
            for flags in [LetterFlags::READ, LetterFlags::default()] {
                let put =
                    |to: &mut dyn Write| letter.chunks(length).try_for_each(|piece| to.write_all(piece));
                mailbox.letter(Envelope { at_utc: None, flags }, put).unwrap();
            }
            written.push(String::from_utf8(mailbox.finish().unwrap()).unwrap());
        }
        let one = |mozilla: &str, status: &str| {
            format!(
                "From - Thu Jan  1 00:00:00 1970\nX-Mozilla-Status: {mozilla}\nStatus: {status}\nSubject: From kites\n\n\
                 >From the marsh\n>>From there\n>> From\nFrom\n\nFro\n\n"
            )
        };
        let expected = format!("{}{}", one("0001", "RO"), one("0000", "O"));
        assert!(written.iter().all(|found| *found == expected), "{}", written[0]);
    }
}
