//! The parts of a letter, as RFC 2045 writes them.

use super::headers::LONGEST_LINE;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::io::{self, Write};

/// A text of a letter.
pub(super) struct Body {
    pub(super) media_type: &'static str,
    pub(super) charset: Option<&'static str>,
    pub(super) bytes: Vec<u8>,
}

impl Body {
    pub(super) fn utf8(media_type: &'static str, text: &str) -> Self {
        let charset = if text.is_ascii() { "us-ascii" } else { "utf-8" };
        Self { media_type, charset: Some(charset), bytes: text.as_bytes().to_vec() }
    }

    pub(super) fn write(&self, to: &mut dyn Write) -> io::Result<()> {
        let charset = self.charset.map(|charset| format!("; charset=\"{charset}\"")).unwrap_or_default();
        write!(to, "Content-Type: {}{charset}\r\n", self.media_type)?;
        let lines = || self.bytes.split(|byte| *byte == b'\n');
        // A line that looks like the end of a part would be one.
        let is_plain = self.bytes.is_ascii()
            && !self.bytes.contains(&0)
            && lines().all(|line| line.len() <= LONGEST_LINE && !line.starts_with(b"--"));
        if !is_plain {
            to.write_all(b"Content-Transfer-Encoding: base64\r\n\r\n")?;
            let mut encoded = Base64Lines::new(to);
            encoded.put(&self.bytes)?;
            return encoded.end();
        }
        to.write_all(b"Content-Transfer-Encoding: 7bit\r\n\r\n")?;
        let mut lines = lines().peekable();
        while let Some(line) = lines.next() {
            to.write_all(line.strip_suffix(b"\r").unwrap_or(line))?;
            // Behind the last line end there is no further line.
            if lines.peek().is_some() {
                to.write_all(b"\r\n")?;
            }
        }
        Ok(())
    }
}

/// Lines of base64, from pieces of any length.
pub(super) struct Base64Lines<'w> {
    waiting: Vec<u8>,
    /// Lines that are written together.
    lines: Vec<u8>,
    to: &'w mut dyn Write,
}

impl<'w> Base64Lines<'w> {
    const IN_A_LINE: usize = 57;

    pub(super) fn new(to: &'w mut dyn Write) -> Self {
        Self { waiting: Vec::new(), lines: Vec::new(), to }
    }

    pub(super) fn put(&mut self, piece: &[u8]) -> io::Result<()> {
        /// With its end.
        const LINE: usize = 78;
        self.waiting.extend_from_slice(piece);
        let whole = self.waiting.len() / Self::IN_A_LINE * Self::IN_A_LINE;
        for lines in self.waiting[..whole].chunks(Self::IN_A_LINE * 512) {
            self.lines.resize(lines.len() / Self::IN_A_LINE * LINE, b'\n');
            for (line, to) in lines.chunks_exact(Self::IN_A_LINE).zip(self.lines.chunks_exact_mut(LINE)) {
                STANDARD.encode_slice(line, &mut to[..LINE - 2]).map_err(io::Error::other)?;
                to[LINE - 2..].copy_from_slice(b"\r\n");
            }
            self.to.write_all(&self.lines)?;
        }
        self.waiting.drain(..whole);
        Ok(())
    }

    pub(super) fn end(self) -> io::Result<()> {
        if self.waiting.is_empty() {
            return Ok(());
        }
        self.to.write_all(STANDARD.encode(&self.waiting).as_bytes())?;
        self.to.write_all(b"\r\n")
    }
}
