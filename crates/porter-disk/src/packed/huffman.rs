//! Codes of different lengths, as XPRESS and LZX have them.

use porter_source::OwnTrouble;

pub(super) const DAMAGED: OwnTrouble = OwnTrouble::Damaged("its compressed content contradicts itself");
/// No code is longer, and none is found by more bits.
const MOST_BITS: u32 = 16;
/// Codes up to this length are found in one step.
const TABLE_BITS: u32 = 10;

/// Codes in the order of their lengths, and of their symbols where these are equal.
pub(super) struct Codes {
    /// By the first bits: symbol and length; a length of 0 where the code is longer, or there is none.
    table: Vec<(u16, u8)>,
    /// Symbols in the order of their codes.
    symbols: Vec<u16>,
    /// For each length: the first code of it, with 16 bits, and where its symbol stands.
    firsts: [(u32, usize); MOST_BITS as usize + 2],
}

impl Codes {
    /// Fails unless the lengths fill the room of codes, or there are none at all.
    pub(super) fn new(lengths: &[u8]) -> Result<Self, OwnTrouble> {
        let mut counts = [0_u32; MOST_BITS as usize + 1];
        for length in lengths {
            *counts.get_mut(usize::from(*length)).ok_or(DAMAGED)? += 1;
        }
        let mut symbols = Vec::new();
        let mut table = vec![(0, 0); 1 << TABLE_BITS];
        let mut firsts = [(0, 0); MOST_BITS as usize + 2];
        let mut code = 0_u32;
        for length in 1..=MOST_BITS {
            firsts[length as usize] = (code, symbols.len());
            let step = 1 << (MOST_BITS - length);
            for (symbol, own) in lengths.iter().enumerate() {
                if u32::from(*own) != length {
                    continue;
                }
                if length <= TABLE_BITS {
                    let from = (code >> (MOST_BITS - TABLE_BITS)) as usize;
                    let until = from + (1 << (TABLE_BITS - length));
                    table.get_mut(from..until).ok_or(DAMAGED)?.fill((symbol as u16, length as u8));
                }
                symbols.push(symbol as u16);
                code += step;
                if code > 1 << MOST_BITS {
                    return Err(DAMAGED);
                }
            }
        }
        firsts[MOST_BITS as usize + 1] = (code, symbols.len());
        let is_full = code == 1 << MOST_BITS;
        // A tree of a single code is written in its own way; one without codes is never asked.
        if is_full || symbols.len() <= 1 { Ok(Self { table, symbols, firsts }) } else { Err(DAMAGED) }
    }

    /// The symbol at the beginning of these bits, and the length of its code.
    pub(super) fn find(&self, bits: u32) -> Option<(u16, u8)> {
        let (symbol, length) = self.table[(bits >> (32 - TABLE_BITS)) as usize];
        if length > 0 {
            return Some((symbol, length));
        }
        let code = bits >> (32 - MOST_BITS);
        for length in TABLE_BITS + 1..=MOST_BITS {
            let (first, at) = self.firsts[length as usize];
            let (behind, end) = self.firsts[length as usize + 1];
            if (first..behind).contains(&code) {
                let number = at + ((code - first) >> (MOST_BITS - length)) as usize;
                let symbol = self.symbols.get(number).filter(|_| number < end)?;
                return Some((*symbol, length as u8));
            }
        }
        None
    }
}

/// Appends what stands a distance back, byte by byte: it may overlap itself. Fails before the beginning;
/// stops at the length that is wanted.
pub(super) fn repeat(
    bytes: &mut Vec<u8>,
    distance: usize,
    length: usize,
    most: usize,
) -> Result<(), OwnTrouble> {
    let from = bytes.len().checked_sub(distance).filter(|_| distance > 0).ok_or(DAMAGED)?;
    let length = length.min(most.saturating_sub(bytes.len()));
    if length <= distance {
        bytes.extend_from_within(from..from + length);
    } else {
        for at in from..from + length {
            bytes.push(bytes[at]);
        }
    }
    Ok(())
}
