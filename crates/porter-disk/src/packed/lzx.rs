//! LZX, the strongest of the ways in which Windows compresses files for space. Each chunk of up to 32 KiB
//! stands by itself. Described for another container in [MS-PATCH]; what differs here (the size of a block
//! is one bit or 16, and calls of x86 programs are always translated) after the public description of the
//! Windows Imaging Format.

use super::huffman::{Codes, DAMAGED, repeat};
use crate::numbers::le_u16;
use porter_source::OwnTrouble;

/// The most that a chunk holds.
pub const CHUNK_IN_BYTES: usize = 32_768;
const LITERALS: usize = 256;
/// For a window of 32 KiB.
const SLOTS: usize = 30;
const MAIN_SYMBOLS: usize = LITERALS + 8 * SLOTS;
const LENGTH_SYMBOLS: usize = 249;
const PRE_SYMBOLS: usize = 20;
/// A length of 2 is the shortest.
const SHORTEST: usize = 2;

/// Bits of words of 16, the highest first.
struct Bits<'p> {
    packed: &'p [u8],
    at: usize,
    next: u64,
    held: u32,
}

impl Bits<'_> {
    /// The next 32 bits, and zeros behind the end.
    fn peek(&mut self) -> u32 {
        while self.held < 32 {
            let word = le_u16(self.packed, self.at).unwrap_or_default();
            self.at += 2;
            self.next |= u64::from(word) << (48 - self.held);
            self.held += 16;
        }
        (self.next >> 32) as u32
    }

    fn skip(&mut self, count: u32) {
        self.next <<= count;
        self.held -= count;
    }

    fn take(&mut self, count: u32) -> u32 {
        if count == 0 {
            return 0;
        }
        let bits = self.peek() >> (32 - count);
        self.skip(count);
        bits
    }

    fn symbol(&mut self, codes: &Codes) -> Result<usize, OwnTrouble> {
        let (symbol, length) = codes.find(self.peek()).ok_or(DAMAGED)?;
        self.skip(u32::from(length));
        // All that was at hand came from behind the end.
        if self.at > self.packed.len() + 8 { Err(DAMAGED) } else { Ok(usize::from(symbol)) }
    }

    /// Leaves the rest of the word that was begun, or a whole one where none was.
    fn leave_word(&mut self) {
        if self.held == 0 {
            self.peek();
        }
        let into_word = self.held % 16;
        self.skip(if into_word == 0 { 16 } else { into_word });
        self.at -= (self.held / 8) as usize;
        (self.next, self.held) = (0, 0);
    }
}

/// The lengths of codes, as differences from those of the block before.
fn read_lengths(bits: &mut Bits<'_>, lengths: &mut [u8]) -> Result<(), OwnTrouble> {
    let mut pre = [0; PRE_SYMBOLS];
    for length in &mut pre {
        *length = bits.take(4) as u8;
    }
    let codes = Codes::new(&pre)?;
    let less = |before: u8, by: usize| ((usize::from(before) + 17 - by) % 17) as u8;
    let mut at = 0;
    while at < lengths.len() {
        let symbol = bits.symbol(&codes)?;
        let (count, length) = match symbol {
            0..=16 => (1, less(lengths[at], symbol)),
            17 => (bits.take(4) as usize + 4, 0),
            18 => (bits.take(5) as usize + 20, 0),
            _ => {
                let count = bits.take(1) as usize + 4;
                let by = bits.symbol(&codes)?;
                if by > 16 {
                    return Err(DAMAGED);
                }
                (count, less(lengths[at], by))
            }
        };
        let until = (at + count).min(lengths.len());
        lengths[at..until].fill(length);
        at = until;
    }
    Ok(())
}

/// Where the distances of a slot begin, and how many bits say which of them it is.
fn slot(number: usize) -> (usize, u32) {
    let bits = if number < 4 { 0 } else { (number / 2 - 1) as u32 };
    let base = if number < 4 { number } else { (2 + number % 2) << bits };
    (base, bits)
}

