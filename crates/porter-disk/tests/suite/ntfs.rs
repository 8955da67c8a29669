//! A volume that ntfs-3g wrote, with all that is hard to read, and the same volume damaged.
#![allow(clippy::unwrap_used, clippy::expect_used, reason = "a test that cannot go on fails")]

use crate::volumes::{sha256, walk};
use porter_disk::block_source::BlockSource;
use porter_disk::file_system::recognise::open;
use porter_disk::{Caution, FileSystem};
use porter_source::{EntryKind, ReadTrouble, VolumeFile};
use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

fn image() -> Vec<u8> {
    zstd::decode_all(&include_bytes!("../images/kites.ntfs.zst")[..]).unwrap()
}

fn all_of(file: &dyn VolumeFile) -> std::io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    // Lengths that fit no unit and no cluster.
    let mut buffer = vec![0; 70_001];
    loop {
        match file.read_at(bytes.len() as u64, &mut buffer)? {
            0 => return Ok(bytes),
            read => bytes.extend_from_slice(&buffer[..read]),
        }
    }
}

/// The rows of the list beside the image, as the volume shows them.
fn shown(volume: &dyn FileSystem) -> BTreeSet<String> {
    let row = |(path, node)| match volume.tree().facts(node).unwrap().kind {
        EntryKind::Folder => format!("folder - {path}"),
        EntryKind::Link => {
            format!("link {} {path}", String::from_utf8_lossy(&volume.link_target(node).unwrap()))
        }
        _ => match volume.open(node).map(|file| all_of(&*file)) {
            Ok(Ok(bytes)) => format!("file {}:{} {path}", bytes.len(), sha256(&bytes)),
            Ok(Err(cause)) => format!("unreadable {cause} {path}"),
            Err(trouble) => format!("shut {trouble} {path}"),
        },
    };
    walk(volume).into_iter().map(row).collect()
}

fn truth() -> BTreeSet<String> {
    include_str!("../images/kites.txt").lines().map(str::to_owned).collect()
}

fn opened(image: Vec<u8>) -> Arc<dyn FileSystem> {
    open(Arc::new(image), false).unwrap()
}

/// Cuts a stretch out of the volume, as a bad spot would, and answers with an error there.
struct Worn(Vec<u8>, Vec<Range<u64>>);

