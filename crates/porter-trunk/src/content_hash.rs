//! The proof that content is what it was: BLAKE3, cryptographic and fast enough to be taken again at every
//! step. (The open form also keeps the SHA-512 that BagIt tools know.)

mod long_content;
pub(crate) mod pieces;
mod tree;

pub use long_content::LongContent;

use crate::hex::{array_from_hex, with_hex_of_32};
use serde::de::Visitor;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::cell::RefCell;
use std::convert::Infallible;
use std::fmt;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read};

/// BLAKE3 of some content.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct ContentHash([u8; 32]);

impl ContentHash {
    /// The hash of bytes at hand.
    pub fn of(content: &[u8]) -> Self {
        Self(blake3::hash(content).into())
    }

    /// BLAKE3 of bytes at hand, with a key: equal only for those who have the key.
    pub(crate) fn keyed(key: &[u8; 32], content: &[u8]) -> Self {
        Self(blake3::keyed_hash(key, content).into())
    }

    pub(crate) const fn as_bytes(&self) -> &[u8; 32] {
        &self.0
    }

    /// The hash of all bytes of `content`.
    pub fn of_reader(content: &mut dyn Read) -> io::Result<Self> {
        let mut hasher = ContentHasher::default();
        read_all(content, |piece| hasher.update(piece))?;
        Ok(hasher.finish())
    }

    /// The hash of a long content of known length, by `threads` at once: BLAKE3 is a tree, and its branches
    /// do not need each other. `seen` hears of the bytes read. Content that is shorter than it should be is
    /// an error.
    pub fn of_long(
        size_in_bytes: u64,
        content: &dyn LongContent,
        threads: usize,
        seen: &(dyn Fn(u64) + Sync),
    ) -> io::Result<Self> {
        tree::hash(size_in_bytes, content, threads, seen).map(Self)
    }

    /// Reads 64 hexadecimal digits.
    pub fn from_hex(text: &str) -> Option<Self> {
        Some(Self(array_from_hex(text)?))
    }
}

impl fmt::Display for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        with_hex_of_32(&self.0, |text| f.write_str(text))
    }
}

impl fmt::Debug for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "blake3:{self}")
    }
}

impl Serialize for ContentHash {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        with_hex_of_32(&self.0, |text| serializer.serialize_str(text))
    }
}

impl<'de> Deserialize<'de> for ContentHash {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Digits;
        impl Visitor<'_> for Digits {
            type Value = ContentHash;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a BLAKE3 in hexadecimal digits")
            }
            fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<ContentHash, E> {
                ContentHash::from_hex(text).ok_or_else(|| E::custom("no BLAKE3 in hexadecimal digits"))
            }
        }
        deserializer.deserialize_str(Digits)
    }
}

/// [`read_in_pieces`] for uses that cannot fail.
pub(crate) fn read_all(content: &mut dyn Read, mut use_piece: impl FnMut(&[u8])) -> io::Result<()> {
    read_in_pieces(content, |piece| {
        use_piece(piece);
        Ok(())
    })
    .map_err(unfailing)
}

fn unfailing(failed: PieceFailed<Infallible>) -> io::Error {
    match failed {
        PieceFailed::Reading(cause) => cause,
        PieceFailed::Using(never) => match never {},
    }
}

/// The longest piece.
const PIECE_IN_BYTES: usize = 256 << 10;

/// Which side of [`in_pieces`] failed.
#[derive(Debug)]
pub enum PieceFailed<E> {
    /// The content could not be read.
    Reading(io::Error),
    /// A piece could not be used.
    Using(E),
}

/// A file's content in a trunk, being read.
pub trait TrunkContent: BufRead {
    /// Hashes the next stretch where the system keeps it, and returns its length in bytes. None if it has to
    /// be read; then neither the content nor the hasher has moved on.
    fn hash_ahead(&mut self, hasher: &mut ContentHasher) -> Option<u64> {
        let _ = hasher;
        None
    }
}

impl TrunkContent for BufReader<File> {}

