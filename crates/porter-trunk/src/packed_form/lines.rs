//! Lists of lines, block by block.

use super::block::{self, Codec, Directory, Kind, Sealed, Unpacked};
use super::buffers::Bytes;
use super::squeeze;
use crate::sealing::FileKey;
use std::io;

/// A block of lines is closed when it holds so much.
const LINES_IN_BYTES: usize = 1 << 20;

/// Lines that are not in a block yet.
pub(super) struct Lines {
    kind: Kind,
    text: Vec<u8>,
}

impl Lines {
    pub(super) fn new(kind: Kind) -> Self {
        Self { kind, text: Vec::new() }
    }

    /// True if it is time for a block.
    pub(super) fn push(&mut self, line: &[u8]) -> bool {
        self.text.extend_from_slice(line);
        self.text.push(b'\n');
        self.text.len() >= LINES_IN_BYTES
    }

    /// A block of all lines so far; none if there is none.
    pub(super) fn take(&mut self, number: u32, key: Option<&FileKey>) -> io::Result<Option<Sealed>> {
        if self.text.is_empty() {
            return Ok(None);
        }
        let text = std::mem::take(&mut self.text);
        of_bytes(self.kind, number, text, key).map(Some)
    }
}

/// The lines of a block, where they were unpacked.
pub(super) struct UnpackedLines {
    block: Unpacked,
    /// Where each line that has something in it begins and ends.
    lines: Vec<(u32, u32)>,
}

impl UnpackedLines {
    pub(super) fn of(block: Unpacked) -> Self {
        let mut lines = Vec::new();
        let mut begin = 0;
        let text = block.body();
        // A block of a list is never longer than 32 bits can say.
        for end in memchr::memchr_iter(b'\n', text).chain([text.len()]) {
            if begin < end {
                lines
                    .push((u32::try_from(begin).unwrap_or(u32::MAX), u32::try_from(end).unwrap_or(u32::MAX)));
            }
            begin = end + 1;
        }
        Self { block, lines }
    }

    pub(super) fn get(&self, number: usize) -> Option<&[u8]> {
        let (begin, end) = self.lines.get(number)?;
        self.block.body().get(*begin as usize..*end as usize)
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &[u8]> {
        (0..self.lines.len()).filter_map(|number| self.get(number))
    }
}

/// A block of some bytes, compressed where that helps.
pub(super) fn of_bytes(kind: Kind, number: u32, bytes: Vec<u8>, key: Option<&FileKey>) -> io::Result<Sealed> {
    let raw_in_bytes = bytes.len();
    let (codec, body) = match squeeze::pack(&bytes)? {
        Some(packed) => (Codec::Zstd, packed),
        None => (Codec::Plain, bytes.into()),
    };
    block::seal(kind, codec, number, &Directory::default(), Bytes::Own(body), raw_in_bytes, key)
}
