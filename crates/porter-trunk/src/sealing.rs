//! The keys of a sealed trunk, and how they lock and open.
//!
//! One random key a trunk. From it come a key for each file of the trunk and one for the ids of contents. The
//! trunk's key itself lies in the trunk, wrapped ([`KeyWraps`]).

mod wraps;

pub use wraps::{KeyWraps, NotOpened, WorkshopKey, WorkshopPublicKey};

use ring::aead::{Aad, CHACHA20_POLY1305, LessSafeKey, NONCE_LEN, Nonce, UnboundKey};
use std::io;
use zeroize::Zeroizing;

/// The bytes that AEAD adds to a text.
pub(crate) const TAG_LENGTH_IN_BYTES: usize = 16;

/// The key of a trunk: its holder can read everything. Wiped from memory when it is dropped.
pub struct TrunkKey(Zeroizing<[u8; 32]>);

impl TrunkKey {
    /// A new one, from the system's source of randomness.
    pub fn random() -> io::Result<Self> {
        let mut key = Zeroizing::new([0; 32]);
        fill_random(&mut *key)?;
        Ok(Self(key))
    }

    pub(crate) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        Some(Self(Zeroizing::new(bytes.try_into().ok()?)))
    }

    pub(crate) fn as_bytes(&self) -> &[u8; 32] {
        &self.0
    }

    /// The key of one file, derived from the first bytes of the file, a random salt among them: no file is
    /// ever written with the key of another.
    pub(crate) fn file_key(&self, file_header: &[u8]) -> FileKey {
        let mut material = Zeroizing::new(self.0.to_vec());
        material.extend_from_slice(file_header);
        let key = Zeroizing::new(blake3::derive_key("porter-packed 1 blocks of a file", &material));
        // The length is that of the algorithm, so there is a key.
        FileKey(UnboundKey::new(&CHACHA20_POLY1305, &*key).ok().map(LessSafeKey::new))
    }

    /// The key for ids of contents: equal contents of two trunks have different ids.
    pub(crate) fn id_key(&self) -> Zeroizing<[u8; 32]> {
        Zeroizing::new(blake3::derive_key("porter-packed 1 ids of contents", &*self.0))
    }
}

/// The key of one file of a trunk.
pub(crate) struct FileKey(Option<LessSafeKey>);

/// It did not open: another key, or not what was sealed.
#[derive(Debug)]
pub(crate) struct NotSealedByThis;

impl FileKey {
    /// Locks `text` in place, bound to `outside`. Returns the nonce and the tag.
    pub(crate) fn seal(
        &self,
        outside: &[u8],
        text: &mut [u8],
    ) -> io::Result<([u8; NONCE_LEN], [u8; TAG_LENGTH_IN_BYTES])> {
        let mut nonce = [0; NONCE_LEN];
        fill_random(&mut nonce)?;
        let failed = || io::Error::other("sealing failed");
        let key = self.0.as_ref().ok_or_else(failed)?;
        let tag = key
            .seal_in_place_separate_tag(Nonce::assume_unique_for_key(nonce), Aad::from(outside), text)
            .map_err(|_| failed())?;
        let tag = tag.as_ref().try_into().map_err(|_| failed())?;
        Ok((nonce, tag))
    }

    /// Opens `text` in place; the tag stands at its end and is cut off.
    pub(crate) fn open(
        &self,
        nonce: [u8; NONCE_LEN],
        outside: &[u8],
        text: &mut Vec<u8>,
    ) -> Result<(), NotSealedByThis> {
        let key = self.0.as_ref().ok_or(NotSealedByThis)?;
        let length = key
            .open_in_place(Nonce::assume_unique_for_key(nonce), Aad::from(outside), text)
            .map_err(|_| NotSealedByThis)?
            .len();
        text.truncate(length);
        Ok(())
    }
}

/// Random bytes from the system.
pub(crate) fn fill_random(bytes: &mut [u8]) -> io::Result<()> {
    getrandom::fill(bytes).map_err(|cause| io::Error::other(cause.to_string()))
}
