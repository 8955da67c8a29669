//! The files that hold the wrapped key of a sealed trunk. Without it the trunk is lost, so there is a second
//! copy, rewritten with every change of the packs: it lies elsewhere on the medium than the first.

use super::layout::{SEAL, SEAL_COPY};
use crate::host::{read_small, replace};
use crate::lock::Lock;
use crate::sealing::{KeyWraps, NotOpened};
use crate::{Damage, TrunkError};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

const LONGEST_IN_BYTES: u64 = 1 << 20;

/// One of them, as it was found.
struct Found {
    path: PathBuf,
    name: &'static str,
    wraps: Result<KeyWraps, TrunkError>,
}

impl Found {
    fn read(folder: &Path, name: &'static str) -> Self {
        let path = folder.join(name);
        let bytes = read_small(&path, LONGEST_IN_BYTES).map_err(|cause| match cause.kind() {
            ErrorKind::NotFound => TrunkError::Damaged(Damage::FileMissing(name.to_owned())),
            _ => TrunkError::io("reading", &path, cause),
        });
        let not_opened = |cause| TrunkError::NotOpened { folder: folder.to_path_buf(), cause };
        let wraps = bytes.and_then(|bytes| KeyWraps::from_bytes(&bytes).map_err(not_opened));
        Self { path, name, wraps }
    }

    fn is_missing(&self) -> bool {
        matches!(self.wraps, Err(TrunkError::Damaged(Damage::FileMissing(_))))
    }
}

/// All of them: the first of each folder, and then the second copies.
pub(super) struct SealFiles {
    firsts: Vec<Found>,
    copies: Vec<Found>,
}

impl SealFiles {
    pub(super) fn read<'f>(folders: impl IntoIterator<Item = &'f Path>) -> Self {
        let (firsts, copies) = folders
            .into_iter()
            .map(|folder| (Found::read(folder, SEAL), Found::read(folder, SEAL_COPY)))
            .unzip();
        Self { firsts, copies }
    }

    /// The wrapped key: what counts is the first file that is whole. The error is that of the first file.
    pub(super) fn wraps(self) -> Result<KeyWraps, TrunkError> {
        let mut all = self.firsts.into_iter().chain(self.copies).map(|found| found.wraps);
        let first =
            all.next().unwrap_or_else(|| Err(TrunkError::Damaged(Damage::FileMissing(SEAL.to_owned()))));
        match first {
            // A later porter's file may not be passed over for an earlier one's.
            Ok(_) | Err(TrunkError::NotOpened { cause: NotOpened::Unsupported(_), .. }) => first,
            Err(cause) => all.find_map(Result::ok).ok_or(cause),
        }
    }

    /// None, too, if a later porter wrote one: what the others say may be out of date.
    fn whole(&self) -> Option<&KeyWraps> {
        let mut all = self.firsts.iter().chain(&self.copies);
        let is_later = |found: &Found| {
            matches!(found.wraps, Err(TrunkError::NotOpened { cause: NotOpened::Unsupported(_), .. }))
        };
        if all.clone().any(is_later) { None } else { all.find_map(|found| found.wraps.as_ref().ok()) }
    }

    /// The files that count, and those that differ from them. A second copy need not exist: earlier captures
    /// made none.
    fn hurt(&self) -> Option<(&KeyWraps, impl Iterator<Item = &Found>)> {
        let whole = self.whole()?;
        let copies = self.copies.iter().filter(|found| !found.is_missing());
        let all = self.firsts.iter().chain(copies);
        Some((whole, all.filter(move |found| found.wraps.as_ref().ok() != Some(whole))))
    }

    /// The damage of these files, if one of them opens the trunk.
    pub(super) fn damage(&self) -> Vec<Damage> {
        let damage = |found: &Found| {
            let name = found.name.to_owned();
            if found.is_missing() { Damage::FileMissing(name) } else { Damage::ContentChanged(name) }
        };
        self.hurt().map(|(_, hurt)| hurt.map(damage).collect()).unwrap_or_default()
    }

    /// Rewrites the second copy in a folder in any case, and the first file if it is damaged.
    pub(super) fn renew_copy(&self, folder: &Path) -> Result<(), TrunkError> {
        let Some((wraps, hurt)) = self.hurt() else { return Ok(()) };
        let is_there = |found: &&Found| found.path.parent() == Some(folder);
        let first = hurt.filter(|found| found.name == SEAL);
        first.chain(&self.copies).filter(is_there).try_for_each(|found| write(&found.path, wraps))
    }

    /// True if there is a file to rewrite, and one to write it from.
    fn can_be_mended(&self) -> bool {
        let lacks_copy = self.copies.iter().any(Found::is_missing);
        self.hurt().is_some_and(|(_, mut hurt)| lacks_copy || hurt.next().is_some())
    }

    /// Rewrites the damaged files, and writes a second copy where there is none. Nothing is kept of the
    /// damaged ones: an old passphrase might still open their rest.
    fn mend(&self) -> Result<Resealed, TrunkError> {
        let Some((wraps, hurt)) = self.hurt() else { return Ok(Resealed::Nothing) };
        let mut done = Resealed::Nothing;
        for found in self.copies.iter().filter(|found| found.is_missing()) {
            write(&found.path, wraps)?;
            done = Resealed::Copied;
        }
        for found in hurt {
            write(&found.path, wraps)?;
            done = Resealed::Mended;
        }
        Ok(done)
    }

    /// Wraps the key otherwise, everywhere.
    pub(super) fn replace(&self, wraps: &KeyWraps) -> Result<(), TrunkError> {
        let copies = self.copies.iter().filter(|found| !found.is_missing());
        self.firsts.iter().chain(copies).try_for_each(|found| write(&found.path, wraps))
    }
}

/// The damage of the wrapped key of a sealed trunk that opens in spite of it.
pub fn seal_damage(folders: &[PathBuf]) -> Vec<Damage> {
    SealFiles::read(folders.iter().map(PathBuf::as_path)).damage()
}

/// The state of the files of the wrapped key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Resealed {
    /// They are whole, or there are none, or all are damaged.
    Nothing,
    /// A second copy was written where there was none.
    Copied,
    /// A damaged one was rewritten.
    Mended,
}

/// Rewrites files of the wrapped key from one that is whole.
pub fn mend_seal(folders: &[PathBuf]) -> Result<Resealed, TrunkError> {
    let folders = || folders.iter().map(PathBuf::as_path);
    if !SealFiles::read(folders()).can_be_mended() {
        return Ok(Resealed::Nothing);
    }
    let _locks = Lock::take_all(folders())?;
    SealFiles::read(folders()).mend()
}

/// Both files of a folder that has none.
pub(super) fn write_both(folder: &Path, wraps: &KeyWraps) -> Result<(), TrunkError> {
    [SEAL, SEAL_COPY].iter().try_for_each(|name| write(&folder.join(name), wraps))
}

fn write(path: &Path, wraps: &KeyWraps) -> Result<(), TrunkError> {
    replace(path, &wraps.to_bytes(), true).map_err(|cause| TrunkError::io("writing", path, cause))
}
