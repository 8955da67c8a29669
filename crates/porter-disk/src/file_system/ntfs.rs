//! NTFS, after the public documentation of the linux-ntfs project (layout of records and attributes) and
//! [MS-FSCC] (attributes, reparse points).
//!
//! Everything is taken from one pass through the table of files, and not from the indexes of folders: a
//! damaged index loses nothing then. The log is not carried out.

mod attribute;
mod boot_sector;
mod clusters;
mod content;
mod deleted;
mod file_name;
mod index;
mod record;
mod reparse;
mod runs;
mod sweep;
mod table;
mod units;
mod whole;
mod wof;

use self::attribute::{AttributeKind, STANDARD_INFORMATION_IN_BYTES};
use self::boot_sector::BootSector;
use self::clusters::Clusters;
use self::content::Content;
use self::record::Record;
use self::reparse::{LINK_OF_UNIX, Reparse};
use self::table::Table;
use super::{Caution, FileSystem, FileSystemError};
use crate::block_source::BlockSource;
use crate::numbers::le_u64;
use crate::tree::{Node, Tree};
use porter_names::wtf8;
use porter_source::metadata::LARGEST_STREAM_IN_BYTES;
use porter_source::{Capacity, Details, NamedStream, OwnTrouble, ReadTrouble, VolumeFile, utc_from_filetime};
use std::io;
use std::sync::Arc;

/// Bits of [MS-FSCC] 2.6.
const OFFLINE: u32 = 0x1000;
const RECALL_ON_OPEN: u32 = 0x4_0000;
const RECALL_ON_DATA_ACCESS: u32 = 0x40_0000;
/// A file with one of these has no content here: it reads as zeros.
const ONLY_IN_CLOUD: u32 = OFFLINE | RECALL_ON_OPEN | RECALL_ON_DATA_ACCESS;

/// Where the compressed content of a file is kept that Windows compressed for space.
const WOF_STREAM: &str = "WofCompressedData";

/// True if the last sector is a copy of a first one.
pub fn has_copy_of_first_sector(source: &dyn BlockSource) -> bool {
    BootSector::load_copy(source).is_some()
}

/// Decodes all that a record of the table, or a block of an index, says by itself, and counts its attributes
/// or names. Changed records are tried out so, without a volume around them.
pub fn count_in_record(bytes: &[u8]) -> usize {
    let names = index::in_block(bytes.to_vec()).len();
    let Some(record) = Record::from_bytes(bytes.to_vec()) else { return names };
    let decoded = record.attributes().inspect(|found| {
        let mut runs = Vec::new();
        if let Some(outside) = found.non_resident() {
            let decoded = runs::decode(outside.runs, outside.first_cluster, &mut runs);
            drop(decoded.map(|()| runs::in_order(runs)));
            runs::first_on_volume(outside.runs);
        }
        let value = found.resident_value().unwrap_or_default();
        match found.kind {
            AttributeKind::FileName => drop(file_name::FileName::from_bytes(value)),
            AttributeKind::ReparsePoint => drop(Reparse::from_bytes(value)),
            _ => drop(index::in_record(value)),
        }
        drop((found.name(), found.size_in_bytes(), found.allocated_in_bytes()));
    });
    names + decoded.count()
}

/// An opened volume.
pub struct Ntfs {
    table: Table,
    tree: Tree,
    label: Option<String>,
    cautions: Vec<Caution>,
    /// Pairs of a file's record and a further one of the same file, sorted.
    further: Vec<(u32, u32)>,
    capacity: Capacity,
}

impl Ntfs {
    /// Opens a volume, and reads its whole table of files. `deleted` files are shown in a folder of their
    /// own.
    pub fn open(source: Arc<dyn BlockSource>, deleted: bool) -> Result<Self, FileSystemError> {
        let (boot, is_copy) = BootSector::load(&*source)?;
        let table = Table::load(Arc::new(Clusters { source, boot }))?;
        let swept = sweep::sweep(&table, deleted)?;
        let mut cautions = swept.cautions;
        if is_copy {
            cautions.insert(0, Caution::CopyUsed("the first sector"));
        }
        if table.is_from_copy() {
            cautions.insert(0, Caution::CopyUsed("the first record of its table of files"));
        }
        let clusters = table.clusters();
        let total_in_bytes = clusters.boot.total_in_bytes;
        let mut ntfs = Self {
            tree: swept.tree,
            label: swept.label,
            further: swept.further,
            capacity: Capacity { total_in_bytes, free_in_bytes: 0 },
            cautions,
            table,
        };
        ntfs.capacity.free_in_bytes = ntfs.free_in_bytes().unwrap_or_default();
        Ok(ntfs)
    }

