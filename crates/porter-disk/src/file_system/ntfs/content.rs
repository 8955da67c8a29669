//! The content of an attribute: in its record, in clusters, or in clusters that are compressed.

use super::attribute::{Attribute, AttributeKind};
use super::clusters::Clusters;
use super::record::Record;
use super::runs::{self, Run};
use super::units::Units;
use crate::block_source::{held, read_exact_at};
use crate::packed::lznt1;
use porter_source::{OwnTrouble, VolumeFile};
use std::io;
use std::sync::Arc;

/// Windows compresses 16 clusters together; a larger unit no system makes.
const UNIT_EXPONENTS: std::ops::RangeInclusive<u16> = 1..=8;
const MOST_UNIT_IN_BYTES: u64 = 4 << 20;

pub(super) struct Content {
    clusters: Arc<Clusters>,
    kept: Kept,
    size_in_bytes: u64,
    is_encrypted: bool,
}

enum Kept {
    InRecord(Vec<u8>),
    InClusters { runs: Vec<Run>, valid_in_bytes: u64, units: Option<Units> },
}

fn damaged(what: &'static str) -> io::Error {
    OwnTrouble::Damaged(what).into()
}

impl Content {
    /// Joins the pieces that a file's records have of one attribute.
    ///
    /// Fails if there is none, or they contradict each other.
    pub(super) fn of(
        clusters: &Arc<Clusters>,
        records: &[Record],
        kind: AttributeKind,
        name: Option<&str>,
    ) -> io::Result<Self> {
        let is_wanted = |found: &Attribute<'_>| {
            found.kind == kind && found.name().as_deref() == name.filter(|n| !n.is_empty())
        };
        let pieces: Vec<Attribute<'_>> =
            records.iter().flat_map(Record::attributes).filter(is_wanted).collect();
        let first = pieces.iter().find(|piece| piece.is_first_piece());
        let first = first.ok_or_else(|| damaged("the beginning of its content is told of nowhere"))?;
        let clusters = Arc::clone(clusters);
        let is_encrypted = first.is_encrypted();
        if let Some(value) = first.resident_value() {
            let size_in_bytes = value.len() as u64;
            return Ok(Self { clusters, kept: Kept::InRecord(value.to_vec()), size_in_bytes, is_encrypted });
        }
        let outside = first.non_resident().ok_or_else(|| damaged("its content contradicts itself"))?;
        let mut found = Vec::new();
        for piece in pieces.iter().filter_map(Attribute::non_resident) {
            runs::decode(piece.runs, piece.first_cluster, &mut found)?;
        }
        let runs = runs::in_order(found)?;
        let units = if first.is_compressed() && outside.unit_exponent != 0 {
            let unit_in_bytes = clusters.boot.cluster_in_bytes << outside.unit_exponent.min(16);
            if !UNIT_EXPONENTS.contains(&outside.unit_exponent) || unit_in_bytes > MOST_UNIT_IN_BYTES {
                return Err(damaged("its content is compressed in units that no system makes"));
            }
            Some(Units::of(unit_in_bytes))
        } else {
            None
        };
        let valid_in_bytes = outside.valid_in_bytes.min(outside.size_in_bytes);
        let kept = Kept::InClusters { runs, valid_in_bytes, units };
        Ok(Self { clusters, kept, size_in_bytes: outside.size_in_bytes, is_encrypted })
    }

    pub(super) fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    /// True if only one account of the old Windows can read it.
    pub(super) fn is_encrypted(&self) -> bool {
        self.is_encrypted
    }

    /// The clusters that it lies in.
    pub(super) fn clusters_on_volume(&self) -> impl Iterator<Item = u64> {
        let runs = match &self.kept {
            Kept::InRecord(_) => &[][..],
            Kept::InClusters { runs, .. } => runs,
        };
        runs.iter().filter_map(|run| Some(run.on_volume?..run.on_volume?.saturating_add(run.count))).flatten()
    }

    /// All of it. Fails if it is longer.
    pub(super) fn all(&self, most_in_bytes: u64) -> io::Result<Vec<u8>> {
        if self.size_in_bytes > most_in_bytes {
            return Err(damaged("it is longer than expected"));
        }
        let mut bytes = vec![0; self.size_in_bytes as usize];
        self.read_exactly(0, &mut bytes)?;
        Ok(bytes)
    }

    /// Fills the buffer. Fails where the content ends too early.
    pub(super) fn read_exactly(&self, at: u64, buffer: &mut [u8]) -> io::Result<()> {
        let read = self.read_at(at, buffer)?;
        if read == buffer.len() { Ok(()) } else { Err(damaged("it ends too early")) }
    }

    fn run_at<'r>(&self, runs: &'r [Run], at: u64) -> io::Result<&'r Run> {
        let cluster = at / self.clusters.boot.cluster_in_bytes;
        let found = runs.get(runs.partition_point(|run| run.end() <= cluster));
        found.ok_or_else(|| damaged("it is longer than its clusters"))
    }

    /// How far a run goes on from a place in the content.
    fn left_in(&self, run: &Run, at: u64) -> u64 {
        run.end().saturating_mul(self.clusters.boot.cluster_in_bytes).saturating_sub(at)
    }

    /// Where a place of the content lies in the source, if a cluster has it.
    fn place(&self, run: &Run, at: u64, length_in_bytes: usize) -> io::Result<Option<u64>> {
        let Some(on_volume) = run.on_volume else { return Ok(None) };
        let within = at - run.first * self.clusters.boot.cluster_in_bytes;
        self.clusters.place(on_volume, within, length_in_bytes).map(Some)
    }

    /// Fills the buffer from clusters as they are, holes with zeros.
    fn read_clusters(&self, runs: &[Run], at: u64, buffer: &mut [u8]) -> io::Result<()> {
        let mut done = 0;
        while done < buffer.len() {
            let at = at + done as u64;
            let run = self.run_at(runs, at)?;
            let left = usize::try_from(self.left_in(run, at)).unwrap_or(usize::MAX);
            let length = left.min(buffer.len() - done);
            let piece = &mut buffer[done..done + length];
            match self.place(run, at, length)? {
                Some(place) => read_exact_at(&*self.clusters.source, place, piece)?,
                None => piece.fill(0),
            }
            done += length;
        }
        Ok(())
    }

    /// One unit of compressed content: as it is if all of its clusters are there, zeros if none is.
    fn unit(&self, runs: &[Run], unit_in_bytes: u64, unit: u64) -> io::Result<Vec<u8>> {
        let begin = unit * unit_in_bytes;
        let cluster_in_bytes = self.clusters.boot.cluster_in_bytes;
        let (mut held_in_bytes, mut at, mut is_closed) = (0, begin, false);
        while at < begin + unit_in_bytes {
            // The last unit may be cut off behind the last cluster that is needed.
            let Ok(run) = self.run_at(runs, at) else { break };
            let length = self.left_in(run, at).min(begin + unit_in_bytes - at);
            if run.on_volume.is_none() {
                is_closed = true;
            } else if is_closed {
                return Err(damaged("its compressed content has a hole in the middle"));
            } else {
                held_in_bytes += length;
            }
            at += length.max(cluster_in_bytes);
        }
        let mut bytes = vec![0; held_in_bytes.min(unit_in_bytes) as usize];
        self.read_clusters(runs, begin, &mut bytes)?;
        if held_in_bytes < unit_in_bytes && held_in_bytes > 0 {
            bytes = lznt1::unpacked(&bytes, unit_in_bytes as usize)?;
        }
        bytes.resize(unit_in_bytes as usize, 0);
        Ok(bytes)
    }
}

