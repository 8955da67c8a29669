//! A file of blocks that is open, and read through the system's memory or past it.
//!
//! A read-back has to come from the medium: the system's memory of writing a file says nothing of the medium.
//! Past that memory, systems read whole pages of a file into memory that begins at a page (open(2),
//! `O_DIRECT`; CreateFile, `FILE_FLAG_NO_BUFFERING`), so the bytes go through a buffer.

use crate::host::{open_plain_file, open_plain_file_past_memory, read_at, read_exact_at};
use std::cell::RefCell;
use std::fs::File;
use std::io;
use std::path::Path;

/// As long as any medium's sector.
const PAGE_IN_BYTES: usize = 4096;
/// A medium is asked for this much at once.
const STRETCH_IN_BYTES: usize = 1 << 20;

thread_local! {
    static PAGES: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
}

/// See the module.
pub(super) enum OpenedFile {
    ThroughMemory(File),
    PastMemory(File),
}

impl OpenedFile {
    pub(super) fn open(path: &Path) -> io::Result<Self> {
        Ok(Self::ThroughMemory(open_plain_file(path)?))
    }

    /// Fails where the volume cannot do that.
    pub(super) fn open_past_memory(path: &Path) -> io::Result<Self> {
        Ok(Self::PastMemory(open_plain_file_past_memory(path)?))
    }

    /// True if a file that is not empty can be read so. Some volumes take the wish and refuse the reading.
    pub(super) fn can_be_read_past_memory(path: &Path) -> bool {
        Self::open_past_memory(path).and_then(|file| file.read_exact_at(0, &mut [0])).is_ok()
    }

    /// The file, if it is read through the system's memory.
    pub(super) const fn remembered(&self) -> Option<&File> {
        match self {
            Self::ThroughMemory(file) => Some(file),
            Self::PastMemory(_) => None,
        }
    }

    /// Fills a buffer with the bytes at a place in the file.
    pub(super) fn read_exact_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<()> {
        self.read_parts_at(offset_in_bytes, &mut [buffer])
    }

    /// The same for several buffers, with bytes that follow each other.
    pub(super) fn read_parts_at(&self, offset_in_bytes: u64, parts: &mut [&mut [u8]]) -> io::Result<()> {
        match self {
            Self::ThroughMemory(file) => {
                let mut at = offset_in_bytes;
                for part in parts {
                    read_exact_at(file, at, part)?;
                    at += part.len() as u64;
                }
                Ok(())
            }
            Self::PastMemory(file) => read_by_pages(file, offset_in_bytes, parts),
        }
    }
}

fn read_by_pages(file: &File, offset_in_bytes: u64, parts: &mut [&mut [u8]]) -> io::Result<()> {
    PAGES.with_borrow_mut(|pages| {
        pages.resize(STRETCH_IN_BYTES + PAGE_IN_BYTES, 0);
        let first = pages.as_ptr().align_offset(PAGE_IN_BYTES).min(PAGE_IN_BYTES);
        let pages = &mut pages[first..first + STRETCH_IN_BYTES];
        let mut wanted: usize = parts.iter().map(|part| part.len()).sum();
        let mut at = offset_in_bytes;
        let mut parts = parts.iter_mut().map(|part| &mut **part);
        let mut part: &mut [u8] = &mut [];
        while wanted > 0 {
            let lead = (at % PAGE_IN_BYTES as u64) as usize;
            let length = lead.saturating_add(wanted).min(STRETCH_IN_BYTES).next_multiple_of(PAGE_IN_BYTES);
            let read = match read_at(file, at - lead as u64, &mut pages[..length]) {
                Err(cause) if cause.kind() == io::ErrorKind::Interrupted => continue,
                read => read?,
            };
            let mut fresh = pages.get(lead..read.min(lead + wanted)).unwrap_or_default();
            if fresh.is_empty() {
                return Err(io::ErrorKind::UnexpectedEof.into());
            }
            wanted -= fresh.len();
            at += fresh.len() as u64;
            while !fresh.is_empty() {
                while part.is_empty() {
                    part = parts.next().unwrap_or_default();
                }
                let length = fresh.len().min(part.len());
                let (filled, open) = std::mem::take(&mut part).split_at_mut(length);
                filled.copy_from_slice(&fresh[..length]);
                (part, fresh) = (open, &fresh[length..]);
            }
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_ways_read_the_same_bytes_at_any_place() {
        // A folder on a real volume, because a temporary one may be memory itself.
        let folder = tempfile::tempdir_in(env!("CARGO_MANIFEST_DIR")).unwrap();
        let path = folder.path().join("pack");
        let content: Vec<u8> =
            (0..2_700_001_u32).map(|at| (at.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
        std::fs::write(&path, &content).unwrap();
        let through = OpenedFile::open(&path).unwrap();
        let ways = [Some(through), OpenedFile::open_past_memory(&path).ok()];
        for file in ways.iter().flatten() {
            for (begin, lengths) in [
                (0, [72, 5000]),
                (4095, [2, 0]),
                (1, [0, 1]),
                (1_048_576, [72, 1_100_000]),
                (999_999, [3, 1_699_999]),
                (2_700_000, [1, 0]),
            ] {
                let (mut head, mut rest) = (vec![0; lengths[0]], vec![0; lengths[1]]);
                file.read_parts_at(begin as u64, &mut [&mut head, &mut rest]).unwrap();
                assert!([head, rest].concat() == content[begin..begin + lengths[0] + lengths[1]], "{begin}");
            }
            for begin in [2_700_000, 2_700_001, 9_000_000] {
                let cause = file.read_exact_at(begin, &mut [0; 2]).unwrap_err();
                assert_eq!(cause.kind(), io::ErrorKind::UnexpectedEof, "{begin}");
            }
        }
    }
}
