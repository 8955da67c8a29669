//! The proof that content is what it was: SHA-512, which RFC 8493 asks every BagIt tool to know.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use sha2::{Digest, Sha512};
use std::fmt;
use std::io::{self, Read};

/// SHA-512 of some content.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct ContentHash([u8; 64]);

impl ContentHash {
    /// The hash of bytes at hand.
    pub fn of(content: &[u8]) -> Self {
        Self(Sha512::digest(content).into())
    }

    /// The hash of all that `content` gives.
    pub fn of_reader(content: &mut dyn Read) -> io::Result<Self> {
        let mut hasher = ContentHasher::default();
        let mut buffer = vec![0; 256 * 1024];
        loop {
            match content.read(&mut buffer) {
                Ok(0) => return Ok(hasher.finish()),
                Ok(read) => hasher.update(&buffer[..read]),
                Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
                Err(cause) => return Err(cause),
            }
        }
    }

    /// Reads 128 hexadecimal digits.
    pub fn from_hex(text: &str) -> Option<Self> {
        if text.len() != 128 || !text.is_ascii() {
            return None;
        }
        let mut bytes = [0; 64];
        for (byte, digits) in bytes.iter_mut().zip(text.as_bytes().chunks_exact(2)) {
            *byte = u8::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok()?;
        }
        Some(Self(bytes))
    }
}

impl fmt::Display for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "sha512:{self}")
    }
}

impl Serialize for ContentHash {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for ContentHash {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Self::from_hex(&text).ok_or_else(|| serde::de::Error::custom("no SHA-512 in hexadecimal digits"))
    }
}

/// Takes content piece by piece.
#[derive(Default)]
pub struct ContentHasher(Sha512);

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
    fn sha512_matches_the_published_example_and_its_text_comes_back() {
        // FIPS 180-4, example "abc".
        let hash = ContentHash::of(b"abc");
        assert!(hash.to_string().starts_with("ddaf35a193617abacc417349ae204131"));
        assert_eq!(ContentHash::from_hex(&hash.to_string()), Some(hash));
        assert_eq!(ContentHash::from_hex("ddaf"), None);
        assert_eq!(ContentHash::of_reader(&mut &b"abc"[..]).unwrap(), hash);
    }
}