impl VolumeFile for Content {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes, offset_in_bytes, buffer.len());
        let buffer = &mut buffer[..wanted];
        match &self.kept {
            Kept::InRecord(value) => {
                let from = usize::try_from(offset_in_bytes).unwrap_or(usize::MAX).min(value.len());
                buffer.copy_from_slice(&value[from..from + wanted]);
            }
            Kept::InClusters { runs, valid_in_bytes, units } => {
                let valid = held(*valid_in_bytes, offset_in_bytes, wanted);
                let (valid, behind) = buffer.split_at_mut(valid);
                match units {
                    Some(units) => units
                        .read(offset_in_bytes, valid, |unit| self.unit(runs, units.unit_in_bytes(), unit))?,
                    None => self.read_clusters(runs, offset_in_bytes, valid)?,
                }
                behind.fill(0);
            }
        }
        Ok(wanted)
    }

    fn next_data(&self, offset_in_bytes: u64) -> Option<u64> {
        let Kept::InClusters { runs, valid_in_bytes, units: None } = &self.kept else { return None };
        let mut at = offset_in_bytes;
        while at < *valid_in_bytes {
            let run = self.run_at(runs, at).ok()?;
            if run.on_volume.is_some() {
                return Some(at);
            }
            at += self.left_in(run, at).max(1);
        }
        Some(self.size_in_bytes.max(offset_in_bytes))
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let Kept::InClusters { runs, valid_in_bytes, units: None } = &self.kept else { return false };
        if offset_in_bytes.saturating_add(length_in_bytes as u64) > *valid_in_bytes || length_in_bytes == 0 {
            return false;
        }
        let Ok(run) = self.run_at(runs, offset_in_bytes) else { return false };
        if self.left_in(run, offset_in_bytes) < length_in_bytes as u64 {
            return false;
        }
        match self.place(run, offset_in_bytes, length_in_bytes) {
            Ok(Some(place)) => self.clusters.source.look_at(place, length_in_bytes, look),
            _ => false,
        }
    }
}
