//! Structures that our writer does not make and Windows or an enemy does, put together by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_hive::base_block::SIZE_IN_BYTES;
use porter_hive::{Hive, HiveError, Name, ValueKind};

/// Bins that are filled cell by cell, behind a first block.
struct Bench(Vec<u8>);

impl Bench {
    fn new() -> Self {
        Self(vec![0; 32])
    }

    /// Adds a cell in use and returns its offset.
    fn cell(&mut self, content: &[u8]) -> u32 {
        let offset = self.0.len();
        let size = (content.len() + 4).next_multiple_of(8);
        self.0.extend((-(size as i32)).to_le_bytes());
        self.0.extend(content);
        self.0.resize(offset + size, 0);
        offset as u32
    }

    fn list(&mut self, mark: &[u8], rows: &[u32]) -> u32 {
        let mut list = [mark, &(rows.len() as u16).to_le_bytes()].concat();
        let hint: &[u8] = if matches!(mark, b"lf" | b"lh") { &[0; 4] } else { &[] };
        rows.iter().for_each(|row| list.extend([&row.to_le_bytes(), hint].concat()));
        self.cell(&list)
    }

    fn key(&mut self, name: &[u8], subkeys: (u32, u32), values: (u32, u32)) -> u32 {
        let mut key = [&b"nk"[..], &0x20_u16.to_le_bytes(), &[0; 16]].concat();
        let none = u32::MAX;
        for word in
            [subkeys.0, 0, subkeys.1, none, values.0, values.1, none, none, 0, 0, 0, 0, 0, name.len() as u32]
        {
            key.extend(word.to_le_bytes());
        }
        key.extend(name);
        self.cell(&key)
    }

    fn value(&mut self, name: &[u8], length: u32, data: u32, kind: u32) -> u32 {
        let mut value = [&b"vk"[..], &(name.len() as u16).to_le_bytes()].concat();
        [length, data, kind, 1].iter().for_each(|word| value.extend(word.to_le_bytes()));
        value.extend(name);
        self.cell(&value)
    }

    fn hive(mut self, root: u32) -> Hive {
        self.0.resize(self.0.len().next_multiple_of(4096), 0);
        let mut block = vec![0; SIZE_IN_BYTES];
        block[..4].copy_from_slice(b"regf");
        for (at, word) in [(4, 1), (8, 1), (20, 1), (24, 6), (36, root), (40, self.0.len() as u32)] {
            block[at..at + 4].copy_from_slice(&word.to_le_bytes());
        }
        let sum =
            block[..508].chunks_exact(4).fold(0, |sum, w| sum ^ u32::from_le_bytes([w[0], w[1], w[2], w[3]]));
        block[508..512].copy_from_slice(&sum.to_le_bytes());
        block.extend(self.0);
        Hive::from_bytes(block).unwrap()
    }
}

#[test]
fn every_kind_of_list_is_read() {
    let mut bench = Bench::new();
    let names = ["li", "lf", "lh", "deep"];
    let [a, b, c, d] = names.map(|name| bench.key(name.as_bytes(), (0, u32::MAX), (0, u32::MAX)));
    let lists = [bench.list(b"li", &[a]), bench.list(b"lf", &[b]), bench.list(b"lh", &[c])];
    let nested = bench.list(b"ri", &lists);
    let other = bench.list(b"lh", &[d]);
    // Lists of lists of lists are not Windows'; what is beside them is read.
    let too_deep = bench.list(b"ri", &[nested, other]);
    let good = bench.key(b"good", (3, nested), (0, u32::MAX));
    let bad = bench.key(b"bad", (4, too_deep), (0, u32::MAX));
    let both = bench.list(b"li", &[good, bad]);
    let root = bench.key(b"root", (2, both), (0, u32::MAX));
    let hive = bench.hive(root);
    let found = |path: &str| -> Vec<String> {
        let keys = hive.key(path).unwrap().subkeys();
        keys.map(|key| key.map_or_else(|error| error.to_string(), |key| key.name().to_string())).collect()
    };
    assert_eq!(found("good"), ["li", "lf", "lh"]);
    let with_damage = found("bad");
    assert!(with_damage[0] == "deep" && with_damage[1].contains("nested too deep"), "{with_damage:?}");
}

