//! A hive with every shape of thing in it.
#![allow(dead_code, reason = "each test file uses a part of it")]
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_hive::tree::KeyTree;
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{Name, ValueKind};

/// 2026-11-23, 08:00 UTC.
pub const WRITTEN: u64 = 134_398_944_000_000_000;

pub fn heading(version: Version) -> Heading {
    Heading { version, last_written: WRITTEN, sequence: 7, file_name: "\\LOFT-PC\\SOFTWARE".to_owned() }
}

/// Names in many scripts, every kind of value, data of every length that is kept in its own way, and many
/// subkeys.
pub fn tree(subkeys: usize) -> KeyTree {
    let mut root = KeyTree::new("CMI-CreateHive{2A7FB991-7BBE-4F9D-B91E-7CB51D4737F5}");
    root.last_written = WRITTEN;
    let kites = root.key("Saltmarsh Kiteworks\\Kites");
    kites.set_text("", "the default value").set_text("Größe", "zwölf Fuß").set_text("空", "風箏");
    kites.set_expand_text("Folder", "%USERPROFILE%\\Kites");
    kites.set_texts("Colours", &["red", "sea green", ""]);
    kites.set_number("Spars", 12).set("Long", ValueKind::LongNumber, u64::MAX.to_le_bytes());
    kites.set("Big end", ValueKind::NumberBigEnd, 12_u32.to_be_bytes());
    kites.set("Odd kind", ValueKind::Other(0x1234_5678), *b"abc");
    kites.class_name = Some(Name::from("a class"));
    for length in [0, 1, 4, 5, 4096, 16_344, 16_345, 40_000, 1 << 20] {
        let data: Vec<u8> = (0..length).map(|at| (at % 251) as u8).collect();
        kites.set(&format!("{length} bytes"), ValueKind::Bytes, data);
    }
    let many = root.key("Many");
    for number in 0..subkeys {
        let mut job = KeyTree::new(&format!("Job {number:05}"));
        job.set_number("Number", number as u32);
        many.subkeys.push(job);
    }
    root.key("Змей\\كايت\\凧").set_text("名", "浜松");
    root.key("link").is_link = true;
    root
}

pub fn hive(subkeys: usize, version: Version) -> Vec<u8> {
    to_bytes(&tree(subkeys), &heading(version)).unwrap()
}

/// Everything in a tree, a line each, in an order of its own.
pub fn lines(key: &KeyTree) -> Vec<String> {
    let mut lines = Vec::new();
    let mut pending = vec![(String::new(), key)];
    while let Some((above, key)) = pending.pop() {
        let path = format!("{above}\\{}", key.name);
        lines.push(format!("{path} {:?} {} {}", key.class_name, key.is_link, key.last_written));
        for value in &key.values {
            // All of it would be megabytes of digits.
            let sum = value.data.iter().fold(7_u64, |sum, byte| sum.wrapping_mul(31) + u64::from(*byte));
            lines.push(format!("{path} = {} {:?} {} {sum:x}", value.name, value.kind, value.data.len()));
        }
        pending.extend(key.subkeys.iter().map(|subkey| (path.clone(), subkey)));
    }
    lines.sort();
    lines
}
