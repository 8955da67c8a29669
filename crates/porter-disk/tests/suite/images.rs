//! Images of virtual drives, drives in pieces, and tables of partitions, sound and damaged.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_disk::block_source::{BlockSource, read_exact_at};
use porter_disk::drive::path_and_part;
use porter_disk::partition::{Partition, Table, table};
use porter_disk::{Drive, ImageError, Reading, image};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;

const MIB: usize = 1 << 20;

fn all_of(source: &dyn BlockSource) -> Vec<u8> {
    let mut bytes = vec![0; usize::try_from(source.size_in_bytes()).unwrap()];
    read_exact_at(source, 0, &mut bytes).unwrap();
    // Stretches across the ends of blocks are the same bytes.
    let mut piece = vec![0; 5000];
    for at in (0..bytes.len() - 5000).step_by(999_983) {
        read_exact_at(source, at as u64, &mut piece).unwrap();
        assert_eq!(piece, bytes[at..at + 5000], "{at}");
    }
    bytes
}

fn pattern(length: usize, step: usize) -> Vec<u8> {
    (0..length).map(|at| ((at / 512 * step + at) % 251) as u8).collect()
}

fn put(bytes: &mut [u8], at: usize, what: &[u8]) {
    bytes[at..at + what.len()].copy_from_slice(what);
}

/// The older form. `blocks` has the blocks of 2 MiB that are there, with the sectors that count.
fn vhd(
    kind: u32,
    size: u64,
    own: u8,
    parent: Option<(&str, u8)>,
    blocks: &[(usize, u8, Vec<u8>)],
) -> Vec<u8> {
    let sum = |bytes: &[u8]| !bytes.iter().fold(0_u32, |sum, byte| sum + u32::from(*byte));
    let mut footer = vec![0; 512];
    put(&mut footer, 0, b"conectix");
    put(&mut footer, 16, &512_u64.to_be_bytes());
    put(&mut footer, 48, &size.to_be_bytes());
    put(&mut footer, 60, &kind.to_be_bytes());
    footer[68..84].fill(own);
    let checksum = sum(&footer);
    put(&mut footer, 64, &checksum.to_be_bytes());
    let mut header = vec![0; 1024];
    put(&mut header, 0, b"cxsparse");
    put(&mut header, 16, &1536_u64.to_be_bytes());
    put(&mut header, 28, &2_u32.to_be_bytes());
    put(&mut header, 32, &(2_u32 << 20).to_be_bytes());
    if let Some((name, identifier)) = parent {
        header[40..56].fill(identifier);
        let name: Vec<u8> = name.encode_utf16().flat_map(u16::to_be_bytes).collect();
        put(&mut header, 64, &name);
    }
    let checksum = sum(&header);
    put(&mut header, 36, &checksum.to_be_bytes());
    let mut table = vec![0xff; 512];
    let mut bodies: Vec<u8> = Vec::new();
    for (number, bits, content) in blocks {
        let sector = (2048 + bodies.len()) / 512;
        put(&mut table, number * 4, &u32::try_from(sector).unwrap().to_be_bytes());
        bodies.extend([vec![*bits; 512], content.clone()].concat());
    }
    [footer.clone(), header, table, bodies, footer].concat()
}

/// Bit by bit, with the polynomial of the kind that is wanted.
fn crc(polynomial: u32, bytes: &[u8]) -> u32 {
    let bit = |crc: u32| if crc & 1 == 1 { crc >> 1 ^ polynomial } else { crc >> 1 };
    !bytes.iter().fold(u32::MAX, |crc, byte| (0..8).fold(crc ^ u32::from(*byte), |crc, _| bit(crc)))
}

/// With the checksum of the newer form's structures.
fn with_crc(mut bytes: Vec<u8>) -> Vec<u8> {
    let sum = crc(0x82f6_3b78, &bytes);
    put(&mut bytes, 4, &sum.to_le_bytes());
    bytes
}

const LOG: [u8; 16] = [7; 16];

