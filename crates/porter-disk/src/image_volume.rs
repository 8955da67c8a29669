//! A file system of a drive or an image, as everything else reads a machine.

use crate::block_source::BlockSource;
use crate::device;
use crate::file_system::FileSystem;
use crate::tree::Node;
use porter_names::RelativePath;
use porter_source::{
    Capacity, Details, HostTree, Listed, Metadata, OwnTrouble, ReadError, ReadTrouble, Volume, VolumeFile,
};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One number for all volumes that are read so: a walk goes on from one into a joined one.
const VOLUME_ID: u64 = 1;

/// A further volume beside the first: `D:`, and what is on it.
struct Joined {
    name: Vec<u8>,
    file_system: Arc<dyn FileSystem>,
}

/// The drive below a volume, as the running system knows it.
#[derive(Clone)]
pub struct Beneath {
    pub(crate) source: Arc<dyn BlockSource>,
    pub(crate) path: PathBuf,
}

/// The tree of a file system, and those of further ones of the same machine below names of their own.
pub struct ImageVolume {
    first: Arc<dyn FileSystem>,
    joined: Vec<Joined>,
    beneath: Beneath,
}

impl ImageVolume {
    /// A volume without others beside it.
    pub fn new(file_system: Arc<dyn FileSystem>, beneath: Beneath) -> Self {
        Self { first: file_system, joined: Vec::new(), beneath }
    }

    /// The same with a further volume: `name` is the first step of the paths on it.
    #[must_use]
    pub fn with_drive(mut self, name: &[u8], file_system: Arc<dyn FileSystem>) -> Self {
        if self.joined.iter().all(|joined| joined.name != name) {
            self.joined.push(Joined { name: name.to_vec(), file_system });
        }
        self
    }

    /// The file system at its root.
    pub fn file_system(&self) -> &dyn FileSystem {
        &*self.first
    }

    /// The file system that a path is on, and the node there.
    fn find(&self, path: &RelativePath) -> Result<(&dyn FileSystem, Node), ReadError> {
        let mut steps = path.steps().peekable();
        let joined = steps.peek().and_then(|first| self.joined.iter().find(|joined| joined.name == *first));
        let file_system: &dyn FileSystem = match joined {
            Some(joined) => {
                steps.next();
                &*joined.file_system
            }
            None => &*self.first,
        };
        let tree = file_system.tree();
        let node = steps.try_fold(tree.root(), |folder, name| tree.find(folder, name));
        let gone = || ReadError { path: path.clone(), trouble: ReadTrouble::Gone };
        Ok((file_system, node.ok_or_else(gone)?))
    }
}

impl Volume for ImageVolume {
    fn list(&self, folder: &RelativePath) -> Result<Vec<Result<Listed, ReadError>>, ReadError> {
        let (file_system, node) = self.find(folder)?;
        let tree = file_system.tree();
        let here = |mut row: Listed| {
            row.metadata.volume_id = Some(VOLUME_ID);
            Ok(row)
        };
        let mut rows: Vec<Result<Listed, ReadError>> = tree.list(node).map(here).collect();
        if tree.may_hold_more(node) {
            let cause = OwnTrouble::Damaged("the folder holds more, which cannot be read");
            rows.push(Err(ReadError::new(folder, cause.into())));
        }
        Ok(rows)
    }

    fn metadata(&self, path: &RelativePath) -> Result<Metadata, ReadError> {
        let (file_system, node) = self.find(path)?;
        let gone = || ReadError { path: path.clone(), trouble: ReadTrouble::Gone };
        let metadata = file_system.tree().metadata(node).ok_or_else(gone)?;
        Ok(Metadata { volume_id: Some(VOLUME_ID), ..metadata })
    }

    fn details(&self, path: &RelativePath) -> Result<Details, ReadError> {
        let (file_system, node) = self.find(path)?;
        file_system.details(node).map_err(|trouble| ReadError { path: path.clone(), trouble })
    }

    fn open(&self, file: &RelativePath) -> Result<Box<dyn VolumeFile>, ReadError> {
        let (file_system, node) = self.find(file)?;
        file_system.open(node).map_err(|trouble| ReadError { path: file.clone(), trouble })
    }

    fn begins_at_in_bytes(&self, file: &RelativePath) -> Option<u64> {
        let (file_system, node) = self.find(file).ok()?;
        Some(file_system.tree().facts(node)?.begins_at_in_bytes)
    }

    fn link_target(&self, link: &RelativePath) -> Result<Vec<u8>, ReadError> {
        let (file_system, node) = self.find(link)?;
        file_system.link_target(node).map_err(|trouble| ReadError { path: link.clone(), trouble })
    }

    fn capacity(&self) -> Result<Capacity, ReadError> {
        Ok(self.first.capacity())
    }

    fn is_gone(&self, _path: &RelativePath) -> bool {
        self.beneath.source.is_gone()
    }

    fn is_on_same_drive(&self, folder: &Path) -> bool {
        device::is_device(&self.beneath.path) && device::holds(&self.beneath.path, folder)
    }

    fn host_tree(&self) -> Option<&HostTree> {
        None
    }
}

impl std::fmt::Debug for ImageVolume {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("ImageVolume").field("kind", &self.first.kind()).finish_non_exhaustive()
    }
}
