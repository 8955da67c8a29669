//! Reading a file's content out of packs, extent by extent.
//!
//! Compressed and sealed blocks are unpacked whole, and kept for the next file. Long stretches that stand in
//! a pack as they are, such as films, are read in small pieces instead: these are still in the processor's
//! second cache when they are hashed or written.

use super::block::Codec;
use super::block_cache::Ready;
use super::blocks::Blocks;
use super::buffers::Buffer;
use super::opened_file::OpenedFile;
use crate::host::will_be_read;
use crate::{ContentHasher, Damage, Extent, TrunkContent};
use porter_source::look_at_file;
use std::io::{self, BufRead, Read};
use std::ops::Range;
use std::sync::Arc;

/// Shorter stretches are not worth it: their neighbours are wanted, too.
const SHORTEST_STRETCH_IN_BYTES: u64 = 256 << 10;
/// Windows cannot be told what will be read next, so it is asked for more at once.
const PIECE_IN_BYTES: usize = if cfg!(windows) { 1 << 20 } else { 128 << 10 };

/// Nothing is fetched ahead where the system's memory is passed by.
const FROM_MEDIUM_IN_BYTES: usize = 1 << 20;

/// A disk that spins reads this much before it goes elsewhere.
const TURN_IN_BYTES: usize = 4 << 20;

pub(super) struct Reading<'t> {
    blocks: &'t Blocks,
    extents: std::vec::IntoIter<Extent>,
    now: Now,
    rest_in_bytes: u64,
    /// The pack that the last stretch was in: the next is mostly in the same.
    pack: Option<(usize, OpenedFile)>,
}

enum Now {
    Nothing,
    Block(Arc<Ready>, Range<usize>),
    Stretch(Stretch),
    Zeros(u64),
}

/// A part of a pack that is read as it stands there.
struct Stretch {
    piece: Buffer,
    /// The unread part of the piece.
    unread: Range<usize>,
    /// The part of the pack behind the piece.
    ahead: Range<u64>,
    /// The whole block, to be forgotten behind its end.
    of: (usize, usize),
}

impl Now {
    fn is_used_up(&self) -> bool {
        match self {
            Self::Nothing => true,
            Self::Block(_, range) => range.is_empty(),
            Self::Stretch(Stretch { unread, ahead, .. }) => unread.is_empty() && ahead.is_empty(),
            Self::Zeros(left) => *left == 0,
        }
    }
}

/// A stretch of what a hole reads as.
static ZEROS: [u8; 64 << 10] = [0; 64 << 10];

impl<'t> Reading<'t> {
    pub(super) fn new(blocks: &'t Blocks, extents: std::vec::IntoIter<Extent>, rest_in_bytes: u64) -> Self {
        Self { blocks, extents, now: Now::Nothing, rest_in_bytes, pack: None }
    }

    fn contents(&mut self, block: u32, first: u32, count: u32) -> Result<Now, Damage> {
        if let Some(stretch) = self.stretch(block, first, count)? {
            return Ok(Now::Stretch(stretch));
        }
        let ready = self.blocks.get(block)?;
        let disagree = || Damage::ListsDisagree(format!("block {block}"));
        let range = ready.range(first, count).ok_or_else(disagree)?;
        Ok(Now::Block(ready, range))
    }

    /// A stretch that can be read as it stands in its pack; none if its block has to be unpacked, is kept
    /// already, or cannot be understood.
    fn stretch(&mut self, block: u32, first: u32, count: u32) -> Result<Option<Stretch>, Damage> {
        let packs = self.blocks.packs();
        let Some(&(file, row)) = packs.blocks.get(&block) else { return Ok(None) };
        let pack = &packs.files[file];
        let (_, head) = pack.rows[row];
        if self.blocks.key.is_some()
            || head.codec != Codec::Plain
            || u64::from(head.raw_in_bytes) < SHORTEST_STRETCH_IN_BYTES
            || self.blocks.has(block)
        {
            return Ok(None);
        }
        let (directory, body_at) = pack.read_plain_directory(row, self.blocks.proves_blocks())?;
        self.blocks.note_proved(block);
        let lengths = |rows: Range<usize>| {
            let rows = directory.rows.get(rows)?;
            Some(rows.iter().map(|(_, length)| u64::from(*length)).sum::<u64>())
        };
        let (first, count) = (first as usize, count as usize);
        let (Some(before), Some(length)) = (lengths(0..first), lengths(first..first.saturating_add(count)))
        else {
            return Err(Damage::ListsDisagree(format!("block {block}")));
        };
        if length < SHORTEST_STRETCH_IN_BYTES {
            return Ok(None);
        }
        if self.pack.as_ref().is_none_or(|(open, _)| *open != file) {
            self.pack = Some((file, pack.file()?));
        }
        let begin = body_at + before;
        // A disk that spins is asked for more only by who has its turn.
        let pack = self.pack.as_ref().filter(|_| !self.blocks.spins());
        if let Some(remembered) = pack.and_then(|(_, open)| open.remembered()) {
            will_be_read(remembered, begin, length);
        }
        Ok(Some(Stretch {
            piece: Buffer::with_room(PIECE_IN_BYTES),
            unread: 0..0,
            ahead: begin..begin + length,
            of: (file, row),
        }))
    }

