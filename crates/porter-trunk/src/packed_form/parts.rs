//! The folders that a trunk lies in: one, or several where the first stick was too small.

use super::layout::{FileName, LABEL};
use super::part_row::PartRow;
use super::seal_files::SealFiles;
use crate::lock::Lock;
use crate::outside::Outside;
use crate::sealing::{KeyWraps, NotOpened, TrunkKey, WorkshopKey};
use crate::{Damage, TrunkError};
use std::fs;
use std::path::{Path, PathBuf};

/// The keys that open a sealed trunk.
pub enum Opener {
    /// The passphrase.
    Passphrase(zeroize::Zeroizing<String>),
    /// The workshop's recovery key.
    Workshop(WorkshopKey),
}

/// The folders of one trunk, by their labels.
pub struct Parts {
    parts: Vec<Part>,
}

struct Part {
    folder: PathBuf,
    outside: Outside,
    label_bytes: Vec<u8>,
}

impl Parts {
    /// Reads the labels of all folders, given in any order.
    pub fn load(folders: &[PathBuf]) -> Result<Self, TrunkError> {
        let mut parts: Vec<Part> = Vec::with_capacity(folders.len());
        for folder in folders {
            let (outside, label_bytes) = Outside::load_with_bytes(folder)?;
            if let Some(first) = parts.first()
                && (first.outside.trunk_id != outside.trunk_id || first.outside.sealed != outside.sealed)
            {
                return Err(TrunkError::Damaged(Damage::Misplaced(folder.display().to_string())));
            }
            if parts.iter().all(|part| part.outside.part != outside.part) {
                parts.push(Part { folder: folder.clone(), outside, label_bytes });
            }
        }
        parts.sort_by_key(|part| part.outside.part);
        Ok(Self { parts })
    }

    /// The outside of the first of them.
    pub fn outside(&self) -> Result<&Outside, TrunkError> {
        self.parts
            .first()
            .map(|part| &part.outside)
            .ok_or_else(|| TrunkError::NotATrunk { folder: PathBuf::new(), missing: LABEL.to_owned() })
    }

    /// The folder of the first of them.
    pub(super) fn first_folder(&self) -> PathBuf {
        self.parts.first().map(|part| part.folder.clone()).unwrap_or_default()
    }

    /// The folders with their numbers.
    pub(super) fn folders(&self) -> impl Iterator<Item = (u32, &Path)> {
        self.parts.iter().map(|part| (part.outside.part, part.folder.as_path()))
    }

    pub(super) fn folder_of(&self, part: u32) -> Option<&Path> {
        self.folders().find(|(number, _)| *number == part).map(|(_, folder)| folder)
    }

    /// The parts with the BLAKE3 of their label files, as a list pins them down.
    pub(crate) fn label_rows(&self) -> Vec<PartRow> {
        let row =
            |part: &Part| PartRow { part: part.outside.part, label: part.outside.pinned(&part.label_bytes) };
        self.parts.iter().map(row).collect()
    }

    /// The number of the latest capture that any of the labels names.
    pub(crate) fn captures(&self) -> Option<u32> {
        self.parts.iter().filter_map(|part| part.outside.captures()).max()
    }

    /// Writes on each label that there was a further capture.
    pub(crate) fn note_capture(&self, number: u32) -> Result<(), TrunkError> {
        for part in &self.parts {
            let path = part.folder.join(LABEL);
            let outside = part.outside.after_capture(number);
            crate::host::replace(&path, &outside.to_bytes(), outside.sealed)
                .map_err(|cause| TrunkError::io("writing", &path, cause))?;
        }
        Ok(())
    }

    /// True if the label of each part that is here is the one that a list pins down.
    pub(crate) fn have_labels(&self, pinned: &[PartRow]) -> bool {
        self.label_rows().iter().all(|row| pinned.iter().all(|known| known.part != row.part || known == row))
    }

    /// The files of packs and lists in all folders, with the number of the part.
    pub(super) fn files(&self) -> Result<Vec<(FileName, u32, PathBuf)>, TrunkError> {
        let mut files = Vec::new();
        for (part, folder) in self.folders() {
            files.extend(files_in(folder)?.into_iter().map(|(name, path)| (name, part, path)));
        }
        files.sort_by_key(|(name, ..)| *name);
        Ok(files)
    }

    /// The wrapped key; none if the trunk is not sealed.
    pub fn wraps(&self) -> Result<Option<KeyWraps>, TrunkError> {
        if self.outside()?.sealed { self.seal_files().wraps().map(Some) } else { Ok(None) }
    }

    pub(super) fn seal_files(&self) -> SealFiles {
        SealFiles::read(self.folders().map(|(_, folder)| folder))
    }

    /// The trunk's key; none if it is not sealed.
    pub fn unlock(&self, opener: Option<&Opener>) -> Result<Option<TrunkKey>, TrunkError> {
        let Some(wraps) = self.wraps()? else { return Ok(None) };
        unlock_with(&wraps, &self.first_folder(), opener).map(Some)
    }

    /// Wraps the key for another passphrase. Nothing else of the trunk is written.
    pub fn change_passphrase(&self, key: &TrunkKey, passphrase: &str) -> Result<(), TrunkError> {
        let _locks = Lock::take_all(self.folders().map(|(_, folder)| folder))?;
        let Some(wraps) = self.wraps()? else { return Ok(()) };
        let first = self.first_folder();
        let wraps = wraps
            .with_passphrase(key, passphrase)
            .map_err(|cause| TrunkError::io("asking for randomness", &first, cause))?;
        self.seal_files().replace(&wraps)
    }
}

/// The files of packs and lists in a folder, in the order of their names.
pub(crate) fn files_in(folder: &Path) -> Result<Vec<(FileName, PathBuf)>, TrunkError> {
    let failed = |cause| TrunkError::io("looking into", folder, cause);
    let mut files = Vec::new();
    for row in fs::read_dir(folder).map_err(failed)? {
        let row = row.map_err(failed)?;
        if let Some(name) = row.file_name().to_str().and_then(FileName::parse) {
            files.push((name, row.path()));
        }
    }
    files.sort_by_key(|(name, _)| *name);
    Ok(files)
}

pub(super) fn unlock_with(
    wraps: &KeyWraps,
    folder: &Path,
    opener: Option<&Opener>,
) -> Result<TrunkKey, TrunkError> {
    let folder = folder.to_path_buf();
    let opened = match opener {
        None => return Err(TrunkError::Sealed(folder)),
        Some(Opener::Passphrase(passphrase)) => wraps.open(passphrase),
        Some(Opener::Workshop(key)) => wraps.open_with_workshop_key(key),
    };
    opened.map_err(|cause: NotOpened| TrunkError::NotOpened { folder, cause })
}
