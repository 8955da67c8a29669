//! An image of a drive, made of a folder: a table of partitions, and one partition with FAT32, as old PCs
//! had it.
//!
//! Written after Microsoft's *FAT File System Specification*. Every run makes the same bytes.

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

const SECTOR_IN_BYTES: u64 = 512;
/// Where the partition begins, as today's programs lay it.
const PARTITION_SECTOR: u32 = 2048;
const RESERVED_SECTORS: u32 = 32;
/// With fewer clusters it would be a FAT16.
const LEAST_CLUSTERS: u32 = 66_000;
const END_OF_CHAIN: u32 = 0x0fff_ffff;
const ROW_IN_BYTES: usize = 32;
const FOLDER: u8 = 0x10;
const FILE: u8 = 0x20;

/// Writes the image of a folder to a new file.
pub fn build_drive_image(folder: &Path, image: &Path, label: &str) -> io::Result<()> {
    let needed = clusters_of(folder)?;
    let clusters = (needed + needed / 10).max(LEAST_CLUSTERS);
    let table_sectors = (u64::from(clusters + 2) * 4).div_ceil(SECTOR_IN_BYTES) as u32;
    let heap_sector = PARTITION_SECTOR + RESERVED_SECTORS + 2 * table_sectors;
    let mut writer = Writer {
        file: File::options().write(true).create_new(true).open(image)?,
        heap_at: u64::from(heap_sector) * SECTOR_IN_BYTES,
        chains: vec![0x0fff_fff8, END_OF_CHAIN],
    };
    let partition_sectors = heap_sector + clusters - PARTITION_SECTOR;
    let sectors = u64::from(PARTITION_SECTOR + partition_sectors);
    writer.file.set_len(sectors * SECTOR_IN_BYTES)?;
    writer.write_at(0, &table_of_partitions(partition_sectors))?;
    let boot = boot_sector(label, partition_sectors, table_sectors);
    let partition_at = u64::from(PARTITION_SECTOR) * SECTOR_IN_BYTES;
    // FAT32 keeps a copy of its first sectors from the sixth on.
    for sector in [0, 6] {
        writer.write_at(partition_at + sector * SECTOR_IN_BYTES, &boot)?;
        writer.write_at(partition_at + (sector + 1) * SECTOR_IN_BYTES, &free_space())?;
    }
    writer.add_folder(folder, 0, Some(label))?;
    let mut table: Vec<u8> = writer.chains.iter().flat_map(|next| next.to_le_bytes()).collect();
    table.resize(table_sectors as usize * SECTOR_IN_BYTES as usize, 0);
    for number in 0..2 {
        let sector = PARTITION_SECTOR + RESERVED_SECTORS + number * table_sectors;
        writer.write_at(u64::from(sector) * SECTOR_IN_BYTES, &table)?;
    }
    writer.file.sync_all()
}

/// Files and folders, in the order of their names. Links are passed by: FAT has none.
fn rows_of(folder: &Path) -> io::Result<Vec<(PathBuf, fs::Metadata)>> {
    let mut rows = Vec::new();
    for row in fs::read_dir(folder)? {
        let row = row?;
        let found = row.metadata()?;
        if found.is_file() || found.is_dir() {
            rows.push((row.path(), found));
        }
    }
    rows.sort_by(|a, b| a.0.cmp(&b.0));
    Ok(rows)
}

fn clusters_of(folder: &Path) -> io::Result<u32> {
    let mut clusters = 64_u32;
    for (path, found) in rows_of(folder)? {
        clusters += if found.is_dir() {
            clusters_of(&path)?
        } else {
            found.len().div_ceil(SECTOR_IN_BYTES) as u32 + 2
        };
    }
    Ok(clusters)
}

fn table_of_partitions(partition_sectors: u32) -> Vec<u8> {
    const FAT32: u8 = 0x0c;
    let mut sector = vec![0; 512];
    sector[440..444].copy_from_slice(b"KITE");
    sector[446] = 0x80;
    sector[450] = FAT32;
    sector[454..458].copy_from_slice(&PARTITION_SECTOR.to_le_bytes());
    sector[458..462].copy_from_slice(&partition_sectors.to_le_bytes());
    sector[510..].copy_from_slice(&[0x55, 0xaa]);
    sector
}

