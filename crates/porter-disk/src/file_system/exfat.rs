//! exFAT, after Microsoft's *exFAT file system specification*.

use super::chain::{ChainTable, Chained, Heap};
use super::fat::ticks;
use super::{Caution, FileSystem, FileSystemError, details_of};
use crate::block_source::{BlockSource, stretch};
use crate::numbers::{le_u16, le_u32, le_u64, power_of_two};
use crate::tree::{Facts, Node, Tree};
use porter_names::wtf8;
use porter_source::{Capacity, Details, EntryKind, ReadTrouble, VolumeFile};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};

const ROW_IN_BYTES: usize = 32;
const NOT_CLOSED: u16 = 2;
const FOLDER: u32 = 0x10;
/// The copy of the first sectors begins with this one.
const COPY_SECTOR: u64 = 12;
/// No folder is longer (7.4: 256 MiB).
const MOST_FOLDER_IN_BYTES: u64 = 256 << 20;

/// The first sector, decoded.
#[derive(Debug, PartialEq, Eq)]
struct Shape {
    cluster_in_bytes: u64,
    cluster_count: u32,
    heap_at: u64,
    table_at: u64,
    table_in_bytes: u64,
    root: u32,
    is_not_closed: bool,
    total_in_bytes: u64,
}

impl Shape {
    fn from_bytes(sector: &[u8]) -> Option<Self> {
        if sector.get(3..11)? != b"EXFAT   " {
            return None;
        }
        let sector_in_bytes = power_of_two(*sector.get(108)?, 9..=12)?;
        let cluster_in_bytes = sector_in_bytes.checked_mul(power_of_two(*sector.get(109)?, 0..=25)?)?;
        let place = |at: usize| Some(u64::from(le_u32(sector, at)?) * sector_in_bytes);
        (cluster_in_bytes <= 32 << 20).then_some(Self {
            cluster_in_bytes,
            cluster_count: le_u32(sector, 92)?,
            heap_at: place(88)?,
            table_at: place(80)?,
            table_in_bytes: place(84)?,
            root: le_u32(sector, 96)?,
            is_not_closed: le_u16(sector, 106)? & NOT_CLOSED != 0,
            total_in_bytes: le_u64(sector, 72)?.checked_mul(sector_in_bytes)?,
        })
    }
}

/// A file or folder, as its rows tell of it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Row {
    name: Vec<u8>,
    attributes: u32,
    created_in_ticks: u64,
    modified_in_ticks: u64,
    place: Place,
}

/// Where a content is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
struct Place {
    first_cluster: u32,
    size_in_bytes: u64,
    valid_in_bytes: u64,
    /// No chain tells of its clusters: they lie one after the other.
    is_side_by_side: bool,
    created_in_ticks: u64,
}

/// The rows of a folder, and the label if it has one. `damaged` counts sets of rows that contradict
/// themselves.
#[derive(Debug, Default)]
struct Rows {
    files: Vec<Row>,
    label: Option<String>,
    damaged: usize,
}

fn rows(bytes: &[u8]) -> Rows {
    const FILE: u8 = 0x85;
    const LABEL: u8 = 0x83;
    let mut found = Rows::default();
    let mut rest = bytes.as_chunks::<ROW_IN_BYTES>().0;
    while let Some((first, behind)) = rest.split_first() {
        match first[0] {
            0 => break,
            LABEL => {
                let label = wtf8::from_utf16(wtf8::units(&first[2..]).take(usize::from(first[1]).min(11)));
                found.label = String::from_utf8(label).ok().filter(|label| !label.is_empty());
            }
            FILE => {
                let count = usize::from(first[1]);
                match rest.get(..=count).and_then(file) {
                    Some(row) => {
                        found.files.push(row);
                        rest = &rest[count + 1..];
                        continue;
                    }
                    None => found.damaged += 1,
                }
            }
            _ => {}
        }
        rest = behind;
    }
    found
}

/// The sum of all bytes of a set, its own left out.
fn checksum(set: &[[u8; ROW_IN_BYTES]]) -> u16 {
    let bytes = set.as_flattened().iter().enumerate().filter(|(at, _)| !matches!(at, 2 | 3));
    bytes.fold(0_u16, |sum, (_, byte)| sum.rotate_right(1).wrapping_add(u16::from(*byte)))
}

fn file(set: &[[u8; ROW_IN_BYTES]]) -> Option<Row> {
    const STREAM: u8 = 0xc0;
    const NAME: u8 = 0xc1;
    const SIDE_BY_SIDE: u8 = 2;
    let (first, stream) = (set.first()?, set.get(1)?);
    if stream[0] != STREAM || le_u16(first, 2)? != checksum(set) {
        return None;
    }
    let pieces = set[2..].iter().take_while(|row| row[0] == NAME);
    let units = pieces.flat_map(|row| wtf8::units(&row[2..]));
    let time = |at: usize, hundredths: u8, zone: u8| {
        let local = ticks(le_u16(first, at + 2)?, le_u16(first, at)?, hundredths);
        Some(utc(local, zone))
    };
    let created_in_ticks = time(8, first[20], first[22])?;
    Some(Row {
        name: wtf8::from_utf16(units.take(usize::from(stream[3]))),
        attributes: u32::from(le_u16(first, 4)?) & 0x37,
        created_in_ticks,
        modified_in_ticks: time(12, first[21], first[23])?,
        place: Place {
            first_cluster: le_u32(stream, 20)?,
            size_in_bytes: le_u64(stream, 24)?,
            valid_in_bytes: le_u64(stream, 8)?.min(le_u64(stream, 24)?),
            is_side_by_side: stream[1] & SIDE_BY_SIDE != 0,
            created_in_ticks,
        },
    })
}

