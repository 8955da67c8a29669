//! Content that several threads read at once.

use std::io;

/// A content that can be had from anywhere in it, by several threads at once.
pub trait LongContent: Sync {
    /// Reads up to `buffer.len()` bytes; 0 at the end.
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize>;

    /// Lets `look` see a stretch without a copy. False if it cannot, or if what `look` saw does not count;
    /// then the stretch is read.
    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let _ = (offset_in_bytes, length_in_bytes, look);
        false
    }
}