impl BlockSource for Worn {
    fn size_in_bytes(&self) -> u64 {
        self.0.len() as u64
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> std::io::Result<usize> {
        let end = offset_in_bytes + buffer.len() as u64;
        if self.1.iter().any(|bad| offset_in_bytes < bad.end && end > bad.start) {
            return Err(std::io::Error::from_raw_os_error(if cfg!(windows) { 23 } else { 5 }));
        }
        self.0.read_at(offset_in_bytes, buffer)
    }
}

/// Where the records of the table of files are in this image: it lies in one piece at its beginning.
const TABLE_AT: usize = 0x4000;

fn record_at(number: usize) -> usize {
    TABLE_AT + number * 1024
}

/// The record of the file or folder with this path.
fn record_of(volume: &dyn FileSystem, path: &str) -> usize {
    let tree = volume.tree();
    path.split('/').fold(tree.root(), |at, name| tree.find(at, name.as_bytes()).unwrap()) as usize
}

#[test]
fn everything_is_read_as_it_was_written() {
    let volume = opened(image());
    assert_eq!(shown(&*volume), truth());
    assert_eq!((volume.kind(), volume.label()), ("NTFS", Some("Kites")));
    assert_eq!(volume.cautions(), []);

    let tree = volume.tree();
    let small = record_of(&*volume, "small.txt") as u32;
    let facts = tree.facts(small).unwrap();
    assert_eq!(facts.windows_attributes & 0x23, 0x23);
    assert_eq!(tree.metadata(small).unwrap().modified_utc.unwrap().unix_timestamp(), 1_000_000_000);
    let linked = record_of(&*volume, "links/one.txt") as u32;
    assert_eq!(tree.metadata(linked).unwrap().same_file, Some(u64::from(linked)));
    assert_eq!(tree.metadata(small).unwrap().same_file, None);

    let streams = volume.details(record_of(&*volume, "streams.txt") as u32).unwrap().streams;
    let lengths: Vec<(&str, usize)> = streams.iter().map(|s| (s.name.as_str(), s.content.len())).collect();
    assert_eq!(lengths, [("Zone.Identifier", 26), ("note", 3000)]);
    assert!(volume.details(record_of(&*volume, "compact/mixed 1.bin") as u32).unwrap().streams.is_empty());

    let holes = volume.open(record_of(&*volume, "holes.bin") as u32).unwrap();
    assert!(tree.facts(record_of(&*volume, "holes.bin") as u32).unwrap().sparse);
    let first = holes.next_data(0).unwrap();
    assert!((2_900_000..=3_000_000).contains(&first), "{first}");
    assert_eq!(holes.next_data(39_000_000).map(|at| at > 39_900_000), Some(true));
    assert_eq!(holes.next_data(40_000_003), Some(40_000_003));
}

#[test]
fn a_damaged_beginning_and_a_damaged_table_are_read_by_their_copies() {
    let mut bytes = image();
    bytes[..512].fill(0);
    let volume = opened(bytes.clone());
    assert_eq!(volume.cautions(), [Caution::CopyUsed("the first sector")]);
    assert_eq!(shown(&*volume), truth());
    bytes[record_at(0)..record_at(1)].fill(0xff);
    let volume = opened(bytes.clone());
    assert!(volume.cautions().contains(&Caution::CopyUsed("the first record of its table of files")));
    assert_eq!(shown(&*volume), truth());
    let end = bytes.len() - 512;
    bytes[end..].fill(0);
    assert!(open(Arc::new(bytes), false).is_err());
}

#[test]
fn indexes_are_not_needed_and_a_folder_without_its_record_loses_only_its_name() {
    let whole = opened(image());
    let many = record_of(&*whole, "many");
    // All index blocks.
    let mut bytes = image();
    while let Some(at) = bytes.windows(4).position(|four| four == b"INDX") {
        bytes[at..at + 512].fill(0);
    }
    assert_eq!(shown(&*opened(bytes)), truth());

    // Two records cannot be read: one of a folder, one of a file. The indexes above them know their names.
    let letter = record_of(&*whole, "many/letter 01 é.txt");
    let bad = [many, letter].map(|number| record_at(number) as u64..record_at(number + 1) as u64);
    let volume = open(Arc::new(Worn(image(), bad[..1].to_vec())), false).unwrap();
    assert_eq!(shown(&*volume), truth());
    assert_eq!(volume.cautions(), []);
    let volume = open(Arc::new(Worn(image(), bad[1..].to_vec())), false).unwrap();
    let new: Vec<String> = shown(&*volume).difference(&truth()).cloned().collect();
    assert!(
        matches!(&new[..], [one] if one.ends_with("many/letter 01 é.txt") && !one.starts_with("file")),
        "{new:?}"
    );
    let facts = volume.tree().metadata(letter as u32).unwrap();
    assert_eq!((facts.size_in_bytes, facts.kind), (13, EntryKind::File));
    assert!(facts.modified_utc.is_some());

    // Without its index, too, a folder loses its name, and nothing else.
    let mut bytes = image();
    while let Some(at) = bytes.windows(4).position(|four| four == b"INDX") {
        bytes[at..at + 512].fill(0);
    }
    let volume = open(Arc::new(Worn(bytes, bad[..1].to_vec())), false).unwrap();
    let moved = format!("(folders without a name)/folder {many}");
    let mut expected: BTreeSet<String> =
        truth().iter().map(|row| row.replace(" many/", &format!(" {moved}/"))).collect();
    expected.remove("folder - many");
    expected.insert("folder - (folders without a name)".to_owned());
    expected.insert(format!("folder - {moved}"));
    assert_eq!(shown(&*volume), expected);
    assert_eq!(volume.cautions(), [Caution::RecordsUnreadable(1)]);

    // The record is in use by something else now.
    let mut bytes = image();
    bytes[record_at(many) + 16] ^= 0x55;
    let volume = opened(bytes);
    let orphans =
        shown(&*volume).iter().filter(|row| row.contains("(files without a folder)/letter")).count();
    assert_eq!(orphans, truth().iter().filter(|row| row.contains("many/")).count());
}

#[test]
fn damage_in_one_content_is_an_error_of_that_stretch_only() {
    let whole = opened(image());
    let number = record_of(&*whole, "packed/words.txt");
    let mut bytes = image();
    // The first run of its clusters: the content does not begin where it says any more.
    let record = &mut bytes[record_at(number)..record_at(number + 1)];
    let data = (56..1000).step_by(8).find(|at| record[*at..*at + 4] == [0x80, 0, 0, 0]).unwrap();
    let runs = data + usize::from(record[data + 32]);
    record[runs + 2] = record[runs + 2].wrapping_add(1);
    let volume = opened(bytes);
    let lost: Vec<String> = truth().difference(&shown(&*volume)).cloned().collect();
    assert_eq!(lost.len(), 1, "{lost:?}");
    assert!(lost[0].ends_with("packed/words.txt"));

    // A file of a cloud, and one that its Windows encrypted: neither is read as zeros.
    let number = record_of(&*whole, "small.txt");
    let mut bytes = image();
    let attributes_at = record_at(number) + 56 + 24 + 32;
    bytes[attributes_at + 2] |= 0x40;
    let volume = opened(bytes);
    assert!(matches!(volume.open(number as u32), Err(ReadTrouble::CloudOnly)));
    let mut bytes = image();
    let record = &mut bytes[record_at(number)..record_at(number + 1)];
    let data = (56..1000).step_by(8).find(|at| record[*at..*at + 4] == [0x80, 0, 0, 0]).unwrap();
    record[data + 13] |= 0x40;
    assert!(matches!(opened(bytes).open(number as u32), Err(ReadTrouble::PermissionDenied)));
}

#[test]
fn deleted_files_stand_apart_and_only_as_long_as_nobody_took_their_clusters() {
    let recovered = |image: Vec<u8>| {
        let rows = shown(&*open(Arc::new(image), true).unwrap());
        let (apart, there): (BTreeSet<String>, BTreeSet<String>) =
            rows.into_iter().partition(|row| row.contains("(deleted files)"));
        assert_eq!(there, truth());
        apart.into_iter().filter(|row| row.starts_with("file ")).collect::<Vec<String>>()
    };
    let film: Vec<u8> = (0..=250).cycle().take(25_100).collect();
    let mut expected: Vec<String> = recovered(image());
    for (content, path) in [
        (&film[..], "gone/inner/film (recovered "),
        (b"Dear Odile, too late", "many/late letter (recovered "),
    ] {
        let row = format!("file {}:{} (deleted files)/{path}", content.len(), sha256(content));
        let at = expected.iter().position(|found| found.starts_with(&row)).expect(path);
        expected.remove(at);
    }
    assert!(expected.is_empty(), "{expected:?}");
    // A deleted film whose clusters belong to another file now is no film any more.
    let whole = opened(image());
    let number = record_of(&*whole, "packed/noise.bin");
    let mut bytes = image();
    bytes[record_at(number) + 22] &= !1;
    let rows = shown(&*open(Arc::new(bytes), true).unwrap());
    assert!(rows.iter().all(|row| !row.contains("noise")), "the bitmap says that its clusters are in use");
}
