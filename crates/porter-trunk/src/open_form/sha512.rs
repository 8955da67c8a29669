//! SHA-512, which RFC 8493 asks every BagIt tool to know.

use crate::content_hash::read_all;
use crate::hex::{from_hex, to_hex};
use sha2::{Digest, Sha512};
use std::fmt;
use std::io::{self, Read};

/// The hash of a file, as manifests have it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Sha512Hash([u8; 64]);

impl Sha512Hash {
    pub(super) fn of(content: &[u8]) -> Self {
        Self(Sha512::digest(content).into())
    }

    pub(super) fn of_reader(content: &mut dyn Read) -> io::Result<Self> {
        let mut hasher = Sha512::new();
        read_all(content, |piece| hasher.update(piece))?;
        Ok(Self::from(hasher))
    }

    pub(super) fn from_hex(text: &str) -> Option<Self> {
        Some(Self(from_hex(text)?.try_into().ok()?))
    }
}

impl From<Sha512> for Sha512Hash {
    fn from(hasher: Sha512) -> Self {
        Self(hasher.finalize().into())
    }
}

impl fmt::Display for Sha512Hash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&to_hex(&self.0))
    }
}
