//! LZNT1, in which NTFS compresses files ([MS-XCA] 2.5): pieces of up to 4096 bytes, each by itself.

use crate::numbers::le_u16;
use porter_source::OwnTrouble;

const PIECE_IN_BYTES: usize = 4096;
const DAMAGED: OwnTrouble = OwnTrouble::Damaged("its compressed content contradicts itself");

/// The bytes that were packed, at most as many as a unit has. Bytes behind the end mean nothing.
pub fn unpacked(mut packed: &[u8], most_in_bytes: usize) -> Result<Vec<u8>, OwnTrouble> {
    let mut bytes = Vec::with_capacity(most_in_bytes);
    while bytes.len() < most_in_bytes {
        let Some(header) = le_u16(packed, 0).filter(|header| *header != 0) else { break };
        let length = usize::from(header & 0x0fff) + 1;
        let piece = packed.get(2..2 + length).ok_or(DAMAGED)?;
        packed = &packed[2 + length..];
        let begin = bytes.len();
        if header & 0x8000 == 0 {
            bytes.extend_from_slice(piece);
        } else {
            unpack_piece(piece, begin, &mut bytes)?;
        }
        // A piece that is shorter than it could be stands for zeros; only the last one may be.
        if packed.len() >= 2 && le_u16(packed, 0) != Some(0) {
            bytes.resize(begin + PIECE_IN_BYTES, 0);
        }
    }
    bytes.truncate(most_in_bytes);
    Ok(bytes)
}

/// Bytes, and pairs of a distance back and a length; a byte before eight of them says which they are.
fn unpack_piece(piece: &[u8], begin: usize, bytes: &mut Vec<u8>) -> Result<(), OwnTrouble> {
    let mut at = 0;
    while at < piece.len() {
        let flags = piece[at];
        at += 1;
        for bit in 0..8 {
            if at >= piece.len() {
                break;
            }
            if flags >> bit & 1 == 0 {
                bytes.push(piece[at]);
                at += 1;
            } else {
                let pair = usize::from(le_u16(piece, at).ok_or(DAMAGED)?);
                at += 2;
                // The further the piece is unpacked, the more bits the distance needs.
                let done = bytes.len() - begin;
                let length_bits =
                    12 - done.saturating_sub(1).checked_ilog2().map_or(0, |log| log.saturating_sub(3));
                let distance = (pair >> length_bits) + 1;
                let length = (pair & ((1 << length_bits) - 1)) + 3;
                if distance > done {
                    return Err(DAMAGED);
                }
                for from in bytes.len() - distance..bytes.len() - distance + length {
                    bytes.push(bytes[from]);
                }
            }
            if bytes.len() - begin > PIECE_IN_BYTES {
                return Err(DAMAGED);
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_example_of_the_specification_is_unpacked() {
        // [MS-XCA] 3.3.
        let packed = [
            0x38, 0xb0, 0x88, 0x46, 0x23, 0x20, 0x00, 0x20, 0x47, 0x20, 0x41, 0x00, 0x10, 0xa2, 0x47, 0x01,
            0xa0, 0x45, 0x20, 0x44, 0x00, 0x08, 0x45, 0x01, 0x50, 0x79, 0x00, 0xc0, 0x45, 0x20, 0x05, 0x24,
            0x13, 0x88, 0x05, 0xb4, 0x02, 0x4a, 0x44, 0xef, 0x03, 0x58, 0x02, 0x8c, 0x09, 0x16, 0x01, 0x48,
            0x45, 0x00, 0xbe, 0x00, 0x9e, 0x00, 0x04, 0x01, 0x18, 0x90, 0x00,
        ];
        let text = "F# F# G A A G F# E D D E F# F# E E F# F# G A A G F# E D D E F# E D D E E F# D E F# G F# D E F# G F# E D E A F# F# G A A G F# E D D E F# E D D\0";
        assert_eq!(unpacked(&packed, 65_536).unwrap(), text.as_bytes());
        assert!(unpacked(&packed[..packed.len() - 9], 65_536).is_err());
        assert!(
            unpacked(&[0x03, 0xb0, 0x02, b'a', 0x00, 0x10], 65_536).is_err(),
            "further back than the beginning"
        );
        assert_eq!(unpacked(&[], 65_536).unwrap(), b"");
    }
}