/// The newer form with blocks of 1 MiB: their states and contents.
fn vhdx(own: u8, parent: Option<&str>, blocks: &[(u64, Vec<u8>)], log: Option<Vec<u8>>) -> Vec<u8> {
    let mut file = vec![0; 4 * MIB];
    put(&mut file, 0, b"vhdxfile");
    let mut header = vec![0; 4096];
    put(&mut header, 0, b"head");
    put(&mut header, 8, &9_u64.to_le_bytes());
    header[32..48].fill(own);
    if log.is_some() {
        put(&mut header, 48, &LOG);
    }
    put(&mut header, 68, &(MIB as u32).to_le_bytes());
    put(&mut header, 72, &(MIB as u64).to_le_bytes());
    // Only the second header is whole.
    put(&mut file, 0x2_0000, &with_crc(header));
    let number = |hex: &str| -> Vec<u8> {
        (0..32).step_by(2).map(|at| u8::from_str_radix(&hex[at..at + 2], 16).unwrap()).collect()
    };
    let mut regions = vec![0; 0x1_0000];
    put(&mut regions, 0, b"regi");
    regions[8] = 2;
    for (at, id, place) in
        [(16, "6677c22d23f600429d64115e9bfd4a08", 3 * MIB), (48, "06a27c8b90479a4bb8fe575f050f886e", 2 * MIB)]
    {
        put(&mut regions, at, &number(id));
        put(&mut regions, at + 16, &(place as u64).to_le_bytes());
        put(&mut regions, at + 24, &(MIB as u32).to_le_bytes());
    }
    put(&mut file, 0x3_0000, &with_crc(regions));
    let units = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    let mut locator = vec![0; 600];
    if let Some(name) = parent {
        locator[18] = 2;
        let linkage = "{08080808-0808-0808-0808-080808080808}";
        let rows =
            [("parent_linkage", linkage.to_owned(), 100_usize), ("relative_path", format!(r".\{name}"), 300)];
        for ((key, value, at), row) in rows.iter().zip([20, 32]) {
            let (key, value) = (units(key), units(value));
            for (field, number) in [(0, *at), (4, at + 60)] {
                put(&mut locator, row + field, &(number as u32).to_le_bytes());
            }
            put(&mut locator, row + 8, &(key.len() as u16).to_le_bytes());
            put(&mut locator, row + 10, &(value.len() as u16).to_le_bytes());
            put(&mut locator, *at, &key);
            put(&mut locator, at + 60, &value);
        }
    }
    put(&mut file, 2 * MIB, b"metadata");
    file[2 * MIB + 10] = 4;
    let size = (blocks.len() * MIB) as u64;
    let parameters = [(MIB as u32).to_le_bytes(), [if parent.is_some() { 2 } else { 0 }, 0, 0, 0]].concat();
    let items = [
        ("3767a1ca36fa434db3b633f0aa44e76b", parameters),
        ("2442a52f1bcd7648b2115dbed83bf4b8", size.to_le_bytes().to_vec()),
        ("1dbf41816fa90947ba47f233a8faab5f", 512_u32.to_le_bytes().to_vec()),
        ("2d5fd3a80bb34d45abf7d3d84834ab0c", locator),
    ];
    for (number_of_item, (id, value)) in items.iter().enumerate() {
        let (row, at) = (2 * MIB + 32 + 32 * number_of_item, 0x1_0000 + 0x1000 * number_of_item);
        put(&mut file, row, &number(id));
        put(&mut file, row + 16, &(at as u32).to_le_bytes());
        put(&mut file, row + 20, &(value.len() as u32).to_le_bytes());
        put(&mut file, 2 * MIB + at, value);
    }
    for (block, (state, content)) in blocks.iter().enumerate() {
        let place = file.len() as u64;
        put(&mut file, 3 * MIB + 8 * block, &(place | state).to_le_bytes());
        file.extend_from_slice(content);
        file.resize(place as usize + MIB, 0);
    }
    // The bitmap of the sectors that are here: every second one.
    let bitmap_at = file.len() as u64;
    file.extend(vec![0b0101_0101; MIB]);
    let chunk = (1 << 23) * 512 / MIB;
    put(&mut file, 3 * MIB + 8 * chunk, &(bitmap_at | 6).to_le_bytes());
    if let Some(log) = log {
        put(&mut file, MIB, &log);
    }
    file
}

