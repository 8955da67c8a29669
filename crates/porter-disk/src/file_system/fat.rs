//! FAT12, FAT16 and FAT32, after Microsoft's *FAT File System Specification*; long names after the same.
//!
//! Times are kept without a zone, so they are taken for UTC.

mod folder;

pub(super) use self::folder::ticks;
use self::folder::{Row, rows};
use super::chain::{ChainTable, Chained, FIRST_CLUSTER, Heap};
use super::{Caution, FileSystem, FileSystemError, details_of};
use crate::block_source::{BlockSource, stretch};
use crate::numbers::{le_u16, le_u32};
use crate::tree::{Facts, Node, Tree};
use porter_source::{Capacity, Details, EntryKind, ReadTrouble, VolumeFile};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};

/// No folder is longer ([FAT] 6.1: 2 MiB).
const MOST_FOLDER_IN_BYTES: u64 = 2 << 20;
/// Bits that a driver of Windows clears as long as the volume is mounted.
const CLOSED_16: u32 = 0x8000;
const CLOSED_32: u32 = 0x0800_0000;

/// How wide the numbers of clusters are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Width {
    Fat12,
    Fat16,
    Fat32,
}

/// The first sector, decoded.
#[derive(Debug, PartialEq, Eq)]
struct Shape {
    width: Width,
    cluster_in_bytes: u64,
    cluster_count: u32,
    heap_at: u64,
    tables_at: Vec<u64>,
    table_in_bytes: u64,
    /// A stretch for the older ones, a cluster for FAT32.
    root: Root,
    total_in_bytes: u64,
}

#[derive(Debug, PartialEq, Eq)]
enum Root {
    Stretch { at: u64, length_in_bytes: usize },
    Cluster(u32),
}

impl Shape {
    fn from_bytes(sector: &[u8]) -> Option<Self> {
        let sector_in_bytes = u64::from(le_u16(sector, 11)?);
        let sectors_per_cluster = u64::from(*sector.get(13)?);
        let (reserved, tables) = (u64::from(le_u16(sector, 14)?), u64::from(*sector.get(16)?));
        let root_entries = u64::from(le_u16(sector, 17)?);
        let short = |at_16: usize, at_32: usize| {
            Some(match le_u16(sector, at_16)? {
                0 => u64::from(le_u32(sector, at_32)?),
                count => u64::from(count),
            })
        };
        let (total, table_sectors) = (short(19, 32)?, short(22, 36)?);
        let is_usual = matches!(sector_in_bytes, 512 | 1024 | 2048 | 4096)
            && sectors_per_cluster.is_power_of_two()
            && (1..=4).contains(&tables)
            && reserved > 0
            && table_sectors > 0;
        if !is_usual {
            return None;
        }
        let root_sectors = (root_entries * 32).div_ceil(sector_in_bytes);
        let heap_sector = reserved + tables * table_sectors + root_sectors;
        let clusters = total.checked_sub(heap_sector)? / sectors_per_cluster;
        let width = match clusters {
            0..4085 => Width::Fat12,
            4085..65_525 => Width::Fat16,
            _ => Width::Fat32,
        };
        let root = if width == Width::Fat32 {
            Root::Cluster(le_u32(sector, 44)?)
        } else {
            let at = (reserved + tables * table_sectors) * sector_in_bytes;
            Root::Stretch { at, length_in_bytes: (root_entries * 32) as usize }
        };
        Some(Self {
            width,
            cluster_in_bytes: sectors_per_cluster * sector_in_bytes,
            cluster_count: u32::try_from(clusters).ok().filter(|clusters| *clusters < 0x0fff_fff5)?,
            heap_at: heap_sector * sector_in_bytes,
            tables_at: (0..tables).map(|n| (reserved + n * table_sectors) * sector_in_bytes).collect(),
            table_in_bytes: table_sectors * sector_in_bytes,
            root,
            total_in_bytes: total * sector_in_bytes,
        })
    }
}

/// The chains: which cluster follows which.
struct Chains {
    table: ChainTable,
    width: Width,
}

