//! The ways in which sectors are encrypted.

use crate::lock::LockError;
use aes::cipher::{BlockDecrypt, BlockEncrypt, KeyInit};
use aes::{Aes128, Aes256, Block};
use xts_mode::Xts128;

const BLOCK: usize = 16;
/// Where the second key of the older way stands, whatever the length of the first is.
const SECOND_KEY_AT: usize = 32;

/// AES with keys of either length.
pub(super) enum Aes {
    Short(Box<Aes128>),
    Long(Box<Aes256>),
}

impl Aes {
    fn new(key: &[u8]) -> Option<Self> {
        match key.len() {
            16 => Aes128::new_from_slice(key).ok().map(|aes| Self::Short(Box::new(aes))),
            32 => Aes256::new_from_slice(key).ok().map(|aes| Self::Long(Box::new(aes))),
            _ => None,
        }
    }

    fn encrypted(&self, mut bytes: [u8; BLOCK]) -> [u8; BLOCK] {
        let block = Block::from_mut_slice(&mut bytes);
        match self {
            Self::Short(aes) => aes.encrypt_block(block),
            Self::Long(aes) => aes.encrypt_block(block),
        }
        bytes
    }

    fn decrypt(&self, bytes: &mut [u8]) {
        let block = Block::from_mut_slice(bytes);
        match self {
            Self::Short(aes) => aes.decrypt_block(block),
            Self::Long(aes) => aes.decrypt_block(block),
        }
    }
}

pub(super) enum Cipher {
    /// The way of Windows 7 and 8, with or without the diffuser of Vista and 7.
    Chained {
        aes: Aes,
        diffuser: Option<Aes>,
    },
    /// The way of Windows 10 and later.
    Short(Box<Xts128<Aes128>>, u64),
    Long(Box<Xts128<Aes256>>, u64),
}

impl Cipher {
    pub(super) fn new(method: u16, key: &[u8], sector_in_bytes: u64) -> Result<Self, LockError> {
        const DAMAGED: LockError = LockError::Damaged("the length of the key of its sectors");
        let part = |from: usize, length: usize| key.get(from..from + length).ok_or(DAMAGED);
        let aes = |from: usize, length: usize| Aes::new(part(from, length)?).ok_or(DAMAGED);
        Ok(match method {
            0x8000 => Self::Chained { aes: aes(0, 16)?, diffuser: Some(aes(SECOND_KEY_AT, 16)?) },
            0x8001 => Self::Chained { aes: aes(0, 32)?, diffuser: Some(aes(SECOND_KEY_AT, 32)?) },
            0x8002 => Self::Chained { aes: aes(0, 16)?, diffuser: None },
            0x8003 => Self::Chained { aes: aes(0, 32)?, diffuser: None },
            0x8004 => {
                let half = |from: usize| Aes128::new_from_slice(part(from, 16)?).map_err(|_| DAMAGED);
                Self::Short(Box::new(Xts128::new(half(0)?, half(16)?)), sector_in_bytes)
            }
            0x8005 => {
                let half = |from: usize| Aes256::new_from_slice(part(from, 32)?).map_err(|_| DAMAGED);
                Self::Long(Box::new(Xts128::new(half(0)?, half(32)?)), sector_in_bytes)
            }
            unknown => return Err(LockError::UnknownMethod(unknown)),
        })
    }

    /// Decrypts the sector that lies at a place of the volume.
    pub(super) fn decrypt(&self, place: u64, sector: &mut [u8]) {
        match self {
            Self::Short(xts, sector_in_bytes) => {
                xts.decrypt_sector(sector, u128::from(place / sector_in_bytes).to_le_bytes());
            }
            Self::Long(xts, sector_in_bytes) => {
                xts.decrypt_sector(sector, u128::from(place / sector_in_bytes).to_le_bytes());
            }
            Self::Chained { aes, diffuser } => {
                let at = u128::from(place).to_le_bytes();
                let mut before = aes.encrypted(at);
                for block in sector.chunks_exact_mut(BLOCK) {
                    let own: [u8; BLOCK] = block.try_into().unwrap_or_default();
                    aes.decrypt(block);
                    block.iter_mut().zip(before).for_each(|(byte, mask)| *byte ^= mask);
                    before = own;
                }
                if let Some(second) = diffuser {
                    gather(sector);
                    let mut other = at;
                    other[15] = 0x80;
                    let masks = [second.encrypted(at), second.encrypted(other)].concat();
                    sector.iter_mut().zip(masks.iter().cycle()).for_each(|(byte, mask)| *byte ^= mask);
                }
            }
        }
    }
}

/// Takes back what the diffuser did: first its second half, then its first.
fn gather(sector: &mut [u8]) {
    let mut words: Vec<u32> = sector.as_chunks().0.iter().map(|four| u32::from_le_bytes(*four)).collect();
    let count = words.len();
    for _ in 0..3 {
        for at in 0..count {
            let turned = words[(at + 5) % count].rotate_left([0, 10, 0, 25][at % 4]);
            words[at] = words[at].wrapping_add(words[(at + 2) % count] ^ turned);
        }
    }
    for _ in 0..5 {
        for at in 0..count {
            let turned = words[(at + count - 5) % count].rotate_left([9, 0, 13, 0][at % 4]);
            words[at] = words[at].wrapping_add(words[(at + count - 2) % count] ^ turned);
        }
    }
    for (four, word) in sector.as_chunks_mut().0.iter_mut().zip(words) {
        *four = word.to_le_bytes();
    }
}
