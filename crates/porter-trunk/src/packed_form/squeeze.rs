//! Making contents smaller, where that is possible.

use super::buffers::Buffer;
use std::cell::RefCell;
use std::io;
use zstd::bulk::{Compressor, Decompressor};
use zstd::zstd_safe::CParameter;

/// zstd's level. Higher ones cost more time than a stick takes to write what they save.
const LEVEL: i32 = 2;
/// Large enough for a whole block: what is like something at its beginning is found at its end.
const WINDOW_LOG: u32 = 23;
/// Shorter likeness is not looked for: fewer and longer finds are unpacked a tenth faster, and take the same
/// room.
const SHORTEST_MATCH_IN_BYTES: u32 = 7;

/// The kind of bytes of a content. Like goes to like: blocks of one kind become smaller.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Texture {
    /// Compressed or encrypted already: squeezing it would only cost time.
    Dense,
    /// Readable text.
    Text,
    /// Anything else.
    Binary,
}

/// Blocks that are open at one time: like contents share one.
pub(super) const SHELVES: usize = 11;

/// Which of the open blocks a content goes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Shelf(pub(super) usize);

impl Shelf {
    /// For a whole file of this name, or for a piece of one. Whole files that end alike are mostly made
    /// alike, and compress the better for being together.
    pub(super) fn of(texture: Texture, name: &[u8], is_whole: bool) -> Self {
        // FNV-1a of the ending.
        let ending = name.rsplit(|byte| *byte == b'.').next().unwrap_or_default();
        let mix =
            |hash: u32, byte: &u8| (hash ^ u32::from(byte.to_ascii_lowercase())).wrapping_mul(0x0100_0193);
        let hash = ending.iter().fold(0x811c_9dc5, mix) as usize;
        Self(match (texture, is_whole) {
            (Texture::Dense, true) => 0,
            (Texture::Text, true) => 1 + hash % 5,
            (Texture::Binary, true) => 6 + hash % 2,
            (Texture::Dense, false) => 8,
            (Texture::Text, false) => 9,
            (Texture::Binary, false) => 10,
        })
    }

    pub(super) const fn is_dense(self) -> bool {
        self.0 == 0 || self.0 == 8
    }

    /// When a block of the shelf is closed. Blocks of whole files are long enough for likeness to show; a
    /// piece that comes again in another file should not need much around it unpacked.
    pub(super) const fn block_in_bytes(self) -> usize {
        if self.0 < 8 { 2 << 20 } else { 1 << 20 }
    }
}

impl Texture {
    /// Looks at a few samples: their bytes' spread (Shannon's entropy of order 0), and whether they are text.
    pub(super) fn of(content: &[u8]) -> Self {
        const SAMPLE_IN_BYTES: usize = 1024;
        let samples = if content.len() <= 3 * SAMPLE_IN_BYTES {
            [content, &[], &[]]
        } else {
            // Not the very beginning alone: a header says little of what follows.
            [content.len() / 8, content.len() / 2, content.len() - SAMPLE_IN_BYTES]
                .map(|at| &content[at..at + SAMPLE_IN_BYTES])
        };
        // This alone decides about most contents that are not dense. Without a branch, many bytes are looked
        // at at once.
        let is_control =
            |byte: u8| (byte < 32) & (byte != 9) & (byte != 10) & (byte != 12) & (byte != 13) & (byte != 27);
        let has_control = |sample: &[u8]| sample.iter().fold(false, |any, byte| any | is_control(*byte));
        if !samples.iter().any(|sample| has_control(sample)) {
            return Self::Text;
        }
        let mut counts = [0_u32; 256];
        samples.iter().copied().flatten().for_each(|byte| counts[usize::from(*byte)] += 1);
        let sampled: u32 = counts.iter().sum();
        // A short sample of noise cannot show all its spread, so a perfect one is the measure.
        let most = f64::from(sampled.min(256)).log2().min(8.0);
        let entropy: f64 = counts
            .iter()
            .filter(|count| **count > 0)
            .map(|count| {
                let share = f64::from(*count) / f64::from(sampled);
                -share * share.log2()
            })
            .sum();
        if sampled >= 1024 && entropy > most * 0.965 { Self::Dense } else { Self::Binary }
    }
}

thread_local! {
    static COMPRESSOR: RefCell<Option<Compressor<'static>>> = const { RefCell::new(None) };
    static DECOMPRESSOR: RefCell<Option<Decompressor<'static>>> = const { RefCell::new(None) };
}

/// The most room that a frame of this many bytes can take while it is made.
pub(super) fn longest_frame_of(length_in_bytes: usize) -> usize {
    zstd::zstd_safe::compress_bound(length_in_bytes)
}

/// A zstd frame of `bytes`; none if that would not be smaller.
pub(super) fn pack(bytes: &[u8]) -> io::Result<Option<Buffer>> {
    COMPRESSOR.with_borrow_mut(|compressor| {
        let compressor = match compressor {
            Some(ready) => ready,
            none => {
                let mut new = Compressor::new(LEVEL)?;
                new.set_parameter(CParameter::WindowLog(WINDOW_LOG))?;
                new.set_parameter(CParameter::MinMatch(SHORTEST_MATCH_IN_BYTES))?;
                none.insert(new)
            }
        };
        let mut packed = Buffer::empty(longest_frame_of(bytes.len()));
        compressor.compress_to_buffer(bytes, &mut *packed)?;
        Ok((packed.len() < bytes.len()).then_some(packed))
    })
}

/// The bytes of a zstd frame; none if it is damaged, or if they are not exactly as many as they should be.
pub(super) fn unpack(frame: &[u8], raw_in_bytes: usize) -> Option<Buffer> {
    DECOMPRESSOR.with_borrow_mut(|decompressor| {
        let decompressor = match decompressor {
            Some(ready) => ready,
            none => none.insert(Decompressor::new().ok()?),
        };
        let mut bytes = Buffer::with_room(raw_in_bytes);
        let written = decompressor.decompress_to_buffer(frame, &mut *bytes).ok()?;
        (written == raw_in_bytes).then_some(bytes)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn noise_is_told_from_text_and_tables_and_everything_comes_back() {
        let mut noise = vec![0; 100_000];
        crate::sealing::fill_random(&mut noise).unwrap();
        let text = "The wind turns at four. ".repeat(4000).into_bytes();
        let table: Vec<u8> = (0..25_000_u32).flat_map(|n| (n * 37).to_le_bytes()).collect();
        for (content, texture) in
            [(&noise, Texture::Dense), (&text, Texture::Text), (&table, Texture::Binary)]
        {
            for length in [1500, 5000, content.len()] {
                assert_eq!(Texture::of(&content[..length]), texture, "{length}");
            }
            match pack(content).unwrap() {
                Some(frame) => {
                    assert_eq!(unpack(&frame, content.len()).as_deref(), Some(content));
                    assert!(unpack(&frame, content.len() - 1).is_none(), "a lying length");
                    assert!(unpack(&frame[..frame.len() - 1], content.len()).is_none());
                }
                None => assert_eq!(texture, Texture::Dense),
            }
        }
        assert_eq!(Texture::of(b""), Texture::Text);
    }
}
