//! A drive as a technician holds it: a device or an image, its partitions, and what is on each.

use crate::block_source::{BlockSource, InTurn};
use crate::device;
use crate::file_system::{FileSystem, FileSystemError, recognise};
use crate::image::{self, ImageError};
use crate::image_volume::Beneath;
use crate::partition::{self, Partition};
use crate::rescue::{Noted, NotedError, map_of_image};
use porter_source::VolumeKind;
use porter_source::spinning::is_spinning;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// An opened drive.
pub struct Drive {
    beneath: Beneath,
    noted: Option<Arc<Noted>>,
    /// Its stretches that may hold a file system: the partitions, or all of it.
    pub parts: Vec<DrivePart>,
    /// Flaws of its table of partitions, in plain words.
    pub flaws: Vec<&'static str>,
}

/// A stretch that may hold a file system.
pub struct DrivePart {
    /// The partition; none for a drive that is one volume.
    pub partition: Option<Partition>,
    /// The kind of volume; none if it is not known.
    pub kind: Option<VolumeKind>,
    source: Arc<dyn BlockSource>,
}

impl DrivePart {
    /// The number to name it by; none for a drive that is one volume.
    pub fn number(&self) -> Option<u32> {
        self.partition.as_ref().map(|partition| partition.number)
    }

    /// Its length.
    pub fn size_in_bytes(&self) -> u64 {
        self.source.size_in_bytes()
    }

    /// Its bytes.
    pub fn source(&self) -> Arc<dyn BlockSource> {
        Arc::clone(&self.source)
    }

    /// Opens the file system on it.
    pub fn open(&self, deleted: bool) -> Result<Arc<dyn FileSystem>, FileSystemError> {
        recognise::open(Arc::clone(&self.source), deleted)
    }
}

/// How a drive is read.
#[derive(Debug, Clone, Default)]
pub struct Reading {
    /// The map of an image, if it is not beside it under a usual name.
    pub map: Option<PathBuf>,
    /// Where all that is read is kept too, as an image with its map.
    pub copy: Option<PathBuf>,
    /// Deleted files are shown too, in a folder of their own.
    pub deleted: bool,
    /// It is on a disk that spins, although the system does not say so.
    pub spinning: bool,
}

/// Why a drive cannot be opened.
#[derive(Debug, thiserror::Error)]
pub enum DriveError {
    /// The device or image cannot.
    #[error(transparent)]
    Image(#[from] ImageError),
    /// The map or the copy cannot be used.
    #[error(transparent)]
    Noted(#[from] NotedError),
}

impl Drive {
    /// Opens a device or an image.
    pub fn open(path: &Path, reading: &Reading) -> Result<Self, DriveError> {
        let source = image::open(path)?;
        let spins = reading.spinning || is_spinning(path);
        let source = if spins { Arc::new(InTurn::new(source)) } else { source };
        let map = reading.map.clone().or_else(|| map_of_image(path));
        let noted = match (&reading.copy, map) {
            (Some(copy), _) => Some(Noted::new(Arc::clone(&source)).with_copy(copy)?),
            (None, Some(map)) => Some(Noted::image(Arc::clone(&source), &map)?),
            (None, None) if device::is_device(path) => Some(Noted::new(Arc::clone(&source))),
            (None, None) => None,
        };
        let noted = noted.map(Arc::new);
        let source = noted.as_ref().map_or(source, |noted| Arc::clone(noted) as Arc<dyn BlockSource>);
        let beneath = Beneath { source, path: path.to_path_buf() };
        let unreadable = |cause| ImageError::Unreadable { path: path.to_path_buf(), cause };
        Ok(Self { noted, ..Self::new(beneath).map_err(unreadable)? })
    }

    /// The notes of what was read; none for an image without a map.
    pub fn noted(&self) -> Option<Arc<Noted>> {
        self.noted.clone()
    }

    fn new(beneath: Beneath) -> io::Result<Self> {
        let source = &beneath.source;
        let kind = recognise::kind_of(&**source).unwrap_or_default();
        let whole = DrivePart { partition: None, kind, source: Arc::clone(source) };
        let table = match kind {
            None | Some(VolumeKind::PartitionTable) => partition::table::load(source)?,
            Some(_) => None,
        };
        let Some(table) = table else {
            return Ok(Self { parts: vec![whole], flaws: Vec::new(), noted: None, beneath });
        };
        let part = |partition: Partition| {
            let section: Arc<dyn BlockSource> = Arc::new(partition.section(source));
            let kind = recognise::kind_of(&*section).unwrap_or_default();
            // The mark of a table in its first sector means nothing there.
            let kind = kind.filter(|kind| *kind != VolumeKind::PartitionTable);
            DrivePart { partition: Some(partition), kind, source: section }
        };
        let parts = table.partitions.into_iter().map(part).collect();
        Ok(Self { parts, flaws: table.flaws, noted: None, beneath })
    }

    /// Its length.
    pub fn size_in_bytes(&self) -> u64 {
        self.beneath.source.size_in_bytes()
    }

    /// The drive, for the volumes that are made of its parts.
    pub fn beneath(&self) -> Beneath {
        self.beneath.clone()
    }
}

/// The part of a number as it is named: `disk.img#2`.
pub fn part_named(path: &Path, number: u32) -> PathBuf {
    let mut named = path.as_os_str().to_owned();
    named.push(format!("#{number}"));
    named.into()
}

/// `disk.img#2`, as `disk.img` and 2; none if there is a file or folder of the whole name.
pub fn path_and_part(named: &Path) -> (PathBuf, Option<u32>) {
    let whole = (named.to_path_buf(), None);
    if named.symlink_metadata().is_ok() {
        return whole;
    }
    let Some((path, number)) = named.to_str().and_then(|text| text.rsplit_once('#')) else { return whole };
    match number.parse() {
        Ok(number) => (PathBuf::from(path), Some(number)),
        Err(_) => whole,
    }
}
