//! The clusters of a volume.

use super::boot_sector::BootSector;
use crate::block_source::{BlockSource, stretch};
use porter_source::OwnTrouble;
use std::io;
use std::sync::Arc;

/// The bytes of a volume, and how it is divided.
pub(super) struct Clusters {
    pub(super) source: Arc<dyn BlockSource>,
    pub(super) boot: BootSector,
}

impl Clusters {
    /// How many there are, whatever the first sector claims.
    pub(super) fn count(&self) -> u64 {
        self.boot.total_in_bytes.min(self.source.size_in_bytes()) / self.boot.cluster_in_bytes
    }

    /// The bytes of a stretch of clusters. Fails for one that the volume does not have.
    pub(super) fn stretch(
        &self,
        cluster: u64,
        offset_in_bytes: u64,
        length_in_bytes: usize,
    ) -> io::Result<Vec<u8>> {
        let at = self.place(cluster, offset_in_bytes, length_in_bytes)?;
        stretch(&*self.source, at, length_in_bytes)
    }

    /// Where a stretch lies in the source.
    pub(super) fn place(
        &self,
        cluster: u64,
        offset_in_bytes: u64,
        length_in_bytes: usize,
    ) -> io::Result<u64> {
        let at =
            cluster.checked_mul(self.boot.cluster_in_bytes).and_then(|at| at.checked_add(offset_in_bytes));
        let end = at.and_then(|at| at.checked_add(length_in_bytes as u64));
        match (at, end) {
            (Some(at), Some(end)) if end <= self.source.size_in_bytes() => Ok(at),
            _ => Err(OwnTrouble::Damaged("it points behind the end of the volume").into()),
        }
    }
}