/// An entry of the log that puts one page into the file.
fn log_entry(sequence: u64, tail: u32, place: u64, page: &[u8]) -> Vec<u8> {
    let mut entry = vec![0; 8192];
    put(&mut entry, 0, b"loge");
    put(&mut entry, 8, &8192_u32.to_le_bytes());
    put(&mut entry, 12, &tail.to_le_bytes());
    put(&mut entry, 16, &sequence.to_le_bytes());
    entry[24] = 1;
    put(&mut entry, 32, &LOG);
    put(&mut entry, 64, b"desc");
    put(&mut entry, 68, &page[4092..]);
    put(&mut entry, 72, &page[..8]);
    put(&mut entry, 80, &place.to_le_bytes());
    put(&mut entry, 88, &sequence.to_le_bytes());
    put(&mut entry, 4096, b"data");
    put(&mut entry, 4100, &((sequence >> 32) as u32).to_le_bytes());
    put(&mut entry, 4104, &page[8..4092]);
    put(&mut entry, 8188, &(sequence as u32).to_le_bytes());
    with_crc(entry)
}

fn written(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    fs::write(&path, bytes).unwrap();
    path
}

#[test]
fn the_older_virtual_drives_are_read_with_what_they_stand_on() {
    let folder = tempfile::tempdir().unwrap();
    let (base, change) = (pattern(2 * MIB, 3), pattern(2 * MIB, 5));
    let grown = vhd(3, 4 << 20, 1, None, &[(1, 0xff, base.clone())]);
    let grown_at = written(folder.path(), "grown.vhd", &grown);
    let whole = [vec![0; 2 * MIB], base].concat();
    assert_eq!(all_of(&*image::open(&grown_at).unwrap()), whole);
    let fixed = [pattern(MIB, 7), vhd(2, MIB as u64, 2, None, &[])[..512].to_vec()].concat();
    assert_eq!(all_of(&*image::open(&written(folder.path(), "fixed.vhd", &fixed)).unwrap()), pattern(MIB, 7));

    // Every second sector of the second block changed; the parent's path is that of another machine.
    let changes = vhd(4, 4 << 20, 3, Some((r"C:\VMs\grown.vhd", 1)), &[(1, 0b1010_1010, change.clone())]);
    let changes_at = written(folder.path(), "changes.vhd", &changes);
    let mut expected = whole;
    for sector in (0..4096).step_by(2) {
        let at = sector * 512;
        expected[2 * MIB + at..2 * MIB + at + 512].copy_from_slice(&change[at..at + 512]);
    }
    assert_eq!(all_of(&*image::open(&changes_at).unwrap()), expected);
    let other = vhd(3, 4 << 20, 9, None, &[]);
    fs::write(&grown_at, &other).unwrap();
    assert!(matches!(image::open(&changes_at), Err(ImageError::Damaged { path, .. }) if path == grown_at));
    fs::remove_file(&grown_at).unwrap();
    assert!(
        matches!(image::open(&changes_at), Err(ImageError::ParentMissing { parent, .. }) if parent == "grown.vhd")
    );
    let of_itself = vhd(4, 4 << 20, 1, Some(("self.vhd", 1)), &[]);
    let of_itself = written(folder.path(), "self.vhd", &of_itself);
    assert!(matches!(image::open(&of_itself), Err(ImageError::Damaged { .. })));
}