/// The zone is a number of quarters of an hour with seven bits, if the highest bit says that there is one.
fn utc(local_in_ticks: u64, zone: u8) -> u64 {
    const QUARTER_IN_TICKS: i64 = 15 * 60 * 10_000_000;
    if local_in_ticks == 0 || zone & 0x80 == 0 {
        return local_in_ticks;
    }
    let quarters = i64::from((zone << 1).cast_signed() >> 1);
    local_in_ticks.saturating_add_signed(-quarters * QUARTER_IN_TICKS)
}

impl Shape {
    fn load_at(source: &dyn BlockSource, at: u64) -> Option<Self> {
        Self::from_bytes(&stretch(source, at, 512).ok()?)
    }

    fn load_copy(source: &dyn BlockSource) -> Option<Self> {
        [512, 4096].iter().find_map(|sector| Self::load_at(source, COPY_SECTOR * sector))
    }
}

/// True if the copy of a first sector stands where it does on such a volume.
pub fn has_copy_of_first_sector(source: &dyn BlockSource) -> bool {
    Shape::load_copy(source).is_some()
}

/// An opened volume.
pub struct ExFat {
    heap: Heap,
    table: ChainTable,
    tree: Tree,
    places: Vec<Place>,
    label: Option<String>,
    cautions: Vec<Caution>,
    capacity: Capacity,
}

impl ExFat {
    /// Opens a volume, and reads all of its folders.
    pub fn open(source: Arc<dyn BlockSource>) -> Result<Self, FileSystemError> {
        let shape = Shape::load_at(&*source, 0).or_else(|| Shape::load_copy(&*source));
        let shape = shape.ok_or(FileSystemError::Damaged("its first sector contradicts itself"))?;
        let heap = Heap {
            source,
            start_in_bytes: shape.heap_at,
            cluster_in_bytes: shape.cluster_in_bytes,
            cluster_count: shape.cluster_count,
        };
        let table = ChainTable {
            source: Arc::clone(&heap.source),
            copies_at: vec![shape.table_at],
            size_in_bytes: shape.table_in_bytes,
            piece: Mutex::new(None),
        };
        let mut exfat = Self {
            heap,
            table,
            tree: Tree::new(0),
            places: Vec::new(),
            label: None,
            cautions: if shape.is_not_closed { vec![Caution::NotClosed] } else { Vec::new() },
            capacity: Capacity { total_in_bytes: shape.total_in_bytes, free_in_bytes: 0 },
        };
        exfat.read_folders(shape.root);
        let unreadable = exfat.tree.count_not_all_listed();
        if unreadable > 0 {
            exfat.cautions.push(Caution::RecordsUnreadable(unreadable));
        }
        Ok(exfat)
    }

    /// None at the end of a chain, and where it breaks off.
    fn next(&self, cluster: u32) -> Option<u32> {
        let next = u32::from_le_bytes(self.table.bytes_at(u64::from(cluster) * 4, 4)?);
        self.heap.has(next).then_some(next)
    }

    fn read_folders(&mut self, root: u32) {
        const ROOT: Node = 0;
        self.tree.set_facts(ROOT, Facts::FOLDER);
        // The root has no row that tells its length: its chain does.
        let root = Place { first_cluster: root, size_in_bytes: MOST_FOLDER_IN_BYTES, ..Place::default() };
        self.places.push(root);
        // Chains that lead into each other could make any number of rows.
        let mut left_in_bytes = self.heap.cluster_in_bytes * u64::from(self.heap.cluster_count);
        // Folders that are inside of themselves are entered once.
        let mut entered = BTreeSet::from([root.first_cluster]);
        let mut waiting = vec![(ROOT, root)];
        while let Some((folder, place)) = waiting.pop() {
            let (rows, is_whole) = self.rows_of(&place, &mut left_in_bytes);
            if rows.damaged > 0 || !is_whole {
                self.tree.note_not_all_listed(folder);
            }
            self.label = self.label.take().or(rows.label);
            for row in rows.files {
                let node = self.places.len() as Node;
                let kind = if row.attributes & FOLDER != 0 { EntryKind::Folder } else { EntryKind::File };
                let facts = Facts {
                    kind,
                    size_in_bytes: row.place.size_in_bytes,
                    modified_in_ticks: row.modified_in_ticks,
                    windows_attributes: row.attributes,
                    begins_at_in_bytes: self.heap.begins_at(row.place.first_cluster),
                    ..Facts::FOLDER
                };
                self.tree.set_facts(node, facts);
                self.places.push(row.place);
                if !self.tree.name(folder, node, &row.name) {
                    self.tree.note_not_all_listed(folder);
                }
                if kind == EntryKind::Folder && entered.insert(row.place.first_cluster) {
                    waiting.push((node, row.place));
                }
            }
        }
        self.tree.finish();
    }