#[test]
fn data_is_read_in_each_of_its_places_and_no_length_is_believed() {
    let mut bench = Bench::new();
    let whole = bench.cell(b"0123456789");
    let pieces = [bench.cell(&vec![1; 16_344]), bench.cell(&[2; 100])];
    let list = bench.cell(&pieces.map(u32::to_le_bytes).concat());
    let in_pieces = bench.cell(&[&b"db"[..], &2_u16.to_le_bytes(), &list.to_le_bytes()].concat());
    let missing_piece = bench.cell(&[&b"db"[..], &9_u16.to_le_bytes(), &list.to_le_bytes()].concat());
    let word = u32::from_le_bytes(*b"abcd");
    let values = [
        bench.value(b"whole", 10, whole, 3),
        bench.value(b"\xe4rger", 0x8000_0003, word, 3),
        // At most four bytes are in place of the offset.
        bench.value(b"too long in place", 0x8000_00ff, word, 3),
        bench.value(b"pieces", 16_444, in_pieces, 3),
        bench.value(b"lie", 1 << 30, whole, 3),
        bench.value(b"lie in pieces", 16_344 * 2 + 1, in_pieces, 3),
        bench.value(b"missing piece", 16_344 * 2 + 1, missing_piece, 3),
        bench.value(b"nowhere", 8, 0x00ff_fff0, 3),
        bench.value(b"half a number", 0x8000_0002, word, 4),
        bench.value(b"text", 0x8000_0004, u32::from_le_bytes(*b"a\0b\0"), 1),
    ];
    let list = bench.cell(&values.map(u32::to_le_bytes).concat());
    // One more than the list holds.
    let root = bench.key(b"root", (0, u32::MAX), (values.len() as u32 + 7, list));
    let hive = bench.hive(root);
    let root = hive.root().unwrap();
    let data = |name: &str| root.value(name).unwrap().data().map(|data| data.to_vec());
    assert_eq!(data("whole").unwrap(), b"0123456789");
    assert_eq!(data("Ärger").unwrap(), b"abc", "one byte for each letter, and any case");
    assert_eq!(data("too long in place").unwrap(), b"abcd");
    assert_eq!(data("pieces").unwrap(), [vec![1; 16_344], vec![2; 100]].concat());
    assert!(matches!(data("lie"), Err(HiveError::CellTooShort { needed_in_bytes: 0x4000_0000, .. })));
    assert!(matches!(data("lie in pieces"), Err(HiveError::CellTooShort { .. })));
    assert!(matches!(data("missing piece"), Err(HiveError::CellTooShort { what: "list of pieces", .. })));
    assert!(matches!(data("nowhere"), Err(HiveError::CellOutside { offset: 0x00ff_fff0 })));
    assert_eq!(root.value("half a number").unwrap().number(), None);
    // A text without an end is still a text.
    assert_eq!(root.value("text").unwrap().text().as_deref(), Some("ab"));
    assert_eq!(root.value("whole").unwrap().text(), None, "bytes are no text");
    let last = root.values().last().unwrap();
    assert!(matches!(last, Err(HiveError::CellTooShort { what: "list of values", .. })), "{last:?}");
}

#[test]
fn kinds_keep_their_numbers_and_names_their_letters() {
    for number in (0..20).chain([0x1234_5678, u32::MAX]) {
        assert_eq!(ValueKind::from_number(number).number(), number);
    }
    let mut bench = Bench::new();
    let lone = [0x3d, 0xd8, b'x', 0];
    let mut key = [&b"nk"[..], &0_u16.to_le_bytes(), &[0; 16], &[0; 4]].concat();
    key.extend(
        [0, u32::MAX, 0, 0, u32::MAX, u32::MAX, u32::MAX, 0, 0, 0, 0, 0]
            .iter()
            .flat_map(|w: &u32| w.to_le_bytes()),
    );
    key.extend([4, 0, 0, 0]);
    key.extend(lone);
    let root = bench.cell(&key);
    let hive = bench.hive(root);
    let name = hive.root().unwrap().name();
    assert_eq!(name.units(), [0xd83d, u16::from(b'x')], "half a letter is kept");
    assert!(name.is_same(&name) && name != Name::from("\u{fffd}x"));
}