/// The hash of a trunk's `content`. `seen` hears of the bytes, and may end it.
pub fn hash_of<E>(
    content: &mut dyn TrunkContent,
    mut seen: impl FnMut(u64) -> Result<(), E>,
) -> Result<ContentHash, PieceFailed<E>> {
    let mut hasher = ContentHasher::default();
    loop {
        while let Some(length_in_bytes) = content.hash_ahead(&mut hasher) {
            seen(length_in_bytes).map_err(PieceFailed::Using)?;
        }
        let length = next_piece(content, |piece| {
            hasher.update(piece);
            seen(piece.len() as u64)
        })?;
        if length == 0 {
            return Ok(hasher.finish());
        }
    }
}

/// Hands all of a trunk's `content` on in pieces, from where it was unpacked.
pub fn in_pieces<E>(
    content: &mut dyn BufRead,
    mut use_piece: impl FnMut(&[u8]) -> Result<(), E>,
) -> Result<(), PieceFailed<E>> {
    while next_piece(content, &mut use_piece)? > 0 {}
    Ok(())
}

/// Hands the next piece on, and returns its length; 0 at the end.
fn next_piece<E, R: BufRead + ?Sized>(
    content: &mut R,
    use_piece: impl FnOnce(&[u8]) -> Result<(), E>,
) -> Result<usize, PieceFailed<E>> {
    let piece = loop {
        match content.fill_buf() {
            // The length alone is kept here: a borrow that a loop returns lasts too long.
            Ok(all) => break all.len().min(PIECE_IN_BYTES),
            Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
            Err(cause) => return Err(PieceFailed::Reading(cause)),
        }
    };
    if piece > 0 {
        let all = content.fill_buf().map_err(PieceFailed::Reading)?;
        use_piece(&all[..piece]).map_err(PieceFailed::Using)?;
        content.consume(piece);
    }
    Ok(piece)
}

/// A file that a trunk keeps a content in, to be read in pieces.
pub(crate) fn content_in(file: File, size_in_bytes: u64) -> BufReader<File> {
    let room = usize::try_from(size_in_bytes).unwrap_or(PIECE_IN_BYTES);
    BufReader::with_capacity(room.clamp(1, PIECE_IN_BYTES), file)
}

/// The same for what comes from elsewhere, through one buffer a thread: most files are small, and a fresh
/// buffer for each would cost more than they do. `use_piece` must not call this again.
pub(crate) fn read_in_pieces<E>(
    content: &mut dyn Read,
    mut use_piece: impl FnMut(&[u8]) -> Result<(), E>,
) -> Result<(), PieceFailed<E>> {
    thread_local! {
        static BUFFER: RefCell<Vec<u8>> = RefCell::new(vec![0; PIECE_IN_BYTES]);
    }
    BUFFER.with_borrow_mut(|buffer| {
        loop {
            match content.read(buffer) {
                Ok(0) => return Ok(()),
                Ok(read) => use_piece(&buffer[..read]).map_err(PieceFailed::Using)?,
                Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
                Err(cause) => return Err(PieceFailed::Reading(cause)),
            }
        }
    })
}

/// Takes content piece by piece.
#[derive(Default, Clone)]
pub struct ContentHasher(blake3::Hasher);

impl ContentHasher {
    /// The next piece.
    pub fn update(&mut self, piece: &[u8]) {
        self.0.update(piece);
    }

    /// The hash of all pieces.
    pub fn finish(self) -> ContentHash {
        ContentHash(self.0.finalize().into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blake3_matches_the_published_vector_and_its_text_comes_back() {
        // BLAKE3's test vectors, input of length 0.
        let hash = ContentHash::of(b"");
        assert!(hash.to_string().starts_with("af1349b9f5f9a1a6a0404dea36dcc949"));
        assert_eq!(ContentHash::from_hex(&hash.to_string()), Some(hash));
        for no_hash in ["af13", "", "zz1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262"] {
            assert_eq!(ContentHash::from_hex(no_hash), None);
        }
        assert_eq!(ContentHash::of_reader(&mut &b"abc"[..]).unwrap(), ContentHash::of(b"abc"));
    }
}
