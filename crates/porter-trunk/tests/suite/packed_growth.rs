//! A packed trunk that is cut off, gone on with, topped up and continued elsewhere; and one whose lines lie.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::fixtures::{NOW, entry, item, label};
use porter_trunk::packed_form::{PackedOptions, PackedTrunk, PackedTrunkWriter};
use porter_trunk::{
    Content, ContentHash, Depth, Entry, Extent, Inventory, Label, Stored, Tally, Trunk, TrunkError,
    TrunkWriter,
};
use std::collections::BTreeMap;
use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use time::macros::datetime;
use time::{Duration, OffsetDateTime};

/// Long before any run.
const LONG_AGO: OffsetDateTime = datetime!(2012-03-04 05:06:07 UTC);

/// Names, contents, and when they were changed.
type Files = BTreeMap<String, (Vec<u8>, OffsetDateTime)>;

fn options() -> PackedOptions {
    PackedOptions { pack_in_bytes: 16 << 20, spare_in_percent: None }
}

fn begin(path: &Path) -> PackedTrunkWriter {
    let trunk = PackedTrunkWriter::create(path, label(), None, &options()).unwrap();
    announced(trunk)
}

fn go_on(folders: &[PathBuf], continue_on: Option<&Path>) -> PackedTrunkWriter {
    announced(PackedTrunkWriter::go_on(folders, continue_on, label(), None, &options()).unwrap())
}

fn announced(trunk: PackedTrunkWriter) -> PackedTrunkWriter {
    trunk.announce(&Inventory { items: &[item(Tally::default())], programs: &[] }).unwrap();
    trunk
}

/// Stores files as a capture does. Returns the paths that had to be read.
fn store(trunk: &PackedTrunkWriter, files: &Files) -> (Vec<String>, Tally) {
    let mut read = Vec::new();
    let mut tally = Tally::default();
    for (name, (content, modified_utc)) in files {
        let mut entry = entry(name, Some(*modified_utc));
        let already = trunk.already(&entry.address, content.len() as u64, entry.modified_utc);
        let Stored { size_in_bytes, hash, extents } = already.unwrap_or_else(|| {
            read.push(name.clone());
            trunk.store(&entry.address, entry.modified_utc, &mut &content[..], &|_| {}).unwrap()
        });
        entry.content = Content::File { size_in_bytes, hash };
        entry.extents = extents;
        trunk.record(&entry).unwrap();
        tally += Tally::file(size_in_bytes);
    }
    (read, tally)
}

fn finish(trunk: &PackedTrunkWriter, tally: Tally) {
    trunk.close(&Inventory { items: &[item(tally)], programs: &[] }, NOW).unwrap();
    trunk.publish().unwrap();
}

/// Everything in the newest state of a trunk, proved.
fn contents(folders: &[PathBuf]) -> Files {
    let trunk = PackedTrunk::load(folders, None).unwrap();
    let mut audit = trunk.audit(Depth::Full).unwrap();
    let mut found = Files::new();
    for entry in trunk.entries().unwrap().map(Result::unwrap) {
        let mut content = Vec::new();
        trunk.open_content(&entry).unwrap().read_to_end(&mut content).unwrap();
        let Content::File { hash, .. } = entry.content else { continue };
        assert_eq!(ContentHash::of(&content), hash);
        assert_eq!(audit.see(&entry, true), None);
        found.insert(entry.address.path.to_string(), (content, entry.modified_utc.unwrap()));
    }
    assert_eq!(audit.finish().unwrap(), []);
    found
}

struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % end
    }

    /// Text, noise, zeros, or a mixture.
    fn content(&mut self) -> Vec<u8> {
        let length = [0, 1, 700, 16_384, 16_385, 90_000, 1_500_000][self.below(7)];
        match self.below(4) {
            0 => (0..length).map(|_| self.below(256) as u8).collect(),
            1 => b"the wind turns at four ".iter().copied().cycle().take(length).collect(),
            2 => vec![0; length],
            _ => (0..length).map(|at| if at / 40_000 % 2 == 0 { 0 } else { self.below(7) as u8 }).collect(),
        }
    }

    fn files(&mut self, count: usize) -> Files {
        (0..count).map(|number| (format!("folder/{number:03}"), (self.content(), LONG_AGO))).collect()
    }
}

