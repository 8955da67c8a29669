//! Content in a chain of clusters, as FAT and exFAT keep it.

use crate::block_source::{BlockSource, held, read_exact_at, stretch};
use porter_source::{OwnTrouble, VolumeFile};
use std::io;
use std::sync::{Arc, Mutex, PoisonError};

/// The first cluster has this number.
pub(super) const FIRST_CLUSTER: u32 = 2;

/// Where clusters are.
#[derive(Clone)]
pub(super) struct Heap {
    pub(super) source: Arc<dyn BlockSource>,
    pub(super) start_in_bytes: u64,
    pub(super) cluster_in_bytes: u64,
    pub(super) cluster_count: u32,
}

impl Heap {
    pub(super) fn has(&self, cluster: u32) -> bool {
        cluster.checked_sub(FIRST_CLUSTER).is_some_and(|number| number < self.cluster_count)
    }

    fn place(&self, cluster: u32) -> u64 {
        self.start_in_bytes + u64::from(cluster - FIRST_CLUSTER) * self.cluster_in_bytes
    }

    /// Where a cluster is; 0 if there is none of this number.
    pub(super) fn begins_at(&self, cluster: u32) -> u64 {
        if self.has(cluster) { self.place(cluster) } else { 0 }
    }

    pub(super) fn read_cluster(&self, cluster: u32) -> io::Result<Vec<u8>> {
        if !self.has(cluster) {
            return Err(OwnTrouble::Damaged("it points behind the end of the volume").into());
        }
        stretch(&*self.source, self.place(cluster), self.cluster_in_bytes as usize)
    }
}

/// So much of a table of chains is read at once.
const PIECE_IN_BYTES: u64 = 65_536;
/// The longest number in such a table.
const NUMBER_IN_BYTES: usize = 4;

/// The table that tells which cluster follows which; there may be further copies of it.
pub(super) struct ChainTable {
    pub(super) source: Arc<dyn BlockSource>,
    /// The first that can be read counts.
    pub(super) copies_at: Vec<u64>,
    pub(super) size_in_bytes: u64,
    /// The piece that was read last.
    pub(super) piece: Mutex<Option<(u64, Vec<u8>)>>,
}

impl ChainTable {
    /// The bytes of a number, and zeros behind it. None behind the end, and where no copy can be read.
    pub(super) fn bytes_at(&self, at: u64, length: usize) -> Option<[u8; NUMBER_IN_BYTES]> {
        if at.checked_add(length as u64)? > self.size_in_bytes {
            return None;
        }
        let begin = at - at % PIECE_IN_BYTES;
        let mut piece = self.piece.lock().unwrap_or_else(PoisonError::into_inner);
        if piece.as_ref().is_none_or(|(of, _)| *of != begin) {
            // A number may lie across the end of a piece, so a little more is read.
            let wanted = (self.size_in_bytes - begin).min(PIECE_IN_BYTES + NUMBER_IN_BYTES as u64) as usize;
            let read =
                self.copies_at.iter().find_map(|copy| stretch(&*self.source, copy + begin, wanted).ok());
            *piece = Some((begin, read?));
        }
        let within = (at - begin) as usize;
        let mut number = [0; NUMBER_IN_BYTES];
        number.get_mut(..length)?.copy_from_slice(piece.as_ref()?.1.get(within..within + length)?);
        Some(number)
    }
}

/// Clusters side by side: the first in the content, the first on the volume, and how many.
type Run = (u64, u32, u64);

/// An open file.
pub(super) struct Chained {
    heap: Heap,
    runs: Vec<Run>,
    size_in_bytes: u64,
    /// Behind it are zeros, whatever the clusters hold.
    valid_in_bytes: u64,
}

impl Chained {
    /// Clusters one after the other, which no chain tells of.
    pub(super) fn side_by_side(heap: &Heap, first: u32, size_in_bytes: u64, valid_in_bytes: u64) -> Self {
        let count = size_in_bytes.div_ceil(heap.cluster_in_bytes);
        let end = u64::from(heap.cluster_count) + u64::from(FIRST_CLUSTER);
        let held = if heap.has(first) { count.min(end - u64::from(first)) } else { 0 };
        let runs = if held > 0 { vec![(0, first, held)] } else { Vec::new() };
        Self { heap: heap.clone(), runs, size_in_bytes, valid_in_bytes }
    }

    /// Goes along a chain as far as the content needs. Where it breaks off, the rest cannot be read.
    pub(super) fn along(
        heap: &Heap,
        first: u32,
        size_in_bytes: u64,
        valid_in_bytes: u64,
        mut next: impl FnMut(u32) -> Option<u32>,
    ) -> Self {
        let mut runs: Vec<Run> = Vec::new();
        let wanted = size_in_bytes.div_ceil(heap.cluster_in_bytes).min(u64::from(heap.cluster_count));
        let mut cluster = Some(first);
        for number in 0..wanted {
            let Some(here) = cluster.filter(|cluster| heap.has(*cluster)) else { break };
            match runs.last_mut() {
                Some((_, start, count)) if u64::from(*start) + *count == u64::from(here) => *count += 1,
                _ => runs.push((number, here, 1)),
            }
            cluster = next(here);
        }
        Self { heap: heap.clone(), runs, size_in_bytes, valid_in_bytes }
    }

    /// Where a place of the content lies, and how far it goes on from there.
    fn place(&self, at: u64) -> Option<(u64, u64)> {
        let cluster = at / self.heap.cluster_in_bytes;
        let run = self.runs.partition_point(|(first, _, count)| first + count <= cluster);
        let (first, start, count) = self.runs.get(run)?;
        let within = at - first * self.heap.cluster_in_bytes;
        Some((self.heap.place(*start) + within, count * self.heap.cluster_in_bytes - within))
    }
}

impl VolumeFile for Chained {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes, offset_in_bytes, buffer.len());
        let held = held(self.valid_in_bytes, offset_in_bytes, wanted);
        let mut done = 0;
        while done < held {
            let (place, left) = self
                .place(offset_in_bytes + done as u64)
                .ok_or(OwnTrouble::Damaged("the chain of its clusters breaks off"))?;
            let length = usize::try_from(left).unwrap_or(usize::MAX).min(held - done);
            read_exact_at(&*self.heap.source, place, &mut buffer[done..done + length])?;
            done += length;
        }
        buffer[held..wanted].fill(0);
        Ok(wanted)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let is_valid = offset_in_bytes.saturating_add(length_in_bytes as u64) <= self.valid_in_bytes;
        match self.place(offset_in_bytes).filter(|(_, left)| is_valid && *left >= length_in_bytes as u64) {
            Some((place, _)) if length_in_bytes > 0 => self.heap.source.look_at(place, length_in_bytes, look),
            _ => false,
        }
    }
}
