//! An image in pieces, `disk.001`, `disk.002` and so on, as imaging programs write it: the bytes one after
//! the other.

use super::file_source;
use crate::block_source::{BlockSource, FileSource};
use std::io;
use std::path::Path;

/// The pieces, each with the offset at which it begins.
pub(super) struct Split {
    pieces: Vec<(u64, FileSource)>,
    size_in_bytes: u64,
}

/// None if the name does not end in the number of a first piece, or it is the only one.
pub(super) fn open(first: &Path) -> io::Result<Option<Split>> {
    let Some(digits) = first.extension().and_then(|extension| extension.to_str()) else { return Ok(None) };
    let is_first =
        digits.len() >= 2 && digits.bytes().all(|byte| byte.is_ascii_digit()) && digits.parse() == Ok(1_u32);
    if !is_first {
        return Ok(None);
    }
    let mut split = Split { pieces: Vec::new(), size_in_bytes: 0 };
    for number in 1_u32.. {
        let piece = first.with_extension(format!("{number:0width$}", width = digits.len()));
        if !piece.is_file() {
            break;
        }
        let source = file_source(&piece)?;
        let begins = split.size_in_bytes;
        split.size_in_bytes = begins.saturating_add(source.size_in_bytes());
        split.pieces.push((begins, source));
    }
    Ok((split.pieces.len() > 1).then_some(split))
}

impl BlockSource for Split {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let mut read = 0;
        while read < buffer.len() {
            let at = offset_in_bytes + read as u64;
            let piece = self.pieces.partition_point(|(begins, _)| *begins <= at).saturating_sub(1);
            let Some((begins, source)) = self.pieces.get(piece) else { break };
            match source.read_at(at - begins, &mut buffer[read..])? {
                0 => break,
                more => read += more,
            }
        }
        Ok(read)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let piece = self.pieces.partition_point(|(begins, _)| *begins <= offset_in_bytes).saturating_sub(1);
        self.pieces.get(piece).is_some_and(|(begins, source)| {
            let at = offset_in_bytes - begins;
            at.saturating_add(length_in_bytes as u64) <= source.size_in_bytes()
                && source.look_at(at, length_in_bytes, look)
        })
    }
}
