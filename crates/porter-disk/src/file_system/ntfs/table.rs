//! The table of all files (`$MFT`): where its records are.

use super::attribute::{Attribute, AttributeKind};
use super::clusters::Clusters;
use super::content::Content;
use super::index::{self, Child};
use super::record::{Record, Reference};
use super::runs::{self, Run};
use crate::file_system::FileSystemError;
use crate::numbers::{le_u16, le_u64};
use crate::tree::Node;
use porter_source::{OwnTrouble, VolumeFile};
use std::io;
use std::sync::Arc;

/// The index by which a folder finds its children.
const INDEX_OF_NAMES: &str = "$I30";
/// More pieces than the table of a real volume has.
const MOST_PIECES: usize = 4096;

pub(super) struct Table {
    clusters: Arc<Clusters>,
    runs: Vec<Run>,
    count: u64,
    is_from_copy: bool,
    /// The record of the table itself.
    own: Record,
}

impl Table {
    /// Finds the table by its own first record, or by the copy of that.
    pub(super) fn load(clusters: Arc<Clusters>) -> Result<Self, FileSystemError> {
        let boot = &clusters.boot;
        let first = |cluster| -> Option<Record> {
            Record::from_bytes(clusters.stretch(cluster, 0, boot.record_in_bytes).ok()?)
        };
        let (record, is_from_copy) = match first(boot.table_cluster) {
            Some(record) => (record, false),
            None => match first(boot.table_copy_cluster) {
                Some(record) => (record, true),
                None => {
                    let what =
                        "neither the first record of its table of files nor the copy of it can be read";
                    return Err(FileSystemError::Damaged(what));
                }
            },
        };
        let damaged = |_| FileSystemError::Damaged("the table of files contradicts itself");
        let own_record = record.clone();
        let mut table = Self { runs: Vec::new(), count: 0, is_from_copy, clusters, own: own_record };
        let is_own = |found: &Attribute<'_>| found.kind == AttributeKind::Data && !found.has_name();
        let own = record.attributes().find(is_own).and_then(|found| found.non_resident());
        let own = own.ok_or(FileSystemError::Damaged("the table of files has no content"))?;
        runs::decode(own.runs, 0, &mut table.runs).map_err(damaged)?;
        let size_in_bytes = own.size_in_bytes;
        table.count = table.held();
        // The further pieces of the table are told of by records that lie in the pieces before.
        let list = Content::of(&table.clusters, std::slice::from_ref(&record), AttributeKind::List, None);
        if let Ok(list) = list {
            let list = list.all(1 << 20)?;
            for (first_cluster, reference) in data_pieces(&list).into_iter().take(MOST_PIECES) {
                let known_to = table.runs.iter().map(Run::end).max().unwrap_or_default();
                let number = u32::try_from(reference.number).ok().filter(|number| *number != 0);
                let (Some(number), true) = (number, first_cluster == known_to) else { continue };
                // Without this piece its records are lost, and no others.
                let Ok(further) = table.record(number) else { continue };
                let piece = further.attributes().filter(is_own).find_map(|found| found.non_resident());
                if let Some(piece) = piece.filter(|piece| piece.first_cluster == first_cluster) {
                    runs::decode(piece.runs, first_cluster, &mut table.runs).map_err(damaged)?;
                    table.count = table.held();
                }
            }
        }
        let by_size = size_in_bytes / table.clusters.boot.record_in_bytes as u64;
        let by_volume = table.clusters.source.size_in_bytes() / table.clusters.boot.record_in_bytes as u64;
        table.count = table.count.min(by_size).min(by_volume).min(u64::from(u32::MAX));
        Ok(table)
    }

    /// The number of records in the runs that are known.
    fn held(&self) -> u64 {
        let clusters = self.runs.iter().map(Run::end).max().unwrap_or_default();
        clusters.saturating_mul(self.clusters.boot.cluster_in_bytes)
            / self.clusters.boot.record_in_bytes as u64
    }

    pub(super) fn clusters(&self) -> &Arc<Clusters> {
        &self.clusters
    }

    pub(super) fn runs(&self) -> &[Run] {
        &self.runs
    }

    /// How many records it has, used or not.
    pub(super) fn count(&self) -> u64 {
        self.count
    }

    pub(super) fn is_from_copy(&self) -> bool {
        self.is_from_copy
    }

    /// A bit for each record: set if it is in use. None if that cannot be read.
    pub(super) fn in_use(&self) -> Option<Vec<u8>> {
        let bitmap =
            Content::of(&self.clusters, std::slice::from_ref(&self.own), AttributeKind::Bitmap, None).ok()?;
        bitmap.all(self.count.div_ceil(8) + self.clusters.boot.cluster_in_bytes).ok()
    }

