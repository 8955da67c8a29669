//! Cutting contents by what is in them: the same stretch in two files is cut alike wherever it lies, and kept
//! once.

use super::buffers::{Buffer, Bytes};
use super::squeeze::Texture;
use crate::content_hash::PieceFailed;
use fastcdc::v2020::FastCDC;
use std::cell::RefCell;
use std::io::{self, Read};
use std::sync::Arc;

/// Shortest, average and longest content, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Cuts {
    min: usize,
    average: usize,
    max: usize,
}

/// For most files: an attachment of a few hundred kilobytes is still found inside a mailbox.
const FINE: Cuts = Cuts { min: 16 << 10, average: 64 << 10, max: 256 << 10 };
/// For photos and films, and whatever is large and compressed already: whole copies are still kept once, and
/// cutting them costs next to nothing. (The average counts from the shortest on.)
const COARSE: Cuts = Cuts { min: 1 << 20, average: 128 << 10, max: 2 << 20 };
/// From this length on a dense file is cut coarsely, whatever its name.
const LARGE_IN_BYTES: usize = 8 << 20;
/// Files that are made once and hardly ever changed in the middle.
const MEDIA: [&[u8]; 18] = [
    b"jpg", b"jpeg", b"heic", b"png", b"gif", b"webp", b"mp3", b"m4a", b"aac", b"ogg", b"wma", b"flac",
    b"mp4", b"mov", b"m4v", b"avi", b"mkv", b"wmv",
];

thread_local! {
    static BUFFER: RefCell<Buffer> = RefCell::default();
}

/// One content, and the buffer that it stands in where it may be kept there: copying films from one buffer to
/// another would take longer than writing them.
pub(super) struct Piece<'b> {
    pub(super) bytes: &'b [u8],
    /// True for a part of a file that is longer than one read.
    pub(super) of_long_file: bool,
    shared: Option<(&'b Arc<Buffer>, usize)>,
}

impl<'b> Piece<'b> {
    const fn to_copy(bytes: &'b [u8], of_long_file: bool) -> Self {
        Self { bytes, of_long_file, shared: None }
    }

    /// The same bytes, to be kept; none where they have to be copied.
    pub(super) fn shared(&self) -> Option<Bytes> {
        let (buffer, begin) = self.shared?;
        Some(Bytes::Shared(Arc::clone(buffer), begin..begin + self.bytes.len()))
    }
}

