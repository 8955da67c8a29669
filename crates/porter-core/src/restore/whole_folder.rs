//! A new folder with nothing but new files in it lands whole: its files are made under their own names in a
//! folder that waits for its own, and when that is named all of them have theirs. Naming each file singly
//! takes a quarter of its time.

use super::land::{Home, NotLanded, land_directly, not_written};
use super::lots::Lot;
use super::runner::{Runner, StepFailed};
use crate::host;
use crate::journal::waiting::{remove_waiting_folder, waiting_name};
use porter_source::Reached;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether volumes have let waiting folders have their names. Until one does not, they do.
static NAMES_ARE_GIVEN: AtomicBool = AtomicBool::new(true);

impl Runner<'_> {
    /// Takes all steps of a lot, and returns the result of each.
    pub(super) fn take_all(&self, lot: &Lot<'_>) -> Vec<Result<(), StepFailed>> {
        let whole = if lot.is_whole { land_whole(self, lot) } else { None };
        let dues = lot.dues.iter();
        match whole {
            Some(landed) => dues
                .zip(landed)
                .map(|(due, landed)| landed.map_err(|failed| self.failed(due, failed)))
                .collect(),
            None => dues.map(|due| self.take(due)).collect(),
        }
    }
}

/// Lands all of a whole lot, and returns the result of each step. None if it has to be taken step by step:
/// nothing was done then.
fn land_whole(runner: &Runner<'_>, lot: &Lot<'_>) -> Option<Vec<Result<(), NotLanded>>> {
    if !NAMES_ARE_GIVEN.load(Ordering::Relaxed) {
        return None;
    }
    let folder = lot.dues.first()?.at.parent()?;
    let above = folder.parent()?;
    // Files made in a folder belong to its owner.
    let owner = runner.owner_in(&above);
    let waiting_at = above.join(waiting_name(runner.mark).as_bytes()).ok()?;
    let waiting = WaitingFolder::make(runner.reach(&waiting_at).ok()?, owner)?;
    let home = Home::open(runner.reach_folder(&waiting_at).ok()?, owner).ok()?;
    let target = runner.reach(&folder).ok()?;
    let mut paths = Vec::with_capacity(lot.dues.len());
    let mut landed: Vec<Result<(), NotLanded>> = Vec::with_capacity(lot.dues.len());
    for due in &lot.dues {
        let path = runner.path_in(&home, due.at.name().unwrap_or_default());
        landed.push(match &path {
            // A volume that takes nothing more is not asked again.
            Ok(_) if matches!(landed.last(), Some(Err(NotLanded::VolumeFailed(_)))) => {
                Err(NotLanded::VolumeFailed(io::ErrorKind::StorageFull.into()))
            }
            Ok(path) => land_directly(runner.source(), &due.entry, &home, path),
            Err(reason) => Err(NotLanded::Refused(reason.clone())),
        });
        paths.push(path.ok());
    }
    // Windows renames no folder that is open; elsewhere the files in it go on being reached by the open
    // folder.
    #[cfg(windows)]
    drop(home);
    if let Err(cause) = host::rename_without_replacing(&waiting.0, &target) {
        // Somebody made it in between, or somebody looks into ours: then each step is taken singly.
        if cause.kind() != io::ErrorKind::AlreadyExists {
            NAMES_ARE_GIVEN.store(false, Ordering::Relaxed);
        }
        let made = runner.make_awaited(&folder).and_then(|()| runner.target.reach_folder(&folder));
        for (landed, path) in landed.iter_mut().zip(&paths) {
            if let (Ok(()), Some(path)) = (&landed, path) {
                *landed = match &made {
                    Ok(folder) => give_own_name(path, folder),
                    Err(cause) => Err(not_written(io::Error::new(cause.kind(), cause.to_string()))),
                };
            }
        }
    }
    for (due, landed) in lot.dues.iter().zip(&landed) {
        if landed.is_ok() {
            runner.before.note(&due.entry, &due.at);
        }
    }
    Some(landed)
}

fn give_own_name(path: &Path, folder: &Path) -> Result<(), NotLanded> {
    let own = folder.join(path.file_name().unwrap_or_default());
    host::rename_without_replacing(path, &own).map_err(not_written)
}

/// A folder that waits for its name. Dropped without one, it is removed with what is left in it.
struct WaitingFolder(Reached);

impl WaitingFolder {
    fn make(path: Reached, owner: Option<host::Owner>) -> Option<Self> {
        fs::create_dir(&path).ok()?;
        host::set_folder_owner(&path, owner);
        Some(Self(path))
    }
}

impl Drop for WaitingFolder {
    fn drop(&mut self) {
        remove_waiting_folder(&self.0);
    }
}