#[test]
fn whatever_is_changed_between_captures_every_state_comes_back_exactly() {
    for seed in 0..12 {
        let mut dice = Dice(seed);
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("trunk");
        let mut files = dice.files(30);
        let trunk = begin(&path);
        let (read, tally) = store(&trunk, &files);
        assert_eq!(read.len(), 30);
        finish(&trunk, tally);
        drop(trunk);
        for _ in 0..3 {
            assert!(contents(std::slice::from_ref(&path)) == files, "seed {seed}");
            let mut changed = Vec::new();
            for _ in 0..5 {
                let name = format!("folder/{:03}", dice.below(40));
                match dice.below(3) {
                    0 => drop(files.remove(&name)),
                    _ => {
                        let later = LONG_AGO + Duration::hours(dice.below(1000) as i64 + 1);
                        changed.push(name.clone());
                        files.insert(name, (dice.content(), later));
                    }
                }
            }
            let trunk = go_on(std::slice::from_ref(&path), None);
            let (read, tally) = store(&trunk, &files);
            assert!(
                read.iter().all(|name| changed.contains(name)),
                "{read:?} were read, {changed:?} changed"
            );
            finish(&trunk, tally);
        }
        assert!(contents(std::slice::from_ref(&path)) == files, "seed {seed}");
    }
}

#[test]
fn what_a_cut_off_run_left_is_taken_over_however_it_ends() {
    let mut dice = Dice(4711);
    let mut files = Files::new();
    for number in 0..40 {
        let noise: Vec<u8> = (0..1_000_000).map(|_| dice.below(256) as u8).collect();
        files.insert(format!("{number:02}.bin"), (noise, LONG_AGO));
    }
    let half: Files = files.iter().take(30).map(|(name, file)| (name.clone(), file.clone())).collect();
    for end in ["paused", "torn", "with rubbish behind"] {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("trunk");
        let trunk = begin(&path);
        store(&trunk, &half);
        if end == "paused" {
            trunk.pause();
        }
        drop(trunk);
        let packs: Vec<PathBuf> = fs::read_dir(&path).unwrap().map(|row| row.unwrap().path()).collect();
        let last = packs.iter().filter(|path| path.to_string_lossy().contains("pack-")).max().unwrap();
        let bytes = fs::read(last).unwrap();
        let part = last.with_extension("part");
        match end {
            "torn" => {
                fs::rename(last, &part).unwrap();
                fs::write(&part, &bytes[..bytes.len() / 2]).unwrap();
            }
            "with rubbish behind" => {
                fs::rename(last, &part).unwrap();
                fs::File::options().append(true).open(&part).unwrap().write_all(&[0x55; 5000]).unwrap();
            }
            _ => {}
        }
        assert!(matches!(
            PackedTrunk::load(std::slice::from_ref(&path), None),
            Err(TrunkError::Unfinished(_))
        ));
        let trunk = go_on(std::slice::from_ref(&path), None);
        let (read, tally) = store(&trunk, &files);
        match end {
            "paused" => assert_eq!(read.len(), 10, "only what was never read"),
            _ => assert!((10..40).contains(&read.len()), "{end}: {}", read.len()),
        }
        finish(&trunk, tally);
        drop(trunk);
        assert!(contents(std::slice::from_ref(&path)) == files, "{end}");
        let size: u64 = fs::read_dir(&path).unwrap().map(|row| row.unwrap().metadata().unwrap().len()).sum();
        assert!(size < 60_000_000, "{end}: what was safe was not written again: {size}");
    }
}

