//! The hash in the new logs: Marvin32, by Niels Ferguson, with the registry's seed. The steps are those of
//! the public implementation in .NET (`Marvin.cs`), from which the test's numbers are.

/// The registry's own seed (from the specification that [`crate`] names).
const SEED: u64 = 0x82ef_4d88_7a4e_55c5;

pub(super) fn hash(bytes: &[u8]) -> u64 {
    seeded_hash(SEED, bytes)
}

fn seeded_hash(seed: u64, bytes: &[u8]) -> u64 {
    let (mut low, mut high) = (seed as u32, (seed >> 32) as u32);
    let mut take = |word: u32| {
        low = low.wrapping_add(word);
        high ^= low;
        low = low.rotate_left(20).wrapping_add(high);
        high = high.rotate_left(9) ^ low;
        low = low.rotate_left(27).wrapping_add(high);
        high = high.rotate_left(19);
    };
    let mut words = bytes.chunks_exact(4);
    for word in &mut words {
        take(u32::from_le_bytes([word[0], word[1], word[2], word[3]]));
    }
    // The rest, and a mark after it.
    take(match *words.remainder() {
        [a] => u32::from_le_bytes([a, 0x80, 0, 0]),
        [a, b] => u32::from_le_bytes([a, b, 0x80, 0]),
        [a, b, c] => u32::from_le_bytes([a, b, c, 0x80]),
        _ => 0x80,
    });
    take(0);
    u64::from(high) << 32 | u64::from(low)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_published_numbers_come_out() {
        let seed = 0x004f_b61a_001b_dbcc;
        for (bytes, expected) in [
            (&b""[..], 0x30ed_35c1_00cd_3c7d),
            (b"\xaf", 0x48e7_3fc7_7d75_ddc1),
            (b"\xe7\x0f", 0xb5f6_e1fc_485d_bff8),
            (b"\x37\xf4\x95", 0xf0b0_7c78_9b8c_f7e8),
            (b"\x86\x42\xdc\x59", 0x7008_f2e8_7e9c_f556),
        ] {
            assert_eq!(seeded_hash(seed, bytes), expected, "{bytes:02x?}");
        }
    }
}
