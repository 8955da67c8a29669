//! A folder that the running system shows us.

#[cfg(unix)]
#[path = "host_folder/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host_folder/windows.rs"]
mod system;

#[cfg(target_os = "linux")]
mod mapping;

use crate::beneath::{Reached, Root};
use crate::reparse_point::ReparsePoint;
use crate::spinning::{Arm, is_spinning};
use crate::{Capacity, Details, EntryKind, FileState, HostTree, Listed, Metadata, ReadError, ReadTrouble};
use crate::{Volume, VolumeFile};
use porter_names::{RelativePath, host};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use time::OffsetDateTime;

/// A mounted drive, or any folder that holds what a drive held.
#[derive(Debug)]
pub struct HostFolder {
    tree: HostTree,
    keeps: system::Keeps,
    /// Set if its disk spins.
    arm: Option<Arc<Arm>>,
}

impl HostFolder {
    /// Takes `root` itself through links, so that `/mnt/old` may be one; nothing below is followed.
    ///
    /// Fails if it is not a folder or cannot be reached.
    pub fn open(root: &Path) -> io::Result<Self> {
        system::use_rights();
        let root = fs::canonicalize(root)?;
        if !fs::metadata(&root)?.is_dir() {
            return Err(io::Error::new(io::ErrorKind::NotADirectory, "it is not a folder"));
        }
        let keeps = system::Keeps::of(&root);
        let arm = is_spinning(&root).then(Arc::default);
        Ok(Self { tree: HostTree::new(root), keeps, arm })
    }

    /// The same for a disk that spins though its system does not say so: one file is read at a time.
    #[must_use]
    pub fn spinning(mut self) -> Self {
        self.arm.get_or_insert_default();
        self
    }

    /// The same with a further drive beside the root: `name` is the first step of the paths on it.
    ///
    /// Fails if `folder` is not a folder or cannot be reached.
    pub fn with_drive(self, name: &[u8], folder: &Path) -> io::Result<Self> {
        let folder = fs::canonicalize(folder)?;
        Ok(Self { tree: self.tree.with_drive(name, folder), ..self })
    }

    /// True if the folder is where a volume is mounted, and not one on it.
    pub fn is_whole_volume(&self) -> bool {
        system::is_whole_volume(self.tree.root())
    }

    fn on_drive(&self, path: &RelativePath) -> Result<(&Root, PathBuf), ReadError> {
        let not_held = |_| ReadError { path: path.clone(), trouble: ReadTrouble::NameNotHeld };
        self.tree.on_drive(path).map_err(not_held)
    }

    /// The error of an entry that is shut, or below a shut folder, says only that.
    fn trouble(&self, path: &RelativePath, cause: io::Error) -> ReadError {
        let mut at = Some(path.clone());
        while let Some(here) = at.filter(|here| !here.is_root() && self.keeps.shows_reparse_points()) {
            let there = self.on_drive(&here).ok().and_then(|(root, below)| root.reach(&below).ok());
            if let Some(ReparsePoint::Shut(shut)) = there.and_then(|there| system::reparse_point(&there)) {
                return ReadError { path: path.clone(), trouble: ReadTrouble::Shut(shut) };
            }
            at = here.parent();
        }
        ReadError::new(path, cause)
    }

    fn reach(&self, path: &RelativePath) -> Result<Reached, ReadError> {
        let (root, below) = self.on_drive(path)?;
        root.reach(&below).map_err(|cause| self.trouble(path, cause))
    }

    fn open_file(&self, path: &RelativePath) -> Result<fs::File, ReadError> {
        let (root, below) = self.on_drive(path)?;
        system::open_without_following(root, &below).map_err(|cause| self.trouble(path, cause))
    }
}

impl Volume for HostFolder {
    fn list(&self, folder: &RelativePath) -> Result<Vec<Result<Listed, ReadError>>, ReadError> {
        let wrap = |cause| ReadError::new(folder, cause);
        let (root, below) = self.on_drive(folder)?;
        let there = root.reach_folder(&below).map_err(|cause| self.trouble(folder, cause))?;
        let rows = fs::read_dir(&there).map_err(wrap)?;
        let mut listed = Vec::new();
        for row in rows {
            let row = row.map_err(wrap)?;
            let name = host::name_from_host(&row.file_name());
            match row.metadata() {
                Ok(found) => {
                    let metadata = metadata_from(&found, &self.keeps, || Some(row.path()));
                    listed.push(Ok(Listed { name, metadata }));
                }
                Err(cause) if cause.kind() == io::ErrorKind::NotFound => {}
                Err(cause) => {
                    let path = folder.join(&name).unwrap_or_else(|_| folder.clone());
                    listed.push(Err(ReadError::new(&path, cause)));
                }
            }
        }
        Ok(listed)
    }

