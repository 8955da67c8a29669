//! The bytes of a long file go to the medium while more of it is written, so that the drive is at work from
//! the beginning. A system that is left alone begins seconds later, and then a restore waits for the drive at
//! its end.

use crate::host;
use std::fs::File;
use std::ops::Range;

/// To begin costs some 25 µs, whatever the length.
const STEP_IN_BYTES: u64 = 1 << 20;

/// How far a file is written, and how far its bytes are on their way.
#[derive(Debug, Default)]
pub(super) struct WritingBack {
    begun_in_bytes: u64,
    end_in_bytes: u64,
}

impl WritingBack {
    /// Notes that the next bytes of the file are written, and how many.
    pub(super) fn wrote(&mut self, length_in_bytes: usize, file: &File) {
        if let Some(stretch) = self.next(length_in_bytes) {
            host::begin_writing_back(file, stretch);
        }
    }

    /// The stretch to begin with, when there is one.
    fn next(&mut self, length_in_bytes: usize) -> Option<Range<u64>> {
        self.end_in_bytes += length_in_bytes as u64;
        if self.end_in_bytes - self.begun_in_bytes < STEP_IN_BYTES {
            return None;
        }
        let begun_in_bytes = std::mem::replace(&mut self.begun_in_bytes, self.end_in_bytes);
        Some(begun_in_bytes..self.end_in_bytes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_byte_is_begun_with_once_in_long_stretches() {
        for piece in [1, 4096, 300_000, 2_000_000] {
            let mut writing_back = WritingBack::default();
            let pieces = 5_000_000 / piece;
            let begun: Vec<Range<u64>> = (0..pieces).filter_map(|_| writing_back.next(piece)).collect();
            let end = begun.iter().fold(0, |end, stretch| {
                assert!(stretch.start == end && stretch.end - stretch.start >= STEP_IN_BYTES, "{stretch:?}");
                stretch.end
            });
            let written = (pieces * piece) as u64;
            assert!(end <= written && written - end < STEP_IN_BYTES, "{end} of {written}");
        }
        assert_eq!(WritingBack::default().next(1_000_000), None, "a short file is left to the system");
    }
}