fn boot_sector(label: &str, partition_sectors: u32, table_sectors: u32) -> Vec<u8> {
    let mut sector = vec![0; 512];
    sector[..11].copy_from_slice(b"\xeb\x58\x90SALTMARS");
    sector[11..13].copy_from_slice(&512_u16.to_le_bytes());
    sector[13] = 1;
    sector[14..16].copy_from_slice(&(RESERVED_SECTORS as u16).to_le_bytes());
    sector[16] = 2;
    sector[21] = 0xf8;
    sector[24..28].copy_from_slice(&[63, 0, 255, 0]);
    sector[28..32].copy_from_slice(&PARTITION_SECTOR.to_le_bytes());
    sector[32..36].copy_from_slice(&partition_sectors.to_le_bytes());
    sector[36..40].copy_from_slice(&table_sectors.to_le_bytes());
    // The root begins at cluster 2; free space and the copy are in sectors 1 and 6.
    sector[44] = 2;
    (sector[48], sector[50], sector[64], sector[66]) = (1, 6, 0x80, 0x29);
    sector[67..71].copy_from_slice(b"2005");
    sector[71..82].copy_from_slice(&padded(label));
    sector[82..90].copy_from_slice(b"FAT32   ");
    sector[510..].copy_from_slice(&[0x55, 0xaa]);
    sector
}

/// The sector that may tell how much is free; here it does not.
fn free_space() -> Vec<u8> {
    let mut sector = vec![0; 512];
    sector[..4].copy_from_slice(b"RRaA");
    sector[484..488].copy_from_slice(b"rrAa");
    sector[488..496].fill(0xff);
    sector[510..].copy_from_slice(&[0x55, 0xaa]);
    sector
}

fn padded(text: &str) -> [u8; 11] {
    let mut letters = [b' '; 11];
    letters.iter_mut().zip(text.bytes()).for_each(|(to, from)| *to = from.to_ascii_uppercase());
    letters
}

struct Writer {
    file: File,
    heap_at: u64,
    /// Which cluster follows which.
    chains: Vec<u32>,
}

impl Writer {
    fn write_at(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        io::Seek::seek(&mut self.file, io::SeekFrom::Start(at))?;
        self.file.write_all(bytes)
    }

    /// Takes clusters side by side for a content. 0 if it is empty.
    fn take_clusters(&mut self, length: usize) -> u32 {
        let count = length.div_ceil(SECTOR_IN_BYTES as usize) as u32;
        let first = self.chains.len() as u32;
        self.chains.extend((1..=count).map(|n| if n == count { END_OF_CHAIN } else { first + n }));
        if count == 0 { 0 } else { first }
    }

    fn place(&self, cluster: u32) -> u64 {
        self.heap_at + u64::from(cluster - 2) * SECTOR_IN_BYTES
    }