    fn metadata(&self, path: &RelativePath) -> Result<Metadata, ReadError> {
        let there = self.reach(path)?;
        let found = fs::symlink_metadata(&there).map_err(|cause| ReadError::new(path, cause))?;
        Ok(metadata_from(&found, &self.keeps, || Some(&*there)))
    }

    fn details(&self, path: &RelativePath) -> Result<Details, ReadError> {
        system::details(&self.reach(path)?, &self.keeps).map_err(|cause| ReadError::new(path, cause))
    }

    fn open(&self, file: &RelativePath) -> Result<Box<dyn VolumeFile>, ReadError> {
        Ok(Box::new(HostFile { file: self.open_file(file)?, arm: self.arm.clone() }))
    }

    fn open_known(&self, file: &RelativePath) -> Result<(Box<dyn VolumeFile>, Metadata), ReadError> {
        let opened = self.open_file(file)?;
        let found = opened.metadata().map_err(|cause| ReadError::new(file, cause))?;
        let metadata = metadata_from(&found, &self.keeps, || self.reach(file).ok());
        Ok((Box::new(HostFile { file: opened, arm: self.arm.clone() }), metadata))
    }

    fn link_target(&self, link: &RelativePath) -> Result<Vec<u8>, ReadError> {
        let there = self.reach(link)?;
        if self.keeps.shows_reparse_points()
            && let Some(ReparsePoint::Link { target }) = system::reparse_point(&there)
        {
            return Ok(target.into_bytes());
        }
        let target = fs::read_link(there).map_err(|cause| ReadError::new(link, cause))?;
        Ok(host::name_from_host(target.as_os_str()))
    }

    fn capacity(&self) -> Result<Capacity, ReadError> {
        system::capacity(self.tree.root()).map_err(|cause| ReadError::new(&RelativePath::root(), cause))
    }

    fn is_gone(&self, path: &RelativePath) -> bool {
        system::is_gone(self.tree.drive_of(path))
    }

    fn host_tree(&self) -> Option<&HostTree> {
        Some(&self.tree)
    }
}

struct HostFile {
    file: fs::File,
    arm: Option<Arc<Arm>>,
}

impl VolumeFile for HostFile {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let _turn = self.arm.as_deref().map(Arm::take);
        system::read_at(&self.file, offset_in_bytes, buffer)
    }

    fn state(&self) -> Option<FileState> {
        system::state(&self.file).ok()
    }

    fn next_data(&self, offset_in_bytes: u64) -> Option<u64> {
        system::next_data(&self.file, offset_in_bytes)
    }

    #[cfg(target_os = "linux")]
    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let _turn = self.arm.as_deref().map(Arm::take);
        mapping::look_at(&self.file, offset_in_bytes, length_in_bytes, look)
    }
}

/// [`VolumeFile::look_at`] for a file that is open already, where the system can.
pub fn look_at_file(
    file: &fs::File,
    offset_in_bytes: u64,
    length_in_bytes: usize,
    look: &mut dyn FnMut(&[u8]),
) -> bool {
    #[cfg(target_os = "linux")]
    return mapping::look_at(file, offset_in_bytes, length_in_bytes, look);
    #[cfg(not(target_os = "linux"))]
    {
        let _ = (file, offset_in_bytes, length_in_bytes, look);
        false
    }
}

/// Opens anything but a folder, without waiting for it.
pub fn open_to_look(path: &Path) -> io::Result<impl VolumeFile + use<>> {
    system::open_by_path(path).map(|file| HostFile { file, arm: None })
}

/// `DIRECTORY` among Windows' attributes ([MS-FSCC] 2.6).
const FOLDER: u32 = 0x10;

/// Facts beyond those that every system has of a file.
#[derive(Debug, Default)]
struct Beyond {
    windows_attributes: Option<u32>,
    reparse_point: Option<ReparsePoint>,
}

