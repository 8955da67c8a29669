//! Hives: how fast a large one is walked, and whether any change of bytes makes the reader panic or run away.

use porter_hive::walk::Sight;
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{Hive, KeyTree, ValueKind};
use std::time::{Duration, Instant};

fn written(tree: &KeyTree) -> Result<Vec<u8>, String> {
    let heading = Heading {
        version: Version::V1_5,
        last_written: 134_398_944_000_000_000,
        sequence: 1,
        file_name: "SOFTWARE".to_owned(),
    };
    to_bytes(tree, &heading).map_err(|error| error.to_string())
}

/// Every key, and every name and byte of every value. Returns their number.
fn walked(hive: &Hive) -> (usize, usize, usize) {
    let (mut keys, mut values, mut bytes) = (0, 0, 0);
    for sight in hive.walk() {
        let Sight::Key(key, _) = sight else { continue };
        keys += 1;
        bytes += key.name().units().len();
        bytes += key.security().ok().flatten().map_or(0, <[u8]>::len) + usize::from(key.class_name().is_ok());
        for value in key.values().filter_map(Result::ok) {
            values += 1;
            bytes += value.name().units().len() + value.data().map_or(0, |data| data.len());
        }
    }
    (keys, values, bytes)
}

/// A hive of 60 MB in the shape of a `SOFTWARE`: many small keys, a few texts in each.
pub(crate) fn bench() -> Result<(), String> {
    let mut root = KeyTree::new("root");
    let classes = root.key("Classes\\CLSID");
    for number in 0..110_000_u32 {
        let class = classes.subkeys.len();
        classes.subkeys.push(KeyTree::new(&format!("{{{number:08X}-7BBE-4F9D-B91E-7CB51D4737F5}}")));
        let class = &mut classes.subkeys[class];
        class.set_text("", "A class of things that kites are made of");
        let server = class.subkey("InprocServer32");
        server.set_expand_text("", &format!("%SystemRoot%\\System32\\kite{number:06}.dll"));
        server.set_text("ThreadingModel", "Both").set_number("Version", number);
    }
    let bytes = written(&root)?;
    let size_in_mb = bytes.len() as f64 / 1e6;
    let mut rounds = Vec::new();
    let mut found = (0, 0, 0);
    for _ in 0..5 {
        let bytes = bytes.clone();
        let began = Instant::now();
        let hive = Hive::from_bytes(bytes).map_err(|error| error.to_string())?;
        found = walked(&hive);
        rounds.push(began.elapsed());
    }
    rounds.sort();
    println!(
        "a hive of {size_in_mb:.1} MB, {} keys and {} values: all walked in {:.2?}",
        found.0, found.1, rounds[2]
    );
    Ok(())
}

/// Changes bytes of a small hive, reads all of the result, again and again.
pub(crate) fn mutate(times: u64) -> Result<(), String> {
    let mut root = KeyTree::new("root");
    root.key("Kites\\2026")
        .set_text("Größe", "zwölf")
        .set_number("Spars", 12)
        .set_texts("Colours", &["a", "b"]);
    root.key("Kites").class_name = Some("class".into());
    root.key("Kites").set("Long", ValueKind::Bytes, vec![7; 16_400]);
    (0..4).for_each(|number| {
        root.key(&format!("Many\\Job {number}")).set_number("", number);
    });
    let good = written(&root)?;
    let heads: Vec<usize> = (0..good.len() - 1)
        .filter(|at| matches!(&good[*at..at + 2], b"nk" | b"vk" | b"lh" | b"db" | b"sk" | b"re"))
        .collect();
    let began = Instant::now();
    let mut worst = Duration::ZERO;
    let mut readable = 0_u64;
    let mut spread = 0x9e37_79b9_7f4a_7c15_u64;
    let mut dice = |end: usize| {
        spread ^= spread << 13;
        spread ^= spread >> 7;
        spread ^= spread << 17;
        (spread % end as u64) as usize
    };
    for _ in 0..times {
        let mut bytes = good.clone();
        for _ in 0..=dice(4) {
            let at = (heads[dice(heads.len())].saturating_sub(4) + dice(84)).min(bytes.len() - 4);
            match dice(4) {
                0 => bytes[at] ^= 1 << dice(8),
                1 => bytes[at..at + 4].copy_from_slice(&(dice(good.len()) as u32).to_le_bytes()),
                2 => bytes[at..at + 4].copy_from_slice(&[0xff; 4]),
                _ => {
                    // One structure in the place of another.
                    let from = heads[dice(heads.len())].saturating_sub(4).min(bytes.len() - 32);
                    let at = at.min(bytes.len() - 32);
                    bytes.copy_within(from..from + 32, at);
                }
            }
        }
        let one = Instant::now();
        if let Ok(hive) = Hive::from_bytes(bytes) {
            let (keys, _, read) = walked(&hive);
            readable += 1;
            // Every key once; and no value is longer than the hive.
            if keys > good.len() / 80 || read > good.len() * 400 {
                return Err(format!("{keys} keys and {read} bytes were read from {} bytes", good.len()));
            }
        }
        worst = worst.max(one.elapsed());
    }
    println!(
        "{times} changed hives in {:.0?}: no panic; {readable} could be walked; the slowest took {worst:.2?}",
        began.elapsed()
    );
    Ok(())
}