    /// The children of a folder by its index, as far as that can be read.
    pub(super) fn children(&self, folder: Node) -> Vec<Child> {
        let Ok(record) = self.record(folder) else { return Vec::new() };
        let records = [record];
        let of = |kind| Content::of(&self.clusters, &records, kind, Some(INDEX_OF_NAMES));
        let root = of(AttributeKind::IndexRoot).and_then(|root| root.all(1 << 20));
        let root = root.ok().and_then(|root| index::in_record(&root));
        let Some((mut children, block_in_bytes)) = root else { return Vec::new() };
        let Ok(blocks) = of(AttributeKind::IndexBlocks) else { return children };
        if !(512..=65_536).contains(&block_in_bytes) {
            return children;
        }
        let mut block = vec![0; block_in_bytes];
        // An index is not longer than the volume, whatever it claims.
        let length_in_bytes = blocks.size_in_bytes().min(self.clusters.source.size_in_bytes());
        for at in (0..length_in_bytes).step_by(block_in_bytes) {
            match blocks.read_at(at, &mut block) {
                Ok(read) if read == block_in_bytes => children.extend(index::in_block(block.clone())),
                _ => {}
            }
        }
        children
    }

    /// Reads one record. Fails if the drive cannot, or it is none.
    pub(super) fn record(&self, number: Node) -> io::Result<Record> {
        let damaged = || OwnTrouble::Damaged("its record in the table of files is damaged").into();
        Record::from_bytes(self.bytes(number)?).ok_or_else(damaged)
    }

    /// The bytes of one record, whatever they are.
    pub(super) fn bytes(&self, number: Node) -> io::Result<Vec<u8>> {
        let record_in_bytes = self.clusters.boot.record_in_bytes;
        self.read(u64::from(number) * record_in_bytes as u64, record_in_bytes)
    }

    /// The same sector by sector, after it failed in one piece: one that is not sure of itself may be read
    /// now, and the map of the drive learns which ones cannot be.
    pub(super) fn bytes_by_sector(&self, number: Node) -> io::Result<Vec<u8>> {
        const SECTOR_IN_BYTES: usize = 512;
        let record_in_bytes = self.clusters.boot.record_in_bytes;
        let at = u64::from(number) * record_in_bytes as u64;
        let offsets = (0..record_in_bytes).step_by(SECTOR_IN_BYTES);
        let sectors: Vec<_> = offsets.map(|offset| self.read(at + offset as u64, SECTOR_IN_BYTES)).collect();
        Ok(sectors.into_iter().collect::<io::Result<Vec<_>>>()?.concat())
    }

    /// Bytes of the table. They may lie in several runs: a cluster can be smaller than a record.
    fn read(&self, at: u64, length_in_bytes: usize) -> io::Result<Vec<u8>> {
        let cluster_in_bytes = self.clusters.boot.cluster_in_bytes;
        let mut bytes = Vec::with_capacity(length_in_bytes);
        while bytes.len() < length_in_bytes {
            let at = at + bytes.len() as u64;
            let (cluster, within) = (at / cluster_in_bytes, at % cluster_in_bytes);
            let run = self.runs.partition_point(|run| run.end() <= cluster);
            let run = self.runs.get(run).filter(|run| run.first <= cluster);
            let Some((run, on_volume)) = run.and_then(|run| Some((run, run.on_volume?))) else {
                return Err(OwnTrouble::Damaged("its record lies outside of the table of files").into());
            };
            let left = (run.end() - cluster).saturating_mul(cluster_in_bytes) - within;
            let length = usize::try_from(left).unwrap_or(usize::MAX).min(length_in_bytes - bytes.len());
            bytes.extend(self.clusters.stretch(on_volume + (cluster - run.first), within, length)?);
        }
        Ok(bytes)
    }
}

/// From a list of attributes: where the pieces of the content without a name are told of, in their order.
fn data_pieces(list: &[u8]) -> Vec<(u64, Reference)> {
    const DATA: u32 = 0x80;
    let mut rest = list;
    let mut pieces = Vec::new();
    while let Some(length) = le_u16(rest, 4).map(usize::from).filter(|length| *length >= 26) {
        let (Some(row), Some(behind)) = (rest.get(..length), rest.get(length..)) else { break };
        let is_data = crate::numbers::le_u32(row, 0) == Some(DATA) && row[6] == 0;
        if let (true, Some(first), Some(reference)) = (is_data, le_u64(row, 8), le_u64(row, 16)) {
            pieces.push((first, Reference::from_number(reference)));
        }
        rest = behind;
    }
    pieces.sort_by_key(|(first, _)| *first);
    pieces
}
