//! Where in the body of a block each of its contents begins.

use super::block::Directory;
use std::ops::Range;

/// The first byte of each content, and the end of the last.
pub(super) struct Begins(Vec<u32>);

impl Begins {
    /// Those of the contents that a directory names.
    pub(super) fn of(directory: &Directory) -> Self {
        let mut begin = 0_u32;
        let mut begins = vec![0];
        for (_, length) in &directory.rows {
            // They come out even with the body: the directory was read so.
            begin = begin.saturating_add(*length);
            begins.push(begin);
        }
        Self(begins)
    }

    /// The range of some consecutive contents in the body; none if there are fewer.
    pub(super) fn range(&self, first: u32, count: u32) -> Option<Range<usize>> {
        let begin = *self.0.get(first as usize)? as usize;
        let end = *self.0.get(first.checked_add(count)? as usize)? as usize;
        Some(begin..end)
    }
}
