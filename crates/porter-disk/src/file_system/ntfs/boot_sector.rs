//! The first sector of a volume, and the copy of it in the last.

use crate::block_source::{BlockSource, read_exact_at};
use crate::file_system::FileSystemError;
use crate::numbers::{le_u16, le_u64};

const SECTOR: usize = 512;

/// How the volume is divided.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct BootSector {
    pub(super) cluster_in_bytes: u64,
    pub(super) record_in_bytes: usize,
    pub(super) table_cluster: u64,
    pub(super) table_copy_cluster: u64,
    pub(super) total_in_bytes: u64,
}

impl BootSector {
    /// None unless all numbers are such as a real volume has.
    fn from_bytes(sector: &[u8]) -> Option<Self> {
        if sector.get(3..11)? != b"NTFS    " {
            return None;
        }
        let sector_in_bytes = u64::from(le_u16(sector, 11)?);
        if !sector_in_bytes.is_power_of_two() || !(256..=4096).contains(&sector_in_bytes) {
            return None;
        }
        // Above 128 it is the negative exponent of two.
        let sectors_per_cluster = match *sector.get(13)? {
            count @ 1..=128 => u64::from(count),
            exponent @ 0xe1..=0xff => 1 << (256 - u32::from(exponent)),
            _ => return None,
        };
        let cluster_in_bytes = sector_in_bytes.checked_mul(sectors_per_cluster)?;
        // The size of a record is given in clusters, or as the negative exponent of two.
        let record_in_bytes = match sector.get(64)?.cast_signed() {
            clusters @ 1.. => cluster_in_bytes.checked_mul(u64::from(clusters.unsigned_abs()))?,
            exponent @ -31..=-1 => 1 << exponent.unsigned_abs(),
            _ => return None,
        };
        let is_usual = cluster_in_bytes.is_power_of_two()
            && cluster_in_bytes <= 2 << 20
            && record_in_bytes.is_power_of_two()
            && (512..=65_536).contains(&record_in_bytes);
        is_usual.then_some(Self {
            cluster_in_bytes,
            record_in_bytes: usize::try_from(record_in_bytes).ok()?,
            table_cluster: le_u64(sector, 48)?,
            table_copy_cluster: le_u64(sector, 56)?,
            total_in_bytes: le_u64(sector, 40)?.checked_mul(sector_in_bytes)?,
        })
    }

    fn load_at(source: &dyn BlockSource, at: u64) -> Option<Self> {
        let mut sector = [0; SECTOR];
        read_exact_at(source, at, &mut sector).ok()?;
        Self::from_bytes(&sector)
    }

    pub(super) fn load_copy(source: &dyn BlockSource) -> Option<Self> {
        let size_in_bytes = source.size_in_bytes();
        // The volume may be shorter than the partition by less than a cluster; real ones end with it.
        [512, 4096].iter().find_map(|back| Self::load_at(source, size_in_bytes.checked_sub(*back)?))
    }

    /// The first sector, or else its copy; true if it is the copy.
    pub(super) fn load(source: &dyn BlockSource) -> Result<(Self, bool), FileSystemError> {
        if let Some(first) = Self::load_at(source, 0) {
            return Ok((first, false));
        }
        let damaged = FileSystemError::Damaged("neither its first sector nor the copy of it can be read");
        Self::load_copy(source).map(|copy| (copy, true)).ok_or(damaged)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sector(sectors_per_cluster: u8, record: i8) -> Vec<u8> {
        let mut bytes = vec![0; 512];
        bytes[3..11].copy_from_slice(b"NTFS    ");
        bytes[11..13].copy_from_slice(&512_u16.to_le_bytes());
        bytes[13] = sectors_per_cluster;
        bytes[40..48].copy_from_slice(&8192_u64.to_le_bytes());
        bytes[64] = record.cast_unsigned();
        bytes
    }

    #[test]
    fn sizes_are_read_in_both_spellings_and_impossible_ones_refused() {
        let sizes = |sectors, record| {
            let boot = BootSector::from_bytes(&sector(sectors, record))?;
            Some((boot.cluster_in_bytes, boot.record_in_bytes))
        };
        assert_eq!(sizes(8, -10), Some((4096, 1024)));
        assert_eq!(sizes(1, 2), Some((512, 1024)));
        // 2^12 sectors, as Windows 10 makes for the largest drives.
        assert_eq!(sizes(0xf4, -12), Some((2 << 20, 4096)));
        for impossible in [(0, -10), (3, -10), (8, 0), (8, -31), (8, 100), (0xe1, -10)] {
            assert_eq!(sizes(impossible.0, impossible.1), None, "{impossible:?}");
        }
    }
}
