//! Where the running system shows a volume.

use crate::beneath::{Reached, Root};
use porter_names::RelativePath;
use porter_names::host::{NameNotHeld, to_host};
use std::io;
use std::path::{Path, PathBuf};

/// A folder for the root of a volume, and folders for further drives that the system keeps beside it.
///
/// A further drive is a first step that no file of the volume itself can have: `D:/Kites` or
/// `\\server\share/Kites`, below the root of a Windows machine. So a path below the root means the same
/// whether the drive is mounted somewhere or is the running system's own.
#[derive(Debug, Clone)]
pub struct HostTree {
    root: Root,
    drives: Vec<(Vec<u8>, Root)>,
}

impl HostTree {
    /// A tree without further drives.
    pub fn new(root: impl Into<PathBuf>) -> Self {
        Self { root: Root::new(root), drives: Vec::new() }
    }

    /// The same with a further drive. A name is taken once: the first folder counts.
    #[must_use]
    pub fn with_drive(mut self, name: &[u8], folder: impl Into<PathBuf>) -> Self {
        if !self.drives.iter().any(|(known, _)| known == name) {
            self.drives.push((name.to_vec(), Root::new(folder)));
        }
        self
    }

    /// The folder of the volume's root.
    pub fn root(&self) -> &Path {
        self.root.path()
    }

    /// The path in the system's own spelling.
    pub fn host_path(&self, path: &RelativePath) -> Result<PathBuf, NameNotHeld> {
        match self.drive_in(path) {
            Some(drive) => to_host(drive.path(), &below_drive(path)),
            None => to_host(self.root.path(), path),
        }
    }

    /// The drive that a path is on, and its spelling below that.
    pub(crate) fn on_drive(&self, path: &RelativePath) -> Result<(&Root, PathBuf), NameNotHeld> {
        match self.drive_in(path) {
            Some(drive) => Ok((drive, to_host(Path::new(""), &below_drive(path))?)),
            None => Ok((&self.root, to_host(Path::new(""), path)?)),
        }
    }

    /// Gets at what is at a path without going through a link: the folder that it is in is open then.
    pub fn reach(&self, path: &RelativePath) -> io::Result<Reached> {
        let (root, below) = self.on_drive(path).map_err(io::Error::other)?;
        root.reach(&below)
    }

    /// The same for a folder, which is open then.
    pub fn reach_folder(&self, path: &RelativePath) -> io::Result<Reached> {
        let (root, below) = self.on_drive(path).map_err(io::Error::other)?;
        root.reach_folder(&below)
    }

    /// The folder of the drive that a path is on: the root, or that of a further drive.
    pub fn drive_of(&self, path: &RelativePath) -> &Path {
        self.drive_in(path).unwrap_or(&self.root).path()
    }

    fn drive_in(&self, path: &RelativePath) -> Option<&Root> {
        if self.drives.is_empty() {
            return None;
        }
        let first = path.steps().next()?;
        self.drives.iter().find(|(name, _)| name == first).map(|(_, drive)| drive)
    }
}

fn below_drive(path: &RelativePath) -> RelativePath {
    let below: Vec<&[u8]> = path.steps().skip(1).collect();
    RelativePath::from_bytes(&below.join(&b'/')).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_first_step_that_names_a_drive_leads_to_its_folder() {
        let tree = HostTree::new("/c").with_drive(b"D:", "/d").with_drive(b"D:", "/other");
        let host = |path: &str| tree.host_path(&RelativePath::from_bytes(path.as_bytes()).unwrap()).unwrap();
        assert_eq!(host("Users/odile"), Path::new("/c").join("Users").join("odile"));
        assert_eq!(host("D:/Kites/plan.txt"), Path::new("/d").join("Kites").join("plan.txt"));
        assert_eq!(host("D:"), Path::new("/d"));
        assert_eq!(tree.drive_of(&RelativePath::from_bytes(b"D:/Kites").unwrap()), Path::new("/d"));
    }
}