#[test]
fn the_newer_virtual_drives_are_read_with_their_log_and_what_they_stand_on() {
    let folder = tempfile::tempdir().unwrap();
    let (first, second, change) = (pattern(MIB, 3), pattern(MIB, 5), pattern(MIB, 7));
    let blocks = [(6, first.clone()), (2, first.clone()), (6, second.clone())];
    let base = written(folder.path(), "base.vhdx", &vhdx(8, None, &blocks, None));
    let whole = [first, vec![0; MIB], second].concat();
    assert_eq!(all_of(&*image::open(&base).unwrap()), whole);

    let changes = [(0, Vec::new()), (6, change.clone()), (7, change.clone())];
    let changes = written(folder.path(), "changes.vhdx", &vhdx(4, Some("base.vhdx"), &changes, None));
    let mut expected = whole.clone();
    expected[MIB..2 * MIB].copy_from_slice(&change);
    for sector in (0..2048).step_by(2) {
        let at = sector * 512;
        expected[2 * MIB + at..2 * MIB + at + 512].copy_from_slice(&change[at..at + 512]);
    }
    assert_eq!(all_of(&*image::open(&changes).unwrap()), expected);

    // Two changes that were noted and not carried out; a third one was cut off.
    let page = change[..4096].to_vec();
    let place = 4 * MIB as u64;
    let mut log = [log_entry(21, 0, place + 4096, &page), log_entry(22, 0, place, &page)].concat();
    log.extend_from_slice(&log_entry(23, 0, place + 8192, &page)[..6000]);
    let noted = written(folder.path(), "noted.vhdx", &vhdx(8, None, &blocks, Some(log.clone())));
    let mut expected = whole;
    put(&mut expected, 0, &page);
    put(&mut expected, 4096, &page);
    assert_eq!(all_of(&*image::open(&noted).unwrap()), expected);
    log[5000] ^= 1;
    let torn = written(folder.path(), "torn.vhdx", &vhdx(8, None, &blocks, Some(log)));
    assert!(matches!(image::open(&torn), Err(ImageError::Damaged { what, .. }) if what.contains("log")));
}

#[test]
fn a_drive_in_pieces_is_one() {
    let folder = tempfile::tempdir().unwrap();
    let bytes = pattern(3 * MIB + 777, 3);
    for (number, piece) in bytes.chunks(MIB).enumerate() {
        written(folder.path(), &format!("disk.{:03}", number + 1), piece);
    }
    assert_eq!(all_of(&*image::open(&folder.path().join("disk.001")).unwrap()), bytes);
    // Somebody named a later one: it is what it is.
    assert_eq!(image::open(&folder.path().join("disk.002")).unwrap().size_in_bytes(), MIB as u64);
    assert_eq!(path_and_part(Path::new("disk.001#12")), (PathBuf::from("disk.001"), Some(12)));
    written(folder.path(), "card #2", b"");
    let whole = folder.path().join("card #2");
    assert_eq!(path_and_part(&whole), (whole.clone(), None));
}

fn row(kind: u8, first: u32, count: u32) -> Vec<u8> {
    [&[0, 0, 0, 0, kind, 0, 0, 0][..], &first.to_le_bytes(), &count.to_le_bytes()].concat()
}

fn with_rows(drive: &mut [u8], sector: usize, rows: &[Vec<u8>]) {
    put(drive, sector * 512 + 446, &rows.concat());
    put(drive, sector * 512 + 510, &[0x55, 0xaa]);
}

fn partitions(drive: &[u8]) -> Option<Table> {
    table::load(&(Arc::new(drive.to_vec()) as Arc<dyn BlockSource>)).unwrap()
}

fn places(table: &Table) -> Vec<(u32, u64, u64)> {
    let place = |part: &Partition| (part.number, part.start_in_bytes / 512, part.size_in_bytes / 512);
    table.partitions.iter().map(place).collect()
}