    /// The rows of a folder as far as they can be read, and whether all could be.
    fn rows_of(&self, place: &Place, left_in_bytes: &mut u64) -> (Rows, bool) {
        let most = place.size_in_bytes.min(MOST_FOLDER_IN_BYTES).div_ceil(self.heap.cluster_in_bytes);
        let (mut bytes, mut is_whole) = (Vec::new(), true);
        let mut cluster = Some(place.first_cluster);
        let mut seen = BTreeSet::new();
        for _ in 0..most {
            // A chain that comes back to where it was ends there.
            let Some(here) = cluster.filter(|here| seen.insert(*here)) else { break };
            let Some(left) = left_in_bytes.checked_sub(self.heap.cluster_in_bytes) else {
                is_whole = false;
                break;
            };
            *left_in_bytes = left;
            match self.heap.read_cluster(here) {
                Ok(more) => bytes.extend(more),
                Err(_) => {
                    is_whole = false;
                    // Rows that are not in use, in place of those that are lost.
                    bytes.resize(bytes.len() + self.heap.cluster_in_bytes as usize, 0x05);
                }
            }
            cluster = if place.is_side_by_side { here.checked_add(1) } else { self.next(here) };
        }
        (rows(&bytes), is_whole)
    }

    fn place(&self, node: Node) -> Result<Place, ReadTrouble> {
        self.places.get(node as usize).copied().ok_or(ReadTrouble::Gone)
    }
}

impl FileSystem for ExFat {
    fn kind(&self) -> &'static str {
        "exFAT"
    }

    fn label(&self) -> Option<&str> {
        self.label.as_deref()
    }

    fn tree(&self) -> &Tree {
        &self.tree
    }

    fn cautions(&self) -> &[Caution] {
        &self.cautions
    }

    fn details(&self, node: Node) -> Result<Details, ReadTrouble> {
        Ok(details_of(&self.tree, node, self.place(node)?.created_in_ticks))
    }

    fn open(&self, file: Node) -> Result<Box<dyn VolumeFile>, ReadTrouble> {
        let Place { first_cluster, size_in_bytes, valid_in_bytes, is_side_by_side, .. } = self.place(file)?;
        Ok(Box::new(if is_side_by_side {
            Chained::side_by_side(&self.heap, first_cluster, size_in_bytes, valid_in_bytes)
        } else {
            let next = |cluster| self.next(cluster);
            Chained::along(&self.heap, first_cluster, size_in_bytes, valid_in_bytes, next)
        }))
    }

    fn capacity(&self) -> Capacity {
        self.capacity
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(name: &str) -> Vec<[u8; ROW_IN_BYTES]> {
        let units: Vec<u16> = name.encode_utf16().collect();
        let pieces = units.len().div_ceil(15);
        let mut set = vec![[0; ROW_IN_BYTES]; 2 + pieces];
        (set[0][0], set[0][1]) = (0x85, 1 + pieces as u8);
        // 2026-05-17 12:00, two hours east.
        set[0][12..16].copy_from_slice(&[0x00, 0x60, 0xb1, 0x5c]);
        set[0][23] = 0x80 | 8;
        (set[1][0], set[1][1], set[1][3], set[1][20], set[1][24]) = (0xc0, 3, units.len() as u8, 9, 100);
        for (row, piece) in set[2..].iter_mut().zip(units.chunks(15)) {
            row[0] = 0xc1;
            for (at, unit) in piece.iter().enumerate() {
                row[2 + 2 * at..4 + 2 * at].copy_from_slice(&unit.to_le_bytes());
            }
        }
        let sum = checksum(&set).to_le_bytes();
        set[0][2..4].copy_from_slice(&sum);
        set
    }

    #[test]
    fn sets_of_rows_are_proved_by_their_sum_and_times_by_their_zone() {
        let good = set("A kite plan with a long name.txt");
        let found = rows(&[good.clone(), set("é")].concat().concat());
        let names: Vec<_> = found.files.iter().map(|row| String::from_utf8_lossy(&row.name)).collect();
        assert_eq!(names, ["A kite plan with a long name.txt", "é"]);
        let row = &found.files[0];
        assert_eq!(
            (row.place.first_cluster, row.place.size_in_bytes, row.place.is_side_by_side),
            (9, 100, true)
        );
        let at = porter_source::utc_from_filetime(row.modified_in_ticks).unwrap();
        assert_eq!((at.day(), at.hour()), (17, 10));

        let mut torn = good.clone();
        torn[3][5] ^= 1;
        let found = rows(&[torn, good[..2].to_vec(), good].concat().concat());
        assert_eq!((found.files.len(), found.damaged), (1, 2));
    }
}
