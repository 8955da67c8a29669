//! The lines of a file from the last to the first, without holding more than a stretch of them.

use crate::journal::lines::{LONGEST_IN_BYTES, next_line};
use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// The number of lines, or of bytes, read at once.
const STRETCH: usize = 4096;
const STRETCH_IN_BYTES: u64 = 4 << 20;

/// Whole lines of a text file, backwards; an empty one for each that is longer than any.
pub(crate) struct Backwards {
    file: File,
    /// Where stretches begin, and at last where the lines end.
    begins: Vec<u64>,
    ready: Vec<Vec<u8>>,
}

impl Backwards {
    /// Reads the file once to find its lines. A line longer than the limit is a stretch of its own.
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        let mut lines = BufReader::new(File::open(path)?);
        let (mut begins, mut at, mut begin, mut number) = (vec![0], 0_u64, 0_u64, 0_usize);
        let mut line = Vec::new();
        while let Some(length_in_bytes) = next_line(&mut lines, &mut line)? {
            let is_too_long = length_in_bytes > LONGEST_IN_BYTES;
            if is_too_long && at > begin {
                begins.push(at);
            }
            at += length_in_bytes;
            number += 1;
            if is_too_long || number == STRETCH || at - begin >= STRETCH_IN_BYTES {
                begins.push(at);
                (begin, number) = (at, 0);
            }
        }
        if at > begin {
            begins.push(at);
        }
        Ok(Self { file: lines.into_inner(), begins, ready: Vec::new() })
    }

    fn read_stretch(&mut self) -> io::Result<bool> {
        let (Some(end), Some(begin)) = (self.begins.pop(), self.begins.last()) else { return Ok(false) };
        if end - begin > STRETCH_IN_BYTES + LONGEST_IN_BYTES {
            // Nothing could be made of it.
            self.ready = vec![Vec::new()];
            return Ok(true);
        }
        self.file.seek(SeekFrom::Start(*begin))?;
        let mut bytes = Vec::new();
        (&self.file).take(end - begin).read_to_end(&mut bytes)?;
        self.ready = bytes.split(|byte| *byte == b'\n').map(<[u8]>::to_vec).collect();
        // Behind the last end of a line there is nothing.
        self.ready.pop();
        Ok(true)
    }
}

impl Iterator for Backwards {
    type Item = io::Result<Vec<u8>>;

    fn next(&mut self) -> Option<Self::Item> {
        loop {
            if let Some(line) = self.ready.pop() {
                return Some(Ok(line));
            }
            match self.read_stretch() {
                Ok(true) => {}
                Ok(false) => return None,
                Err(cause) => return Some(Err(cause)),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_whole_line_comes_once_from_the_last_to_the_first() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("lines");
        for (number, tail) in [(0, ""), (1, ""), (STRETCH, ""), (STRETCH + 1, "cut"), (3 * STRETCH - 1, "x")]
        {
            let text: String = (0..number).map(|n| format!("line {n}\n")).collect();
            std::fs::write(&path, text + tail).unwrap();
            let found: Vec<String> = Backwards::open(&path)
                .unwrap()
                .map(|line| String::from_utf8(line.unwrap()).unwrap())
                .collect();
            let expected: Vec<String> = (0..number).rev().map(|n| format!("line {n}")).collect();
            assert_eq!(found, expected, "{number}");
        }
    }
}
