//! SHA-512, which RFC 8493 asks every BagIt tool to know.

use crate::content_hash::read_all;
use crate::hex::{array_from_hex, to_hex};
use ring::digest::{Context, SHA512, digest};
use std::fmt;
use std::io::{self, Read};

/// Takes content piece by piece.
pub(super) struct Sha512(Context);

impl Sha512 {
    pub(super) fn new() -> Self {
        Self(Context::new(&SHA512))
    }

    pub(super) fn update(&mut self, piece: &[u8]) {
        self.0.update(piece);
    }

    pub(super) fn finish(self) -> Sha512Hash {
        Sha512Hash::from_bytes(self.0.finish().as_ref())
    }
}

/// The hash of a file, as manifests have it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Sha512Hash([u8; 64]);

impl Sha512Hash {
    pub(super) fn of(content: &[u8]) -> Self {
        Self::from_bytes(digest(&SHA512, content).as_ref())
    }

    pub(super) fn of_reader(content: &mut dyn Read) -> io::Result<Self> {
        let mut hasher = Sha512::new();
        read_all(content, |piece| hasher.update(piece))?;
        Ok(hasher.finish())
    }

    /// A SHA-512 always has 64 bytes.
    fn from_bytes(bytes: &[u8]) -> Self {
        let mut hash = [0; 64];
        hash.iter_mut().zip(bytes).for_each(|(to, from)| *to = *from);
        Self(hash)
    }

    pub(super) fn from_hex(text: &str) -> Option<Self> {
        Some(Self(array_from_hex(text)?))
    }
}

impl fmt::Display for Sha512Hash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&to_hex(&self.0))
    }
}