    /// By the bitmap of clusters.
    fn free_in_bytes(&self) -> io::Result<u64> {
        const BITMAP: Node = 6;
        let clusters = self.table.clusters().count();
        let in_use = deleted::clusters_in_use(&self.content_of(BITMAP, None)?, clusters);
        let used: u64 = in_use.iter().map(|byte| u64::from(byte.count_ones())).sum();
        Ok(clusters.saturating_sub(used).saturating_mul(self.table.clusters().boot.cluster_in_bytes))
    }

    /// The record of a file and the further ones.
    fn records(&self, node: Node) -> io::Result<Vec<Record>> {
        let base = self.table.record(node)?;
        let first = self.further.partition_point(|(of, _)| *of < node);
        let own = self.further[first..].iter().take_while(|(of, _)| *of == node);
        let mut records = vec![base];
        for (_, number) in own {
            records.push(self.table.record(*number)?);
        }
        Ok(records)
    }

    fn content_of(&self, node: Node, stream: Option<&str>) -> io::Result<Content> {
        let records = self.records(node)?;
        Content::of(self.table.clusters(), &records, AttributeKind::Data, stream)
    }

    fn reparse_of(&self, records: &[Record]) -> io::Result<Option<Reparse>> {
        let is_there = records
            .iter()
            .any(|record| record.attributes().any(|found| found.kind == AttributeKind::ReparsePoint));
        if !is_there {
            return Ok(None);
        }
        let content = Content::of(self.table.clusters(), records, AttributeKind::ReparsePoint, None)?;
        Reparse::load(&content).map(Some)
    }
}

impl FileSystem for Ntfs {
    fn kind(&self) -> &'static str {
        "NTFS"
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
        let attributes = self.tree.facts(node).map(|facts| facts.windows_attributes);
        let Ok(records) = self.records(node) else {
            // A folder of which only its children are known.
            return Ok(Details { windows_attributes: attributes, ..Details::default() });
        };
        let mut details = Details { windows_attributes: attributes, ..Details::default() };
        let standard = records.iter().flat_map(Record::attributes).find_map(|found| {
            (found.kind == AttributeKind::StandardInformation).then(|| found.resident_value()).flatten()
        });
        let standard = standard.filter(|value| value.len() >= STANDARD_INFORMATION_IN_BYTES);
        details.created_utc = standard.and_then(|value| le_u64(value, 0)).and_then(utc_from_filetime);
        let has_wof = matches!(self.reparse_of(&records), Ok(Some(Reparse::Wof(_))));
        let mut names: Vec<String> = records
            .iter()
            .flat_map(Record::attributes)
            .filter(|found| found.kind == AttributeKind::Data && found.is_first_piece())
            .filter_map(|found| found.name())
            .filter(|name| !(has_wof && name == WOF_STREAM))
            .collect();
        names.sort();
        names.dedup();
        for name in names {
            let read = Content::of(self.table.clusters(), &records, AttributeKind::Data, Some(&name))
                .and_then(|content| content.all(LARGEST_STREAM_IN_BYTES));
            match read {
                Ok(content) => details.streams.push(NamedStream { name, content }),
                Err(_) => details.unreadable_streams.push(name),
            }
        }
        Ok(details)
    }

    fn open(&self, file: Node) -> Result<Box<dyn VolumeFile>, ReadTrouble> {
        let facts = self.tree.facts(file).ok_or(ReadTrouble::Gone)?;
        if let Some(shut) = facts.shut {
            return Err(ReadTrouble::Shut(shut));
        }
        if facts.windows_attributes & ONLY_IN_CLOUD != 0 {
            return Err(ReadTrouble::CloudOnly);
        }
        let records = self.records(file)?;
        let content = Content::of(self.table.clusters(), &records, AttributeKind::Data, None)?;
        if content.is_encrypted() {
            return Err(ReadTrouble::PermissionDenied);
        }
        if let Some(Reparse::Wof(algorithm)) = self.reparse_of(&records)? {
            let packed = Content::of(self.table.clusters(), &records, AttributeKind::Data, Some(WOF_STREAM))?;
            return Ok(Box::new(wof::WofFile::new(packed, algorithm, content.size_in_bytes())));
        }
        Ok(Box::new(content))
    }

    fn link_target(&self, link: Node) -> Result<Vec<u8>, ReadTrouble> {
        let records = self.records(link)?;
        if let Some(Reparse::Link(target)) = self.reparse_of(&records)? {
            return Ok(target);
        }
        let content = Content::of(self.table.clusters(), &records, AttributeKind::Data, None)?;
        let content = content.all(LARGEST_STREAM_IN_BYTES)?;
        let target = content.strip_prefix(LINK_OF_UNIX).ok_or(OwnTrouble::Damaged("it is no link any more"));
        Ok(wtf8::from_utf16(wtf8::units(target.map_err(io::Error::from)?)))
    }

    fn capacity(&self) -> Capacity {
        self.capacity
    }
}