#[test]
fn a_trunk_in_two_parts_is_whole_only_with_both() {
    let folder = tempfile::tempdir().unwrap();
    let (first, second) = (folder.path().join("first"), folder.path().join("second"));
    let files = Dice(99).files(24);
    let half: Files = files.iter().take(12).map(|(name, file)| (name.clone(), file.clone())).collect();
    let trunk = begin(&first);
    store(&trunk, &half);
    trunk.pause();
    drop(trunk);
    let trunk = go_on(std::slice::from_ref(&first), Some(&second));
    let (read, tally) = store(&trunk, &files);
    assert_eq!(read.len(), 12);
    finish(&trunk, tally);
    drop(trunk);
    for both in [[first.clone(), second.clone()], [second.clone(), first.clone()]] {
        assert!(contents(&both) == files);
    }
    assert!(matches!(
        PackedTrunk::load(std::slice::from_ref(&second), None),
        Err(TrunkError::PartMissing { part: 1, .. })
    ));
    assert!(matches!(PackedTrunk::load(std::slice::from_ref(&first), None), Err(TrunkError::Unfinished(_))));
    // A part of another trunk does not belong to this one.
    let other = folder.path().join("other");
    drop(begin(&other));
    assert!(PackedTrunk::load(&[second, other], None).is_err());
}

#[test]
fn two_do_not_write_at_once_and_another_machine_does_not_mix_in() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trunk");
    let trunk = begin(&path);
    let again = |label: Label| {
        PackedTrunkWriter::go_on(std::slice::from_ref(&path), None, label, None, &options()).map(drop)
    };
    assert!(matches!(again(label()), Err(TrunkError::InUse { .. })));
    let (_, tally) = store(&trunk, &Dice(1).files(3));
    finish(&trunk, tally);
    drop(trunk);
    let mut other = label();
    other.machine.name = "SAILROOM".to_owned();
    assert!(matches!(again(other), Err(TrunkError::OtherMachine { .. })));
    // A file that was changed while the run began may have changed again without its time telling.
    let fresh: Files = [("fresh.txt".to_owned(), (b"fresh".to_vec(), NOW - Duration::seconds(1)))].into();
    for _ in 0..2 {
        let trunk = go_on(std::slice::from_ref(&path), None);
        let (read, tally) = store(&trunk, &fresh);
        assert_eq!(read, ["fresh.txt"]);
        finish(&trunk, tally);
    }
}

#[test]
fn lines_that_lie_about_their_contents_are_found_and_cost_nothing() {
    let lies = [
        vec![Extent::Contents { block: 9_999, first: 0, count: 1 }],
        vec![Extent::Contents { block: 1, first: 5, count: u32::MAX }],
        vec![Extent::Contents { block: 1, first: u32::MAX, count: u32::MAX }],
        vec![Extent::Zeros { length_in_bytes: u64::MAX }],
        vec![Extent::Zeros { length_in_bytes: 3 }],
        vec![Extent::Contents { block: 1, first: 0, count: 1 }; 1000],
    ];
    for lie in lies {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("trunk");
        let trunk = begin(&path);
        let (_, mut tally) = store(&trunk, &Dice(5).files(2));
        let mut liar: Entry = entry("liar.bin", Some(LONG_AGO));
        liar.content = Content::File { size_in_bytes: 1_000, hash: ContentHash::of(b"what it claims") };
        liar.extents = lie.iter().copied().collect();
        trunk.record(&liar).unwrap();
        tally += Tally::file(1_000);
        finish(&trunk, tally);
        drop(trunk);
        let trunk = PackedTrunk::load(std::slice::from_ref(&path), None).unwrap();
        let found = trunk.entries().unwrap().map(Result::unwrap).find(|e| e.address == liar.address).unwrap();
        let mut content = Vec::new();
        // A content that is longer than it claims is not even begun.
        let read = trunk.open_content(&found).map(|mut from| from.read_to_end(&mut content).is_ok());
        assert!(content.len() <= 1_000, "no more than it claims: {lie:?}");
        assert!(!matches!(read, Ok(true)) || ContentHash::of(&content) != ContentHash::of(b"what it claims"));
    }
}

/// Yields this many bytes and then breaks off, as a drive does.
struct BreaksOff<'a> {
    content: &'a [u8],
}

impl Read for BreaksOff<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        match self.content.read(buffer)? {
            0 => Err(std::io::Error::other("unreadable sector")),
            read => Ok(read),
        }
    }
}