impl Chains {
    /// The number that the table has for a cluster.
    fn number(&self, cluster: u32) -> Option<u32> {
        let (at, length) = match self.width {
            Width::Fat12 => (u64::from(cluster) * 3 / 2, 2),
            Width::Fat16 => (u64::from(cluster) * 2, 2),
            Width::Fat32 => (u64::from(cluster) * 4, 4),
        };
        let number = u32::from_le_bytes(self.table.bytes_at(at, length)?);
        Some(match self.width {
            Width::Fat12 => number >> (4 * (cluster % 2)) & 0xfff,
            Width::Fat16 => number,
            Width::Fat32 => number & 0x0fff_ffff,
        })
    }

    /// None at the end of a chain, and where it breaks off.
    fn next(&self, cluster: u32) -> Option<u32> {
        let ends_from = match self.width {
            Width::Fat12 => 0xff7,
            Width::Fat16 => 0xfff7,
            Width::Fat32 => 0x0fff_fff7,
        };
        self.number(cluster).filter(|next| (FIRST_CLUSTER..ends_from).contains(next))
    }
}

/// The rest of a row.
#[derive(Debug, Clone, Copy, Default)]
struct Beyond {
    first_cluster: u32,
    created_in_ticks: u64,
}

/// An opened volume.
pub struct Fat {
    kind: &'static str,
    heap: Heap,
    chains: Chains,
    tree: Tree,
    beyond: Vec<Beyond>,
    label: Option<String>,
    cautions: Vec<Caution>,
    capacity: Capacity,
    /// So much of folders is still read: chains that lead into each other could make any number of rows.
    folders_left_in_bytes: u64,
}

impl Fat {
    /// Opens a volume, and reads all of its folders.
    pub fn open(source: Arc<dyn BlockSource>) -> Result<Self, FileSystemError> {
        let first = stretch(&*source, 0, 512)?;
        let shape = Shape::from_bytes(&first).or_else(|| {
            // FAT32 keeps a copy of its first sectors from the sixth on.
            Shape::from_bytes(&stretch(&*source, 6 * 512, 512).ok()?).filter(|s| s.width == Width::Fat32)
        });
        let shape = shape.ok_or(FileSystemError::Damaged("its first sector contradicts itself"))?;
        let heap = Heap {
            source: Arc::clone(&source),
            start_in_bytes: shape.heap_at,
            cluster_in_bytes: shape.cluster_in_bytes,
            cluster_count: shape.cluster_count,
        };
        let table = ChainTable {
            source,
            copies_at: shape.tables_at,
            size_in_bytes: shape.table_in_bytes,
            piece: Mutex::new(None),
        };
        let chains = Chains { table, width: shape.width };
        let is_closed = match shape.width {
            Width::Fat12 => true,
            Width::Fat16 => chains.number(1).is_none_or(|number| number & CLOSED_16 != 0),
            Width::Fat32 => chains.number(1).is_none_or(|number| number & CLOSED_32 != 0),
        };
        let mut fat = Self {
            kind: match shape.width {
                Width::Fat12 => "FAT12",
                Width::Fat16 => "FAT16",
                Width::Fat32 => "FAT32",
            },
            tree: Tree::new(0),
            beyond: Vec::new(),
            label: None,
            cautions: if is_closed { Vec::new() } else { vec![Caution::NotClosed] },
            capacity: Capacity { total_in_bytes: shape.total_in_bytes, free_in_bytes: 0 },
            folders_left_in_bytes: shape.cluster_in_bytes * u64::from(shape.cluster_count),
            heap,
            chains,
        };
        fat.read_folders(&shape.root)?;
        let unreadable = fat.tree.count_not_all_listed();
        if unreadable > 0 {
            fat.cautions.push(Caution::RecordsUnreadable(unreadable));
        }
        Ok(fat)
    }

    fn read_folders(&mut self, root: &Root) -> Result<(), FileSystemError> {
        const ROOT: Node = 0;
        self.tree.set_facts(ROOT, Facts::FOLDER);
        self.beyond.push(Beyond::default());
        let (root_rows, first) = match root {
            Root::Stretch { at, length_in_bytes } => {
                (rows(&stretch(&*self.heap.source, *at, *length_in_bytes)?), 0)
            }
            Root::Cluster(first) => (self.rows_from(*first, ROOT), *first),
        };
        // Folders that are inside of themselves are entered once.
        let mut entered = BTreeSet::from([first]);
        let mut waiting = vec![(ROOT, root_rows)];
        while let Some((folder, rows)) = waiting.pop() {
            for row in rows {
                if row.is_label {
                    let label = String::from_utf8_lossy(&row.name).into_owned();
                    self.label = self.label.take().or(Some(label)).filter(|label| !label.is_empty());
                    continue;
                }
                let node = self.beyond.len() as Node;
                self.add(folder, node, &row);
                if row.is_folder() && entered.insert(row.first_cluster) {
                    let rows = self.rows_from(row.first_cluster, node);
                    waiting.push((node, rows));
                }
            }
        }
        self.tree.finish();
        Ok(())
    }