    /// Writes a folder with all that is in it. Returns its first cluster.
    fn add_folder(&mut self, folder: &Path, above: u32, label: Option<&str>) -> io::Result<u32> {
        let rows = rows_of(folder)?;
        let mut taken = BTreeSet::new();
        let names: Vec<(Vec<u16>, [u8; 11])> = rows
            .iter()
            .map(|(path, _)| {
                let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                (name.encode_utf16().collect(), short_name(&name, &mut taken))
            })
            .collect();
        let pieces = |name: &[u16]| name.len().div_ceil(13) + 1;
        let count = 2 + names.iter().map(|(name, _)| pieces(name)).sum::<usize>();
        let own = self.take_clusters((count * ROW_IN_BYTES).max(1));
        let mut bytes = Vec::new();
        match label {
            Some(label) => bytes.extend(row(&padded(label), 0x08, 0, 0, OffsetDateTime::UNIX_EPOCH)),
            None => {
                let modified = OffsetDateTime::from(fs::metadata(folder)?.modified()?);
                bytes.extend(row(b".          ", FOLDER, own, 0, modified));
                bytes.extend(row(b"..         ", FOLDER, if above == 2 { 0 } else { above }, 0, modified));
            }
        }
        for ((path, found), (name, short)) in rows.iter().zip(&names) {
            let modified = OffsetDateTime::from(found.modified()?);
            bytes.extend(long_name(name, short));
            if found.is_dir() {
                let first = self.add_folder(path, own, None)?;
                bytes.extend(row(short, FOLDER, first, 0, modified));
            } else {
                let content = fs::read(path)?;
                let first = self.take_clusters(content.len());
                if first != 0 {
                    let at = self.place(first);
                    self.write_at(at, &content)?;
                }
                bytes.extend(row(short, FILE, first, content.len() as u32, modified));
            }
        }
        let at = self.place(own);
        self.write_at(at, &bytes)?;
        Ok(own)
    }
}

/// `KITEPL~1.TXT`: the first letters that every system takes, and a number that makes it the only one.
fn short_name(name: &str, taken: &mut BTreeSet<[u8; 11]>) -> [u8; 11] {
    let plain = |text: &str| -> Vec<u8> {
        text.bytes().filter(u8::is_ascii_alphanumeric).map(|byte| byte.to_ascii_uppercase()).collect()
    };
    let (stem, ending) = name.rsplit_once('.').unwrap_or((name, ""));
    let (stem, ending) = (plain(stem), plain(ending));
    for number in 1_u32.. {
        let tail = format!("~{number}");
        let mut letters = [b' '; 11];
        let head = stem.iter().take(8 - tail.len().min(7)).copied().chain(tail.bytes());
        letters[..8].iter_mut().zip(head).for_each(|(to, from)| *to = from);
        letters[8..].iter_mut().zip(&ending).for_each(|(to, from)| *to = *from);
        if taken.insert(letters) {
            return letters;
        }
    }
    [b' '; 11]
}

/// The rows of a long name, the last piece first.
fn long_name(name: &[u16], short: &[u8; 11]) -> Vec<u8> {
    let checksum = short.iter().fold(0_u8, |sum, letter| sum.rotate_right(1).wrapping_add(*letter));
    let count = name.len().div_ceil(13);
    let mut rows = Vec::new();
    for number in (1..=count).rev() {
        let mut row = [0; ROW_IN_BYTES];
        row[0] = number as u8 | if number == count { 0x40 } else { 0 };
        (row[11], row[13]) = (0x0f, checksum);
        let piece = name[(number - 1) * 13..].iter().take(13).copied();
        let units = piece.chain([0]).chain(std::iter::repeat(0xffff));
        let places = (1..11).step_by(2).chain((14..26).step_by(2)).chain([28, 30]);
        for (at, unit) in places.zip(units) {
            row[at..at + 2].copy_from_slice(&unit.to_le_bytes());
        }
        rows.extend(row);
    }
    rows
}

fn row(short: &[u8; 11], attributes: u8, first: u32, length: u32, modified: OffsetDateTime) -> Vec<u8> {
    let year = (modified.year().clamp(1980, 2107) - 1980) as u16;
    let date = year << 9 | u16::from(u8::from(modified.month())) << 5 | u16::from(modified.day());
    let seconds = u16::from(modified.second() / 2);
    let clock = u16::from(modified.hour()) << 11 | u16::from(modified.minute()) << 5 | seconds;
    let mut row = vec![0; ROW_IN_BYTES];
    row[..11].copy_from_slice(short);
    row[11] = attributes;
    row[20..22].copy_from_slice(&((first >> 16) as u16).to_le_bytes());
    row[22..24].copy_from_slice(&clock.to_le_bytes());
    row[24..26].copy_from_slice(&date.to_le_bytes());
    row[26..28].copy_from_slice(&(first as u16).to_le_bytes());
    row[28..32].copy_from_slice(&length.to_le_bytes());
    row
}
