//! Keys that are encrypted with other keys (AES-CCM), and the stretching of what somebody typed.

use aes::Aes256;
use ccm::aead::{Aead, KeyInit};
use ccm::consts::{U12, U16};
use ccm::{Ccm, Nonce};
use sha2::{Digest, Sha256};
use zeroize::Zeroizing;

/// So often the hash is hashed again.
const ROUNDS: u64 = 0x10_0000;
/// The header of the record that a key is in, and the way of encrypting it is for.
const BEFORE_KEY_IN_BYTES: usize = 12;

/// An encrypted key.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Wrapped {
    pub(super) nonce: [u8; 12],
    pub(super) mac: [u8; 16],
    pub(super) bytes: Vec<u8>,
}

/// The key inside; none if the other key is a wrong one.
pub(super) fn unwrapped(wrapped: &Wrapped, with: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
    let cipher = Ccm::<Aes256, U16, U12>::new_from_slice(with).ok()?;
    let sealed = [&wrapped.bytes[..], &wrapped.mac].concat();
    let record = Zeroizing::new(cipher.decrypt(Nonce::from_slice(&wrapped.nonce), &sealed[..]).ok()?);
    record.get(BEFORE_KEY_IN_BYTES..).map(|key| Zeroizing::new(key.to_vec()))
}

/// Hashes a hash again and again, so that guessing is slow.
pub(super) fn stretched(hash: &[u8], salt: &[u8; 16]) -> Zeroizing<Vec<u8>> {
    let mut state = Zeroizing::new([0_u8; 88]);
    state[32..64].iter_mut().zip(hash).for_each(|(to, from)| *to = *from);
    state[64..80].copy_from_slice(salt);
    for round in 0..ROUNDS {
        state[80..].copy_from_slice(&round.to_le_bytes());
        let next = Sha256::digest(&state[..]);
        state[..32].copy_from_slice(&next);
    }
    Zeroizing::new(state[..32].to_vec())
}
