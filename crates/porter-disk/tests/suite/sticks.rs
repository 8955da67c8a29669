//! Two sticks that other programs wrote, FAT and exFAT, and the same damaged.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::volumes::{sha256, walk};
use porter_disk::file_system::recognise::open;
use porter_disk::image::from_source;
use porter_disk::{Caution, FileSystem};
use porter_source::{EntryKind, VolumeFile};
use std::collections::BTreeSet;
use std::sync::Arc;

fn fat() -> Vec<u8> {
    zstd::decode_all(&include_bytes!("../images/sticks.fat.zst")[..]).unwrap()
}

fn exfat() -> Vec<u8> {
    zstd::decode_all(&include_bytes!("../images/sticks.exfat.zst")[..]).unwrap()
}

fn truth() -> BTreeSet<String> {
    include_str!("../images/sticks.txt").lines().map(str::to_owned).collect()
}

fn all_of(file: &dyn VolumeFile, length: u64) -> String {
    let mut bytes = vec![0; length as usize];
    let mut done = 0;
    while done < bytes.len() {
        let piece = (done + 700).min(bytes.len());
        match file.read_at(done as u64, &mut bytes[done..piece]) {
            Ok(0) => break,
            Ok(read) => done += read,
            Err(cause) => return cause.to_string(),
        }
    }
    sha256(&bytes)
}

fn shown(volume: &dyn FileSystem) -> BTreeSet<String> {
    let row = |(path, node)| {
        let found = volume.tree().metadata(node).unwrap();
        if found.kind == EntryKind::Folder {
            return None;
        }
        let content = all_of(&*volume.open(node).unwrap(), found.size_in_bytes);
        let modified = found.modified_utc.unwrap().unix_timestamp();
        Some(format!("{}:{content} {modified} {path}", found.size_in_bytes))
    };
    walk(volume).into_iter().filter_map(row).collect()
}

#[test]
fn both_sticks_show_what_was_written_to_them() {
    for (image, kind, label) in [(fat(), "FAT12", "KITESTICK"), (exfat(), "exFAT", "Kitestick")] {
        let volume = open(Arc::new(image), false).unwrap();
        assert_eq!(shown(&*volume), truth());
        assert_eq!((volume.kind(), volume.label()), (kind, Some(label)));
        assert_eq!(volume.cautions(), []);
    }
}

#[test]
fn virtual_drives_of_another_program_hold_the_same_sticks() {
    for image in
        [&include_bytes!("../images/sticks.vhd.zst")[..], include_bytes!("../images/sticks.vhdx.zst")]
    {
        let image = zstd::decode_all(image).unwrap();
        assert_eq!(shown(&*open(from_source(Arc::new(image)).unwrap(), false).unwrap()), truth());
    }
}

#[test]
fn a_chain_that_breaks_off_loses_the_rest_of_one_file_and_a_circle_ends() {
    // The first table says of each cluster but the first ones that it follows itself.
    let mut image = fat();
    let sectors = |at: usize| usize::from(u16::from_le_bytes([image[at], image[at + 1]]));
    let (table_at, table_in_bytes) = (sectors(14) * 512, sectors(22) * 512);
    for at in (table_at + 3..table_at + table_in_bytes).step_by(3) {
        let cluster = ((at - table_at) / 3 * 2) as u16;
        let pair =
            [cluster as u8, (cluster >> 8) as u8 | ((cluster + 1) as u8) << 4, ((cluster + 1) >> 4) as u8];
        image[at..at + 3].copy_from_slice(&pair);
    }
    let volume = open(Arc::new(image), false).unwrap();
    let rows = shown(&*volume);
    assert!(
        rows.iter().filter(|row| truth().contains(*row)).count() >= 4,
        "what fits into one cluster is whole"
    );

    // An exFAT whose sets of rows do not add up: they are missing, and that is said.
    let mut image = exfat();
    let name = "photo number 01".encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    let at = image.windows(name.len()).position(|window| window == name).unwrap();
    image[at] ^= 1;
    let volume = open(Arc::new(image), false).unwrap();
    assert_eq!(shown(&*volume).len(), truth().len() - 1);
    assert_eq!(volume.cautions(), [Caution::RecordsUnreadable(1)]);
    // Its first sector is lost: the copy behind it serves.
    let mut image = exfat();
    image[..512].fill(0xff);
    assert_eq!(shown(&*open(Arc::new(image), false).unwrap()), truth());
}