#[test]
fn the_older_table_is_read_along_its_chain_and_not_in_a_circle() {
    let mut drive = vec![0; 2 * MIB];
    with_rows(&mut drive, 0, &[row(7, 64, 100), row(0x0f, 1000, 2000), row(0x0c, 200, 50)]);
    with_rows(&mut drive, 1000, &[row(7, 8, 100), row(5, 500, 300)]);
    with_rows(&mut drive, 1500, &[row(7, 8, 100), row(5, 900, 300)]);
    with_rows(&mut drive, 1900, &[row(7, 8, 100)]);
    let read = partitions(&drive).unwrap();
    assert_eq!(places(&read), [(1, 64, 100), (3, 200, 50), (5, 1008, 100), (6, 1508, 100), (7, 1908, 100)]);
    assert!(read.flaws.is_empty());
    // The last one leads back to the first.
    with_rows(&mut drive, 1900, &[row(7, 8, 100), row(5, 0, 300)]);
    let read = partitions(&drive).unwrap();
    assert_eq!(places(&read).len(), 5);
    assert_eq!(read.flaws, ["the chain of its extended partition is damaged"]);
    assert_eq!(partitions(&vec![0; MIB]), None);
    // An adapter that counts in sectors of 4096: only there a volume begins.
    let mut drive = vec![0; 2 * MIB];
    with_rows(&mut drive, 0, &[row(7, 64, 100)]);
    put(&mut drive, 64 * 4096 + 3, b"NTFS    ");
    assert_eq!(places(&partitions(&drive).unwrap()), [(1, 512, 800)]);
}

fn gpt(sector: usize, size: usize) -> Vec<u8> {
    let crc = |bytes: &[u8]| crc(0xedb8_8320, bytes);
    let mut drive = vec![0; size];
    with_rows(&mut drive, 0, &[row(0xee, 1, u32::MAX)]);
    let mut entries = vec![0; 128 * 128];
    for (number, first, name) in [(0_usize, 100_u64, "Kites"), (4, 200, "Basic data partition")] {
        let entry = &mut entries[number * 128..number * 128 + 128];
        entry[..32].fill(number as u8 + 1);
        put(entry, 32, &first.to_le_bytes());
        put(entry, 40, &(first + 49).to_le_bytes());
        put(entry, 56, &name.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>());
    }
    let last = size / sector - 1;
    for (own, table) in [(1, 2), (last, last - entries.len().div_ceil(sector))] {
        let mut header = vec![0; 92];
        put(&mut header, 0, b"EFI PART");
        header[12] = 92;
        put(&mut header, 24, &(own as u64).to_le_bytes());
        put(&mut header, 72, &(table as u64).to_le_bytes());
        (header[80], header[84]) = (128, 128);
        put(&mut header, 88, &crc(&entries).to_le_bytes());
        let sum = crc(&header);
        put(&mut header, 16, &sum.to_le_bytes());
        put(&mut drive, own * sector, &header);
        put(&mut drive, table * sector, &entries);
    }
    drive
}

#[test]
fn the_newer_table_is_read_by_its_copy_and_in_either_size_of_sectors() {
    for sector in [512, 4096] {
        let mut drive = gpt(sector, 4 * MIB);
        let read = partitions(&drive).unwrap();
        let factor = sector as u64 / 512;
        assert_eq!(places(&read), [(1, 100 * factor, 50 * factor), (5, 200 * factor, 50 * factor)]);
        assert_eq!(read.partitions[0].name.as_deref(), Some("Kites"));
        assert_eq!(read.partitions[0].noted_by_windows_as, [b"DMIO:ID:".to_vec(), vec![1; 16]].concat());
        drive[2 * sector + 5] ^= 1;
        let copy = partitions(&drive).unwrap();
        assert_eq!((places(&copy), copy.flaws.len()), (places(&read), 1));
        let end = drive.len() - sector;
        drive[end] ^= 1;
        let none = partitions(&drive).unwrap();
        assert_eq!((none.partitions.len(), none.flaws.len()), (0, 1));
    }
}

#[test]
fn a_drive_shows_its_parts_and_what_is_on_each() {
    let folder = tempfile::tempdir().unwrap();
    let mut drive = gpt(512, 4 * MIB);
    put(&mut drive, 100 * 512 + 3, b"-FVE-FS-");
    let path = written(folder.path(), "disk.img", &drive);
    let opened = Drive::open(&path, &Reading::default()).unwrap();
    let parts: Vec<_> = opened.parts.iter().map(|part| (part.number(), part.kind)).collect();
    assert_eq!(parts, [(Some(1), Some(porter_source::VolumeKind::BitLocker)), (Some(5), None)]);
    assert!(opened.parts.iter().all(|part| part.open(false).is_err()));
}
