//! A new folder with nothing but new files in it lands whole: its files are made under their own names in a folder that waits for its own,
//! and with that one all of them get theirs at once. Given to each by itself, names are a quarter of what a small file costs.

use super::host;
use super::land::{Home, NotLanded, land_directly, not_written, waiting_name};
use super::plan::{Action, Due, Plan};
use super::runner::Runner;
use porter_names::RelativePath;
use porter_source::Reached;
use porter_trunk::{Content, Trunk};
use std::collections::HashSet;
use std::fs;
use std::io;
use std::ops::RangeInclusive;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};

/// For fewer files the folder costs more than their names. What is lost of many if the power fails meanwhile is written again.
const FILES: RangeInclusive<usize> = 4..=512;
const MOST_IN_BYTES: u64 = 8 << 20;

/// Steps that one thread takes one after the other.
pub(super) struct Lot<'p> {
    pub(super) dues: Vec<Due<'p>>,
    /// True if they are all that goes into a folder that can land whole.
    pub(super) is_whole: bool,
}

/// Which folders of a plan may land whole. They are not made before.
pub(super) struct WholeFolders<'p> {
    /// How many steps go into each of the plan's homes that may; none for the others.
    steps_into: Vec<usize>,
    paths: HashSet<&'p RelativePath>,
}

impl<'p> WholeFolders<'p> {
    pub(super) fn of(plan: &'p Plan) -> Self {
        let plain = plan.folders.iter().filter(|folder| folder.set_aside.is_none());
        let new: HashSet<&RelativePath> = plain.map(|folder| &folder.at).collect();
        let with_folders: HashSet<RelativePath> =
            plan.folders.iter().filter_map(|folder| folder.at.parent()).collect();
        let may_be = |home: &RelativePath| new.contains(home) && !with_folders.contains(home);
        let mut counted: Vec<Option<usize>> =
            plan.homes.iter().map(|home| may_be(home).then_some(0)).collect();
        for step in &plan.steps {
            if let Some(count) = counted.get_mut(step.home as usize) {
                *count = count.filter(|_| step.action == Action::Create).map(|count| count + 1);
            }
        }
        let in_bounds =
            |count: Option<usize>| count.filter(|count| FILES.contains(count)).unwrap_or_default();
        let steps_into: Vec<usize> = counted.into_iter().map(in_bounds).collect();
        let paths = plan
            .homes
            .iter()
            .zip(&steps_into)
            .filter(|(_, steps)| **steps > 0)
            .map(|(home, _)| home)
            .collect();
        Self { steps_into, paths }
    }

    /// True if this folder is made when the first thing lands in it, or lands whole.
    pub(super) fn contain(&self, folder: &RelativePath) -> bool {
        self.paths.contains(folder)
    }

    /// Puts steps together that belong together, and hands them over; the others go by themselves. False as soon as `hand_over` says so.
    pub(super) fn in_lots<'d>(
        &self,
        trunk: &dyn Trunk,
        dues: impl Iterator<Item = Due<'d>>,
        mut hand_over: impl FnMut(Lot<'d>) -> bool,
    ) -> bool {
        let mut dues = dues.peekable();
        while let Some(first) = dues.next() {
            let home = first.step.home;
            let mut together = vec![first];
            while let Some(next) = dues.next_if(|due| due.step.home == home) {
                together.push(next);
            }
            let went_on = if self.is_whole(trunk, &together) {
                hand_over(Lot { dues: together, is_whole: true })
            } else {
                let mut single = together.into_iter().map(|due| Lot { dues: vec![due], is_whole: false });
                single.all(&mut hand_over)
            };
            if !went_on {
                return false;
            }
        }
        true
    }

    fn is_whole(&self, trunk: &dyn Trunk, dues: &[Due<'_>]) -> bool {
        let all = dues.first().and_then(|due| self.steps_into.get(due.step.home as usize));
        let size_in_bytes = dues.iter().map(|due| due.entry.size_in_bytes()).fold(0, u64::saturating_add);
        all == Some(&dues.len())
            && size_in_bytes <= MOST_IN_BYTES
            && dues.iter().all(|due| {
                matches!(due.entry.content, Content::File { .. })
                    && due.entry.same_file.is_none()
                    && due.adapted.is_none()
                    && trunk.content_file(&due.entry).is_none()
            })
    }
}

/// Whether volumes have let waiting folders have their names. Until one does not, they do.
static NAMES_ARE_GIVEN: AtomicBool = AtomicBool::new(true);

/// Lands all of a whole lot, and says of each step what became of it. None if it has to be taken step by step: nothing was done then.
pub(super) fn land_whole(runner: &Runner<'_>, lot: &Lot<'_>) -> Option<Vec<Result<(), NotLanded>>> {
    if !NAMES_ARE_GIVEN.load(Ordering::Relaxed) {
        return None;
    }
    let folder = lot.dues.first()?.at.parent()?;
    let above = folder.parent()?;
    // What is made in a folder is its owner's.
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
            Ok(path) => land_directly(runner.trunk, &due.entry, &home, path, runner.conduct),
            Err(reason) => Err(NotLanded::Refused(reason.clone())),
        });
        paths.push(path.ok());
    }
    // Windows renames no folder that is open; elsewhere the files in it go on being reached by the open folder.
    #[cfg(windows)]
    drop(home);
    if let Err(cause) = host::rename_without_replacing(&waiting.0, &target) {
        // Somebody made it meanwhile, or somebody looks into ours: then each by itself.
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

/// Removes a waiting folder and the files in it; nobody but us puts anything else there. Says whether there was one.
pub(crate) fn remove_waiting_folder(path: &Path) -> bool {
    // After it became what it was made for, there is none.
    let Ok(rows) = fs::read_dir(path) else { return false };
    for row in rows.flatten() {
        let _ = host::remove_file(&row.path());
    }
    fs::remove_dir(path).is_ok()
}