    /// Goes to the next extent if the present one is used up. False at the end.
    fn find_next(&mut self) -> io::Result<bool> {
        while self.rest_in_bytes > 0 && self.now.is_used_up() {
            self.now = match self.extents.next() {
                None => return Ok(false),
                Some(Extent::Zeros { length_in_bytes }) => Now::Zeros(length_in_bytes),
                Some(Extent::Contents { block, first, count }) => {
                    self.contents(block, first, count).map_err(io::Error::other)?
                }
            };
        }
        Ok(self.rest_in_bytes > 0)
    }

    /// Reads the next piece of a stretch.
    fn refill(&mut self) -> io::Result<()> {
        let Now::Stretch(stretch) = &mut self.now else { return Ok(()) };
        let Some((_, pack)) = self.pack.as_ref().filter(|_| stretch.unread.is_empty()) else { return Ok(()) };
        let length = stretch.ahead.end - stretch.ahead.start;
        let turn = self.blocks.turn();
        let at_once = match (&turn, pack.remembered()) {
            (Some(_), _) => TURN_IN_BYTES,
            (None, None) => FROM_MEDIUM_IN_BYTES,
            (None, Some(_)) => PIECE_IN_BYTES,
        };
        let length = usize::try_from(length).unwrap_or(usize::MAX).min(at_once);
        stretch.piece.resize(length, 0);
        pack.read_exact_at(stretch.ahead.start, &mut stretch.piece[..length]).map_err(|cause| {
            let name = &self.blocks.packs().files[stretch.of.0].name;
            io::Error::other(Damage::of_reading(&cause, name))
        })?;
        stretch.ahead.start += length as u64;
        stretch.unread = 0..length;
        if stretch.ahead.is_empty() {
            let (file, row) = stretch.of;
            self.blocks.done_with_block(&self.blocks.packs().files[file], row);
        }
        Ok(())
    }
}

impl Read for Reading<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let piece = self.fill_buf()?;
        let length_in_bytes = piece.len().min(buffer.len());
        buffer[..length_in_bytes].copy_from_slice(&piece[..length_in_bytes]);
        self.consume(length_in_bytes);
        Ok(length_in_bytes)
    }
}

impl TrunkContent for Reading<'_> {
    fn hash_ahead(&mut self, hasher: &mut ContentHasher) -> Option<u64> {
        // A read-back reads from the medium, in pieces that the system fetches ahead.
        if self.blocks.from_medium || self.blocks.spins() || !matches!(self.find_next(), Ok(true)) {
            return None;
        }
        let (Now::Stretch(stretch), Some((_, pack))) = (&mut self.now, &self.pack) else { return None };
        let length_in_bytes = stretch.ahead.end - stretch.ahead.start;
        if !stretch.unread.is_empty() || length_in_bytes > self.rest_in_bytes {
            return None;
        }
        let before = hasher.clone();
        let at_once = usize::try_from(length_in_bytes).ok()?;
        if !look_at_file(pack.remembered()?, stretch.ahead.start, at_once, &mut |bytes| hasher.update(bytes))
        {
            *hasher = before;
            return None;
        }
        stretch.ahead.start = stretch.ahead.end;
        let (file, row) = stretch.of;
        self.rest_in_bytes -= length_in_bytes;
        self.blocks.done_with_block(&self.blocks.packs().files[file], row);
        Some(length_in_bytes)
    }
}

impl BufRead for Reading<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if !self.find_next()? {
            return Ok(&[]);
        }
        self.refill()?;
        let most = |length: u64| usize::try_from(length.min(self.rest_in_bytes)).unwrap_or(usize::MAX);
        Ok(match &self.now {
            Now::Nothing => &[],
            Now::Block(block, range) => &block.body()[range.start..range.start + most(range.len() as u64)],
            Now::Stretch(Stretch { piece, unread, .. }) => {
                &piece[unread.start..unread.start + most(unread.len() as u64)]
            }
            Now::Zeros(left) => &ZEROS[..most(*left).min(ZEROS.len())],
        })
    }

    fn consume(&mut self, length_in_bytes: usize) {
        self.rest_in_bytes = self.rest_in_bytes.saturating_sub(length_in_bytes as u64);
        match &mut self.now {
            Now::Nothing => {}
            Now::Block(_, range) => range.start += length_in_bytes,
            Now::Stretch(stretch) => stretch.unread.start += length_in_bytes,
            Now::Zeros(left) => *left = left.saturating_sub(length_in_bytes as u64),
        }
    }
}