/// Unpacks a chunk of a known length.
pub fn unpacked(packed: &[u8], length: usize) -> Result<Vec<u8>, OwnTrouble> {
    let mut bits = Bits { packed, at: 0, next: 0, held: 0 };
    let mut bytes = Vec::with_capacity(length);
    let mut main = [0; MAIN_SYMBOLS];
    let mut lengths = [0; LENGTH_SYMBOLS];
    let mut recent = [1_usize; 3];
    while bytes.len() < length {
        let kind = bits.take(3);
        let block = if bits.take(1) == 1 { CHUNK_IN_BYTES } else { bits.take(16) as usize };
        let until = (bytes.len() + block).min(length);
        if block == 0 {
            return Err(DAMAGED);
        }
        match kind {
            1 | 2 => {
                let aligned = if kind == 2 {
                    let mut aligned = [0; 8];
                    for length in &mut aligned {
                        *length = bits.take(3) as u8;
                    }
                    Some(Codes::new(&aligned)?)
                } else {
                    None
                };
                read_lengths(&mut bits, &mut main[..LITERALS])?;
                read_lengths(&mut bits, &mut main[LITERALS..])?;
                read_lengths(&mut bits, &mut lengths)?;
                let (main, lengths) = (Codes::new(&main)?, Codes::new(&lengths)?);
                while bytes.len() < until {
                    unpack_one(&mut bits, &main, &lengths, aligned.as_ref(), &mut recent, &mut bytes, until)?;
                }
            }
            3 => {
                bits.leave_word();
                for distance in &mut recent {
                    let number = crate::numbers::le_u32(packed, bits.at).ok_or(DAMAGED)?;
                    *distance = usize::try_from(number).map_err(|_| DAMAGED)?;
                    bits.at += 4;
                }
                let count = until - bytes.len();
                bytes.extend_from_slice(packed.get(bits.at..bits.at + count).ok_or(DAMAGED)?);
                bits.at += count + count % 2;
            }
            _ => return Err(DAMAGED),
        }
    }
    translate_calls(&mut bytes);
    Ok(bytes)
}

/// A byte, or a length and a distance.
fn unpack_one(
    bits: &mut Bits<'_>,
    main: &Codes,
    lengths: &Codes,
    aligned: Option<&Codes>,
    recent: &mut [usize; 3],
    bytes: &mut Vec<u8>,
    until: usize,
) -> Result<(), OwnTrouble> {
    let symbol = bits.symbol(main)?;
    let Some(pair) = symbol.checked_sub(LITERALS) else {
        bytes.push(symbol as u8);
        return Ok(());
    };
    let mut length = pair & 7;
    if length == 7 {
        length += bits.symbol(lengths)?;
    }
    let number = pair >> 3;
    let distance = if number < 3 {
        recent.swap(0, number);
        recent[0]
    } else {
        let (base, count) = slot(number);
        let low = match aligned {
            Some(aligned) if count >= 3 => {
                let high = bits.take(count - 3) as usize;
                (high << 3) + bits.symbol(aligned)?
            }
            _ => bits.take(count) as usize,
        };
        let distance = (base + low).checked_sub(2).ok_or(DAMAGED)?;
        *recent = [distance, recent[0], recent[1]];
        distance
    };
    repeat(bytes, distance, length + SHORTEST, until)
}

/// Calls of x86 programs were packed with absolute targets, which come again more often. Back to relative
/// ones.
fn translate_calls(bytes: &mut [u8]) {
    const CALL: u8 = 0xe8;
    const SIZE: i32 = 12_000_000;
    let Some(last) = bytes.len().checked_sub(10) else { return };
    let mut at = 0;
    while at < last {
        if bytes[at] != CALL {
            at += 1;
            continue;
        }
        let Some(target) =
            bytes.get(at + 1..).and_then(<[u8]>::first_chunk).map(|four| i32::from_le_bytes(*four))
        else {
            return;
        };
        let here = at as i32;
        if (-here..SIZE).contains(&target) {
            let relative = if target >= 0 { target - here } else { target + SIZE };
            bytes[at + 1..at + 5].copy_from_slice(&relative.to_le_bytes());
        }
        at += 5;
    }
}