#[test]
fn what_a_trunk_takes_is_told_with_its_spare_data_while_it_is_written_and_after() {
    let mut dice = Dice(7);
    let film: Vec<u8> = (0..20_000_000).map(|_| dice.below(256) as u8).collect();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trunk");
    let options = PackedOptions { spare_in_percent: Some(25.0), ..options() };
    let trunk = announced(PackedTrunkWriter::create(&path, label(), None, &options).unwrap());
    let (_, tally) = store(&trunk, &[("a.mp4".to_owned(), (film, LONG_AGO))].into());
    // Another thread writes.
    let began = std::time::Instant::now();
    while trunk.written_in_bytes().unwrap() < 25_000_000 {
        assert!(began.elapsed().as_secs() < 60, "{:?}", trunk.written_in_bytes());
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    finish(&trunk, tally);
    let rows = fs::read_dir(&path).unwrap().map(Result::unwrap);
    let packs_and_lists = rows.filter(|row| {
        ["pack-", "list-"].iter().any(|begin| row.file_name().to_string_lossy().starts_with(begin))
    });
    let lengths = packs_and_lists.map(|row| row.metadata().unwrap().len());
    assert_eq!(trunk.written_in_bytes(), Some(lengths.sum()));
}

#[test]
fn films_share_what_they_have_in_common_and_one_that_breaks_off_harms_no_other() {
    let mut dice = Dice(2012);
    let film: Vec<u8> = (0..30_000_000).map(|_| dice.below(256) as u8).collect();
    // Cut again: something inserted near the beginning, a scene exchanged, the end left out.
    let mut cut_anew = film[..3_000_000].to_vec();
    cut_anew.extend_from_slice(b"a title");
    cut_anew.extend_from_slice(&film[3_000_000..29_000_000]);
    cut_anew[15_000_000..15_400_000].fill(7);
    let file = |content: &[u8]| (content.to_vec(), LONG_AGO);
    let files: Files = [
        ("a.mp4".to_owned(), file(&film)),
        ("b.mp4".to_owned(), file(&cut_anew)),
        ("c.mp4".to_owned(), file(&film)),
    ]
    .into();

    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trunk");
    let trunk = begin(&path);
    let broken = entry("broken.mp4", Some(LONG_AGO));
    let stored = trunk.store(
        &broken.address,
        broken.modified_utc,
        &mut BreaksOff { content: &film[..20_000_000] },
        &|_| {},
    );
    assert!(stored.is_err(), "a file that broke off is none");
    let (_, tally) = store(&trunk, &files);
    finish(&trunk, tally);
    drop(trunk);
    assert!(contents(std::slice::from_ref(&path)) == files);
    let rows: Vec<PathBuf> = fs::read_dir(&path).unwrap().map(|row| row.unwrap().path()).collect();
    let size: u64 = rows.iter().map(|path| fs::metadata(path).unwrap().len()).sum();
    assert!(
        size < 52_000_000,
        "{size}: what was read before it broke off is used, and what is alike is kept once"
    );

    // If a block is damaged, only the damaged contents in it are lost: the block has many contents, and each
    // has its proof.
    let pack = rows.iter().find(|path| path.to_string_lossy().contains("pack-00001")).unwrap();
    let mut bytes = fs::read(pack).unwrap();
    let at = bytes.len() / 2;
    bytes[at] ^= 1;
    fs::remove_file(pack).unwrap();
    fs::write(pack, bytes).unwrap();
    let trunk = PackedTrunk::load(std::slice::from_ref(&path), None).unwrap();
    let mut audit = trunk.audit(Depth::Full).unwrap();
    for entry in trunk.entries().unwrap().map(Result::unwrap) {
        let mut content = Vec::new();
        let read = trunk.open_content(&entry).unwrap().read_to_end(&mut content);
        let Content::File { hash, .. } = entry.content else { continue };
        audit.see(&entry, read.is_ok() && ContentHash::of(&content) == hash);
    }
    assert!(!audit.finish().unwrap().is_empty(), "a flipped bit within a film is noticed");
}
