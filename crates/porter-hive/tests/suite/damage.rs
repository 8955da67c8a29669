//! Whatever stands in a hive: what can be read is given, what cannot is named, and no number is believed.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_hive::tree::KeyTree;
use porter_hive::write::Version;
use porter_hive::{Hive, HiveError};

/// Steps of a generator that needs no library: the numbers only have to be spread.
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % end
    }
}

fn find(bytes: &[u8], text: &[u8]) -> usize {
    bytes.windows(text.len()).position(|window| window == text).unwrap()
}

#[test]
fn a_damaged_part_is_named_and_the_rest_is_read() {
    let good = crate::made::hive(20, Version::V1_5);
    // The key's name stands 76 bytes after its mark.
    let key_at = find(&good, b"Job 00007") - 76;
    let whole = crate::made::lines(&KeyTree::from_hive(&Hive::from_bytes(good.clone()).unwrap()).0.unwrap());
    type Spoil = fn(&mut [u8]);
    type IsIt = fn(&HiveError) -> bool;
    let spoiled: [(Spoil, IsIt); 4] = [
        (|cell| cell[4..6].copy_from_slice(b"xx"), |e| matches!(e, HiveError::WrongKind { .. })),
        (
            |cell| cell[..4].copy_from_slice(&88_i32.to_le_bytes()),
            |e| matches!(e, HiveError::CellFree { .. }),
        ),
        (
            |cell| cell[76..78].copy_from_slice(&9999_u16.to_le_bytes()),
            |e| matches!(e, HiveError::CellTooShort { .. }),
        ),
        (
            |cell| cell[..4].copy_from_slice(&i32::MIN.to_le_bytes()),
            |e| matches!(e, HiveError::CellOutside { .. }),
        ),
    ];
    for (spoil, is_it) in spoiled {
        let mut bytes = good.clone();
        spoil(&mut bytes[key_at - 4..]);
        let (tree, damage) = KeyTree::from_hive(&Hive::from_bytes(bytes).unwrap());
        assert!(damage.len() == 1 && is_it(&damage[0]), "{damage:?}");
        let found = crate::made::lines(&tree.unwrap());
        let missing: Vec<_> = whole.iter().filter(|line| !found.contains(line)).collect();
        assert!(missing.len() == 2 && missing.iter().all(|line| line.contains("Job 00007")), "{missing:?}");
    }
    // A hive that ends too early is read as far as it goes.
    let cut = good[..good.len() * 2 / 3].to_vec();
    let (tree, damage) = KeyTree::from_hive(&Hive::from_bytes(cut).unwrap());
    assert!(tree.is_some() && !damage.is_empty());
    assert_eq!(Hive::from_bytes(b"not a hive".to_vec()).unwrap_err(), HiveError::NotAHive);
    let mut newer = good;
    newer[20] = 2;
    let refused = Hive::from_bytes(newer).unwrap_err();
    assert_eq!(refused, HiveError::UnsupportedVersion { major: 2, minor: 5 });
}

#[test]
fn loops_end() {
    let mut bytes = crate::made::hive(3, Version::V1_5);
    let bins = porter_hive::base_block::SIZE_IN_BYTES;
    // The deepest key gets the list of subkeys of the root: everything is below itself.
    let root = bins + 32 + 4;
    let list: [u8; 4] = bytes[root + 28..root + 32].try_into().unwrap();
    let deep = find(&bytes, b"Job 00002") - 76;
    bytes[deep + 20..deep + 24].copy_from_slice(&1_u32.to_le_bytes());
    bytes[deep + 28..deep + 32].copy_from_slice(&list);
    let (tree, damage) = KeyTree::from_hive(&Hive::from_bytes(bytes).unwrap());
    assert!(damage.iter().any(|damage| matches!(damage, HiveError::Loop { .. })), "{damage:?}");
    assert_eq!(tree.unwrap().count(), crate::made::tree(3).count());
}

#[test]
fn no_change_of_bytes_makes_it_panic_or_run_away() {
    // The long run is `cargo xtask mutate-hives`.
    let good = crate::made::hive(12, Version::V1_5);
    let heads: Vec<usize> = (0..good.len() - 1)
        .filter(|at| matches!(&good[*at..at + 2], b"nk" | b"vk" | b"lh" | b"db" | b"sk" | b"ri"))
        .collect();
    let mut dice = Dice(7);
    for _ in 0..2000 {
        let mut bytes = good.clone();
        for _ in 0..=dice.below(3) {
            // Where structures are, a change shows more than inside of data.
            let at = (heads[dice.below(heads.len())] - 4 + dice.below(84)).min(bytes.len() - 4);
            let number = [0, 1, 0x7fff_ffff, u32::MAX, dice.below(good.len()) as u32][dice.below(5)];
            bytes[at..at + 4].copy_from_slice(&number.to_le_bytes());
        }
        if let Ok(hive) = Hive::from_bytes(bytes) {
            let (tree, _) = KeyTree::from_hive(&hive);
            assert!(tree.is_none_or(|tree| tree.count() < 1000));
        }
    }
}