/// Reads all of `content`, of a file of this name, and hands it on cut into contents; the second argument
/// says whether it is all there is. `use_content` must not call this again.
pub(super) fn cut<E>(
    content: &mut dyn Read,
    name: &[u8],
    mut use_content: impl FnMut(Piece<'_>, bool) -> Result<(), E>,
) -> Result<(), PieceFailed<E>> {
    BUFFER.with_borrow_mut(|buffer| {
        if buffer.len() < LARGE_IN_BYTES {
            *buffer = Buffer::with_length(LARGE_IN_BYTES);
        }
        let mut end = 0;
        let at_end = fill(content, buffer, &mut end).map_err(PieceFailed::Reading)?;
        if at_end && end <= FINE.min {
            // Most files are small: one content.
            return if end == 0 {
                Ok(())
            } else {
                use_content(Piece::to_copy(&buffer[..end], false), true).map_err(PieceFailed::Using)
            };
        }
        // Decided by the beginning alone, so that every copy of a file is cut alike.
        let may_be_coarse = || !at_end || is_media(name);
        let is_coarse = may_be_coarse() && Texture::of(&buffer[..end]) == Texture::Dense;
        if is_coarse {
            return cut_coarsely(content, std::mem::take(buffer), end, at_end, use_content);
        }
        cut_finely(content, buffer, end, at_end, |bytes, is_all| {
            use_content(Piece::to_copy(bytes, !at_end), is_all)
        })
    })
}

fn cut_finely<E>(
    content: &mut dyn Read,
    buffer: &mut [u8],
    mut end: usize,
    mut at_end: bool,
    mut use_content: impl FnMut(&[u8], bool) -> Result<(), E>,
) -> Result<(), PieceFailed<E>> {
    let mut begin = 0;
    let mut first = true;
    loop {
        if !at_end && end - begin < FINE.max {
            buffer.copy_within(begin..end, 0);
            (begin, end) = (0, end - begin);
            at_end = fill(content, buffer, &mut end).map_err(PieceFailed::Reading)?;
        }
        if begin == end {
            return Ok(());
        }
        let rest = &buffer[begin..end];
        let length = next_cut(rest, FINE);
        use_content(&rest[..length], first && at_end && length == rest.len()).map_err(PieceFailed::Using)?;
        first = false;
        begin += length;
    }
}

/// The same with buffers that are handed on.
fn cut_coarsely<E>(
    content: &mut dyn Read,
    mut buffer: Buffer,
    mut end: usize,
    mut at_end: bool,
    mut use_content: impl FnMut(Piece<'_>, bool) -> Result<(), E>,
) -> Result<(), PieceFailed<E>> {
    // A file that fits into one content is not hashed twice.
    let is_all = at_end;
    loop {
        let full = Arc::new(buffer);
        let mut begin = 0;
        while begin < end && (at_end || end - begin >= COARSE.max) {
            let rest = &full[begin..end];
            let length = if is_all { rest.len() } else { next_cut(rest, COARSE) };
            let piece = Piece { bytes: &rest[..length], of_long_file: !is_all, shared: Some((&full, begin)) };
            use_content(piece, is_all).map_err(PieceFailed::Using)?;
            begin += length;
        }
        if at_end {
            return Ok(());
        }
        buffer = Buffer::with_length(LARGE_IN_BYTES);
        let rest = &full[begin..end];
        buffer[..rest.len()].copy_from_slice(rest);
        end -= begin;
        at_end = fill(content, &mut buffer, &mut end).map_err(PieceFailed::Reading)?;
    }
}

fn next_cut(rest: &[u8], cuts: Cuts) -> usize {
    if rest.len() <= cuts.min {
        return rest.len();
    }
    if rest.len() >= cuts.max && is_zeros(&rest[..cuts.max]) {
        return cuts.max;
    }
    let (_, length) = FastCDC::new(rest, cuts.min, cuts.average, cuts.max).cut(0, rest.len());
    if length == 0 { rest.len() } else { length }
}

fn is_media(name: &[u8]) -> bool {
    let ending = name.rsplit(|byte| *byte == b'.').next().unwrap_or_default();
    MEDIA.iter().any(|known| ending.eq_ignore_ascii_case(known))
}

/// Nothing but zeros, and enough of them to be worth leaving out. Looked at in strides that the compiler
/// turns into wide instructions.
pub(super) fn is_zeros(bytes: &[u8]) -> bool {
    bytes.first() == Some(&0)
        && bytes.len() >= 4096
        && bytes.chunks(4096).all(|stride| stride.iter().fold(0, |all, byte| all | byte) == 0)
}

/// Fills the buffer from `end` on. True at the end of the content.
fn fill(content: &mut dyn Read, buffer: &mut [u8], end: &mut usize) -> io::Result<bool> {
    while *end < buffer.len() {
        match content.read(&mut buffer[*end..]) {
            Ok(0) => return Ok(true),
            Ok(read) => *end += read,
            Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
            Err(cause) => return Err(cause),
        }
    }
    Ok(false)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sealing::fill_random;

    fn lengths_of(content: &[u8]) -> Vec<usize> {
        let mut found = Vec::new();
        let mut joined = Vec::new();
        cut::<()>(&mut &content[..], b"x.bin", |piece, is_all| {
            assert_eq!(is_all, piece.bytes.len() == content.len());
            assert!(piece.shared().is_none_or(|shared| *shared == *piece.bytes));
            found.push(piece.bytes.len());
            joined.extend_from_slice(piece.bytes);
            Ok(())
        })
        .unwrap();
        assert_eq!(joined, content);
        found
    }

    #[test]
    fn what_is_pushed_further_back_is_cut_as_before() {
        let mut noise = vec![0; 3 << 20];
        fill_random(&mut noise).unwrap();
        let before = lengths_of(&noise);
        let mut pushed = b"a few bytes more at the beginning".to_vec();
        pushed.extend_from_slice(&noise);
        let after = lengths_of(&pushed);
        let alike = before.iter().rev().zip(after.iter().rev()).take_while(|(a, b)| a == b).count();
        assert!(alike + 2 >= before.len(), "{alike} of {}", before.len());
        assert!(before.len() > 20 && before.iter().all(|length| *length <= FINE.max));

        let mut large = vec![0; 20 << 20];
        fill_random(&mut large).unwrap();
        assert!(lengths_of(&large).len() <= 20, "large dense files are cut coarsely");
        assert!(lengths_of(b"").is_empty());
        assert_eq!(lengths_of(b"x"), [1]);
        assert_eq!(lengths_of(&noise[..FINE.min]), [FINE.min]);
    }
}
