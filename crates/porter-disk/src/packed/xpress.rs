//! XPRESS with Huffman codes ([MS-XCA] 2.1 and 2.2): one of the ways in which Windows compresses files for
//! space.

use super::huffman::{Codes, DAMAGED};
use crate::numbers::{le_u16, le_u32};
use porter_source::OwnTrouble;

const SYMBOLS: usize = 512;
const LITERALS: usize = 256;

/// Bits of words of 16, with 16 to 32 of them at hand; bytes are taken from behind those.
struct Bits<'p> {
    packed: &'p [u8],
    at: usize,
    next: u32,
    spare: i32,
}

impl Bits<'_> {
    fn word(&mut self) -> u32 {
        // Behind the end are zeros: the last codes are looked up with more bits than they have.
        let word = le_u16(self.packed, self.at).unwrap_or_default();
        self.at += 2;
        u32::from(word)
    }

    fn skip(&mut self, count: u32) {
        self.next = self.next.checked_shl(count).unwrap_or_default();
        self.spare -= count.cast_signed();
        if self.spare < 0 {
            let word = self.word();
            self.next |= word << self.spare.unsigned_abs();
            self.spare += 16;
        }
    }

    fn byte(&mut self) -> Result<usize, OwnTrouble> {
        let byte = self.packed.get(self.at).copied().ok_or(DAMAGED)?;
        self.at += 1;
        Ok(usize::from(byte))
    }
}

/// Unpacks a chunk of a known length.
pub fn unpacked(packed: &[u8], length: usize) -> Result<Vec<u8>, OwnTrouble> {
    let table = packed.get(..SYMBOLS / 2).ok_or(DAMAGED)?;
    let lengths: Vec<u8> = table.iter().flat_map(|pair| [pair & 15, pair >> 4]).collect();
    let codes = Codes::new(&lengths)?;
    let mut bits = Bits { packed, at: SYMBOLS / 2, next: 0, spare: 16 };
    bits.next = bits.word() << 16;
    bits.next |= bits.word();
    let mut bytes = Vec::with_capacity(length);
    while bytes.len() < length {
        let (symbol, code_length) = codes.find(bits.next).ok_or(DAMAGED)?;
        bits.skip(u32::from(code_length));
        if usize::from(symbol) < LITERALS {
            bytes.push(symbol as u8);
            continue;
        }
        let pair = usize::from(symbol) - LITERALS;
        let (mut match_length, distance_bits) = (pair & 15, (pair >> 4) as u32);
        if match_length == 15 {
            match_length = bits.byte()?;
            if match_length == 255 {
                match_length = usize::from(le_u16(packed, bits.at).ok_or(DAMAGED)?);
                bits.at += 2;
                if match_length == 0 {
                    let long = le_u32(packed, bits.at).ok_or(DAMAGED)?;
                    match_length = usize::try_from(long).map_err(|_| DAMAGED)?;
                    bits.at += 4;
                }
                match_length = match_length.checked_sub(15).ok_or(DAMAGED)?;
            }
            match_length += 15;
        }
        match_length += 3;
        let low = if distance_bits == 0 { 0 } else { bits.next >> (32 - distance_bits) };
        let distance = (1 << distance_bits) + low as usize;
        bits.skip(distance_bits);
        super::huffman::repeat(&mut bytes, distance, match_length, length)?;
    }
    Ok(bytes)
}