/// `path` leads to it; it is asked for only where a listing does not have all facts.
fn metadata_from<P: AsRef<Path>>(
    found: &fs::Metadata,
    keeps: &system::Keeps,
    path: impl FnOnce() -> Option<P>,
) -> Metadata {
    let beyond = system::beyond(found, keeps, path);
    let shut = match &beyond.reparse_point {
        Some(ReparsePoint::Shut(shut)) => Some(*shut),
        _ => None,
    };
    let kind = if shut.is_some() {
        // The driver shows it as a link to nowhere.
        let is_folder = beyond.windows_attributes.is_some_and(|bits| bits & FOLDER != 0);
        if is_folder { EntryKind::Folder } else { EntryKind::File }
    } else if found.is_symlink() {
        EntryKind::Link
    } else if found.is_dir() {
        EntryKind::Folder
    } else if found.is_file() {
        EntryKind::File
    } else {
        EntryKind::Other
    };
    Metadata {
        kind,
        size_in_bytes: if kind == EntryKind::File && shut.is_none() { found.len() } else { 0 },
        modified_utc: system::modified_utc(found),
        unix_mode: system::unix_mode(found),
        windows_attributes: beyond.windows_attributes,
        volume_id: system::volume_id(found),
        same_file: if kind == EntryKind::File { system::same_file(found) } else { None },
        sparse: kind == EntryKind::File && system::is_sparse(found),
        shut,
    }
}

/// 1970-01-01, as a `FILETIME`.
const UNIX_EPOCH_IN_TICKS: i128 = 116_444_736_000_000_000;

/// A time as a `FILETIME`; none before 1601.
pub fn filetime_from_utc(at_utc: OffsetDateTime) -> Option<u64> {
    u64::try_from(at_utc.unix_timestamp_nanos().div_euclid(100) + UNIX_EPOCH_IN_TICKS).ok()
}

/// A Windows `FILETIME`: ticks of 100 ns since 1601-01-01 UTC ([MS-DTYP] 2.3.3).
pub fn utc_from_filetime(ticks: u64) -> Option<OffsetDateTime> {
    utc_from_unix_ns((i128::from(ticks) - UNIX_EPOCH_IN_TICKS) * 100)
}

/// None for years that RFC 3339 cannot write: damaged volumes give such.
fn utc_from_unix_ns(nanoseconds: i128) -> Option<OffsetDateTime> {
    OffsetDateTime::from_unix_timestamp_nanos(nanoseconds).ok().filter(|t| (0..=9999).contains(&t.year()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Read;

    #[test]
    fn a_folder_is_read_exactly_and_its_links_are_not_followed() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("Kites")).unwrap();
        fs::write(folder.path().join("Kites/plan é.txt"), b"spar 12 mm").unwrap();
        #[cfg(unix)]
        std::os::unix::fs::symlink("Kites/plan é.txt", folder.path().join("link")).unwrap();

        let volume = HostFolder::open(folder.path()).unwrap();
        let plan = RelativePath::from_bytes("Kites/plan é.txt".as_bytes()).unwrap();
        assert_eq!(volume.metadata(&plan).unwrap().size_in_bytes, 10);
        let mut text = String::new();
        crate::Sequential::new(volume.open(&plan).unwrap()).read_to_string(&mut text).unwrap();
        assert_eq!(text, "spar 12 mm");

        #[cfg(unix)]
        {
            let link = RelativePath::from_bytes(b"link").unwrap();
            assert_eq!(volume.metadata(&link).unwrap().kind, EntryKind::Link);
            assert_eq!(volume.link_target(&link).unwrap(), "Kites/plan é.txt".as_bytes());
            assert!(matches!(volume.open(&link).err().map(|e| e.trouble), Some(ReadTrouble::IsLink)));
        }
        let missing = RelativePath::from_bytes(b"Kites/none").unwrap();
        assert!(matches!(volume.open(&missing).err().map(|e| e.trouble), Some(ReadTrouble::Gone)));
    }

    #[test]
    fn filetime_counts_from_1601() {
        assert_eq!(utc_from_filetime(116_444_736_000_000_000), Some(OffsetDateTime::UNIX_EPOCH));
        assert_eq!(filetime_from_utc(OffsetDateTime::UNIX_EPOCH), Some(116_444_736_000_000_000));
        assert_eq!(utc_from_filetime(u64::MAX), None);
        // Also before 1970 a tick is the one that a time lies in, and none is lost on the way there and back.
        let before = OffsetDateTime::from_unix_timestamp_nanos(-150).unwrap();
        assert_eq!(filetime_from_utc(before), Some(116_444_735_999_999_998));
        for ticks in [0, 1, 110_000_000_000_000_001, 116_444_735_999_999_999] {
            assert_eq!(utc_from_filetime(ticks).and_then(filetime_from_utc), Some(ticks));
        }
    }
}
