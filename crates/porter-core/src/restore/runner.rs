//! Taking single steps of a plan.

use super::RestoreError;
use super::land::{Home, NotLanded, Place, Source, land, not_written};
use super::landed_before::LandedBefore;
use super::lots::WholeFolders;
use super::plan::{Action, Due, NewFolder};
use crate::events::Conduct;
use crate::host::{self, Owner, owner_like};
use crate::journal::Journal;
use porter_kinds::receipt::Reason;
use porter_names::RelativePath;
use porter_names::host::to_host;
use porter_source::{HostTree, Reached};
use porter_trunk::{Content, ContentHash, Trunk};
use std::cell::RefCell;
use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::PathBuf;
use std::rc::Rc;
use std::sync::{Mutex, PoisonError};

/// Why a step was not taken.
pub(super) enum StepFailed {
    Refused(Reason),
    Ends(RestoreError),
}

/// The values that all steps of a run share.
pub(super) struct Runner<'a> {
    pub(super) trunk: &'a dyn Trunk,
    pub(super) whole_folders: WholeFolders<'a>,
    pub(super) target: &'a HostTree,
    pub(super) mark: &'a str,
    pub(super) journal: Option<&'a Journal>,
    /// Whose the things in a folder are to be: the folder's owner's.
    pub(super) owners: Mutex<HashMap<RelativePath, Option<Owner>>>,
    /// Where files with several names landed, by their numbers in the trunk.
    pub(super) linked: Mutex<HashMap<u64, (RelativePath, ContentHash)>>,
    /// Where contents landed that come again.
    pub(super) before: LandedBefore<'a>,
    pub(super) conduct: Conduct<'a>,
}

impl Runner<'_> {
    pub(super) fn source(&self) -> Source<'_> {
        Source { trunk: self.trunk, before: &self.before, conduct: self.conduct }
    }

    /// Opens a path on the machine. A path that was planned by its name is reached by open folders, none of
    /// them through a link.
    pub(super) fn reach(&self, path: &RelativePath) -> Result<Reached, Reason> {
        self.target.reach(path).map_err(|cause| Reason::NotWritten { detail: cause.to_string() })
    }

    /// The same for a folder, which is open then.
    pub(super) fn reach_folder(&self, path: &RelativePath) -> Result<Reached, Reason> {
        self.target.reach_folder(path).map_err(|cause| Reason::NotWritten { detail: cause.to_string() })
    }

    pub(super) fn owner_in(&self, folder: &RelativePath) -> Option<Owner> {
        let mut owners = self.owners.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(owner) = owners.get(folder) {
            return *owner;
        }
        let owner = self.reach(folder).ok().and_then(|path| owner_like(&path));
        owners.insert(folder.clone(), owner);
        owner
    }

    /// A folder that cannot be made shows in each entry that should have gone into it.
    pub(super) fn make_folder(&self, folder: &NewFolder) -> Result<(), RestoreError> {
        if let Some(to) = &folder.set_aside {
            let (Ok(path), Ok(aside)) = (self.reach(&folder.at), self.reach(to)) else { return Ok(()) };
            if host::rename_without_replacing(&path, &aside).is_err() {
                return Ok(());
            }
        }
        match self.make_owned(&folder.at).map_err(not_written) {
            Err(NotLanded::VolumeFailed(cause)) => {
                let path = self.target.host_path(&folder.at).unwrap_or_default();
                Err(RestoreError::Volume { path, cause })
            }
            Ok(()) | Err(NotLanded::Refused(_) | NotLanded::Stopped) => Ok(()),
        }
    }

    fn make_owned(&self, at: &RelativePath) -> io::Result<()> {
        let path = self.target.reach(at)?;
        fs::create_dir(&path)?;
        host::set_folder_owner(&path, at.parent().and_then(|above| self.owner_in(&above)));
        Ok(())
    }

    /// Makes a folder that might have landed whole, unless another thread did.
    pub(super) fn make_awaited(&self, at: &RelativePath) -> io::Result<()> {
        match self.make_owned(at) {
            Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => Ok(()),
            made => made,
        }
    }

    /// The folder that a step goes into. The threads of a run take most steps of one after the other, and end
    /// with it.
    fn home(&self, due: &Due<'_>) -> Result<Rc<Home>, NotLanded> {
        thread_local! {
            static LAST: RefCell<Option<(u32, Rc<Home>)>> = const { RefCell::new(None) };
        }
        LAST.with_borrow_mut(|last| match last {
            Some((number, home)) if *number == due.step.home => Ok(Rc::clone(home)),
            _ => {
                let folder = due.at.parent().unwrap_or_default();
                let owner = if self.whole_folders.contain(&folder) {
                    self.make_awaited(&folder).map_err(not_written)?;
                    // Another thread may be about to give it away.
                    folder.parent().and_then(|above| self.owner_in(&above))
                } else {
                    self.owner_in(&folder)
                };
                let path = self.reach_folder(&folder).map_err(NotLanded::Refused)?;
                let home = Rc::new(Home::open(path, owner)?);
                *last = Some((due.step.home, Rc::clone(&home)));
                Ok(home)
            }
        })
    }

    /// Where something of that name is in a folder.
    pub(super) fn path_in(&self, home: &Home, name: &[u8]) -> Result<PathBuf, Reason> {
        RelativePath::root()
            .join(name)
            .map_err(|refused| refused.to_string())
            .and_then(|name| to_host(&home.path, &name).map_err(|cause| cause.to_string()))
            .map_err(|detail| Reason::NotWritten { detail })
    }

    pub(super) fn failed(&self, due: &Due<'_>, failed: NotLanded) -> StepFailed {
        match failed {
            NotLanded::Refused(reason) => StepFailed::Refused(reason),
            NotLanded::Stopped => StepFailed::Ends(RestoreError::Cancelled),
            NotLanded::VolumeFailed(cause) => {
                let path = self.target.host_path(&due.at).unwrap_or_default();
                StepFailed::Ends(RestoreError::Volume { path, cause })
            }
        }
    }

    pub(super) fn take(&self, due: &Due<'_>) -> Result<(), StepFailed> {
        if matches!(due.step.action, Action::FolderMade | Action::Identical) {
            return Ok(());
        }
        let sort = |failed| self.failed(due, failed);
        let home = self.home(due).map_err(sort)?;
        let in_home = |name: &[u8]| self.path_in(&home, name).map_err(StepFailed::Refused);
        let path = in_home(due.at.name().unwrap_or_default())?;
        let aside = match &due.step.action {
            Action::SetAside(name) => Some(in_home(name)?),
            _ => None,
        };
        // Files with several names come one after the other: the second finds the first.
        let mut linked = due
            .entry
            .same_file
            .map(|number| (number, self.linked.lock().unwrap_or_else(PoisonError::into_inner)));
        let same_as = linked.as_ref().and_then(|(number, linked)| {
            let (path, hash) = linked.get(number)?;
            let is_same = matches!(due.entry.content, Content::File { hash: ours, .. } if ours == *hash);
            self.reach(path).ok().filter(|_| is_same)
        });
        let same_as = same_as.as_deref();
        let place = Place { home: &home, target: &path, set_aside: aside.as_deref(), same_as };
        land(self.source(), &due.entry, due.adapted, &place, self.mark).map_err(sort)?;
        self.before.note(&due.entry, &due.at);
        if let (Some((number, linked)), Content::File { hash, .. }) = (&mut linked, &due.entry.content) {
            linked.insert(*number, (due.at.clone(), *hash));
        }
        Ok(())
    }
}