    fn add(&mut self, folder: Node, node: Node, row: &Row) {
        let kind = if row.is_folder() { EntryKind::Folder } else { EntryKind::File };
        let facts = Facts {
            kind,
            size_in_bytes: u64::from(row.size_in_bytes),
            modified_in_ticks: row.modified_in_ticks,
            windows_attributes: u32::from(row.attributes),
            begins_at_in_bytes: self.heap.begins_at(row.first_cluster),
            ..Facts::FOLDER
        };
        self.tree.set_facts(node, facts);
        let Row { first_cluster, created_in_ticks, .. } = *row;
        self.beyond.push(Beyond { first_cluster, created_in_ticks });
        if !self.tree.name(folder, node, &row.name) {
            self.tree.note_not_all_listed(folder);
        }
    }

    /// The rows of a folder, as far as they can be read.
    fn rows_from(&mut self, first: u32, folder: Node) -> Vec<Row> {
        let mut bytes = Vec::new();
        let mut cluster = Some(first);
        // A chain that comes back to where it was ends there.
        let mut seen = BTreeSet::new();
        let is_short = |bytes: &Vec<u8>| (bytes.len() as u64) < MOST_FOLDER_IN_BYTES;
        while let Some(here) = cluster.filter(|here| is_short(&bytes) && seen.insert(*here)) {
            let Some(left) = self.folders_left_in_bytes.checked_sub(self.heap.cluster_in_bytes) else {
                self.tree.note_not_all_listed(folder);
                break;
            };
            self.folders_left_in_bytes = left;
            match self.heap.read_cluster(here) {
                Ok(more) => bytes.extend(more),
                Err(_) => {
                    self.tree.note_not_all_listed(folder);
                    // A deleted row in place of each that is lost.
                    bytes.resize(bytes.len() + self.heap.cluster_in_bytes as usize, 0xe5);
                }
            }
            cluster = self.chains.next(here);
        }
        rows(&bytes)
    }

    fn beyond(&self, node: Node) -> Result<Beyond, ReadTrouble> {
        self.beyond.get(node as usize).copied().ok_or(ReadTrouble::Gone)
    }
}

impl FileSystem for Fat {
    fn kind(&self) -> &'static str {
        self.kind
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
        Ok(details_of(&self.tree, node, self.beyond(node)?.created_in_ticks))
    }

    fn open(&self, file: Node) -> Result<Box<dyn VolumeFile>, ReadTrouble> {
        let size_in_bytes = self.tree.facts(file).ok_or(ReadTrouble::Gone)?.size_in_bytes;
        let first = self.beyond(file)?.first_cluster;
        let next = |cluster| self.chains.next(cluster);
        Ok(Box::new(Chained::along(&self.heap, first, size_in_bytes, size_in_bytes, next)))
    }

    fn capacity(&self) -> Capacity {
        self.capacity
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_width_follows_from_the_number_of_clusters_and_impossible_shapes_are_refused() {
        let sector = |total: u32, table_sectors: u32| {
            let mut bytes = vec![0; 512];
            bytes[11..13].copy_from_slice(&512_u16.to_le_bytes());
            (bytes[13], bytes[14], bytes[16]) = (1, 32, 2);
            bytes[32..36].copy_from_slice(&total.to_le_bytes());
            bytes[36..40].copy_from_slice(&table_sectors.to_le_bytes());
            bytes[44] = 2;
            bytes
        };
        let width = |total, table| Shape::from_bytes(&sector(total, table)).map(|shape| shape.width);
        assert_eq!(width(4000, 12), Some(Width::Fat12));
        assert_eq!(width(60_000, 250), Some(Width::Fat16));
        assert_eq!(width(200_000, 1600), Some(Width::Fat32));
        assert_eq!(width(100, 1600), None, "the tables are longer than the volume");
        assert_eq!(width(200_000, 0), None);
        assert_eq!(Shape::from_bytes(&sector(200_000, 1600)[..40]), None);
    }
}
