//! Which file system a stretch holds.

use super::{FileSystem, FileSystemError, exfat, fat, ntfs};
use crate::block_source::BlockSource;
use porter_source::{VolumeKind, volume_kind};
use std::io;
use std::sync::Arc;

/// The kind of volume that a stretch holds; none if it is not known.
pub fn kind_of(source: &dyn BlockSource) -> io::Result<Option<VolumeKind>> {
    const SECTOR: usize = 512;
    let mut beginning = [0; volume_kind::BEGINNING_IN_BYTES];
    // Most kinds are known by their first sector, which may be the only one that can be read.
    let read = source.read_at(0, &mut beginning).or_else(|_| source.read_at(0, &mut beginning[..SECTOR]))?;
    Ok(VolumeKind::from_bytes(&beginning[..read]))
}

/// Opens the file system on a partition, or on a drive without partitions. `deleted` files are shown too, in
/// a folder of their own, where the file system lets them be found.
pub fn open(source: Arc<dyn BlockSource>, deleted: bool) -> Result<Arc<dyn FileSystem>, FileSystemError> {
    let (kind, unreadable) = match kind_of(&*source) {
        Ok(kind) => (kind, None),
        Err(cause) if source.is_gone() => return Err(cause.into()),
        Err(cause) => (None, Some(cause)),
    };
    match kind {
        Some(VolumeKind::Ntfs) => Ok(Arc::new(ntfs::Ntfs::open(source, deleted)?)),
        Some(VolumeKind::Fat) => Ok(Arc::new(fat::Fat::open(source)?)),
        Some(VolumeKind::ExFat) => Ok(Arc::new(exfat::ExFat::open(source)?)),
        // The first sector may be the one that cannot be read: NTFS keeps a copy of it in the last.
        None | Some(VolumeKind::PartitionTable) if ntfs::has_copy_of_first_sector(&*source) => {
            Ok(Arc::new(ntfs::Ntfs::open(source, deleted)?))
        }
        None if exfat::has_copy_of_first_sector(&*source) => Ok(Arc::new(exfat::ExFat::open(source)?)),
        kind => Err(unreadable.map_or(FileSystemError::NotKnown(kind), FileSystemError::Unreadable)),
    }
}
