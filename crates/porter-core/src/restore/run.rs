//! Carrying out a plan.

use super::flusher::flush_meanwhile;
use super::host::{self, Owner, owner_like};
use super::journal::{FORMAT, Journal, JournalLine, PathField};
use super::land::{Home, NotLanded, Place, land, land_bytes, not_written};
use super::landing::Moved;
use super::plan::{Action, Due, NewFolder, Plan, Refused};
use super::set_registry::set_registry;
use super::whole_folder::{Lot, WholeFolders, land_whole};
use super::{EntryKey, RestoreError};
use crate::events::{Conduct, Event, Stage};
use crate::in_order::{BYTES_FOR_A_PIECE, in_order};
use crate::receipt::Reason;
use crate::undo::{runs_in, sweep};
use porter_names::RelativePath;
use porter_names::host::to_host;
use porter_source::HostTree;
use porter_trunk::{Content, ContentHash, Entry, Tally, Trunk, TrunkId};
use std::cell::RefCell;
use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// What a restore did.
#[derive(Debug)]
pub struct RestoreReport {
    /// What was written.
    pub written: Tally,
    /// What was there already, byte for byte.
    pub identical: Tally,
    /// What was set aside, and its dated name.
    pub set_aside: Vec<(RelativePath, RelativePath)>,
    /// What landed under another name than its own.
    pub renamed: Vec<(RelativePath, RelativePath)>,
    /// What did not land.
    pub refused: Vec<Refused>,
    /// How many values of people's registries were set.
    pub registry_values: u64,
    /// The record of it all on the machine; none for a take.
    pub journal: Option<PathBuf>,
}

/// Takes the steps of a plan. With a `records` folder each step is first written to a journal there.
///
/// An entry that cannot be written is named, and the rest goes on; a volume that takes nothing more ends the run.
pub fn run_plan(
    trunk: &dyn Trunk,
    mut plan: Plan,
    records: Option<&Path>,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<RestoreReport, RestoreError> {
    conduct.send(&Event::StageBegan { stage: Stage::Restore, expected: plan.to_write });
    if let Some(records) = records {
        // What a restore that was cut off left half-written is nobody's.
        for run in runs_in(records).iter().filter(|run| run.undone.is_none()) {
            sweep(run, &plan.target).map_err(|cause| journal_failed(&run.journal, cause))?;
        }
    }
    trunk.will_read_in_all(plan.to_write.size_in_bytes);
    let mark = TrunkId::random().map_err(RestoreError::Mark)?.short();
    let journal = match records {
        Some(records) => Some(begin_journal(records, trunk, &plan, &mark)?),
        None => None,
    };
    let refused = std::mem::take(&mut plan.refused);
    let runner = Runner {
        trunk,
        whole_folders: WholeFolders::of(&plan),
        target: &plan.target,
        mark: &mark,
        journal: journal.as_ref(),
        owners: Mutex::default(),
        linked: Mutex::default(),
        conduct,
    };
    let mut report = RestoreReport {
        written: Tally::default(),
        identical: plan.identical,
        set_aside: Vec::new(),
        renamed: Vec::new(),
        refused,
        registry_values: 0,
        journal: journal.as_ref().map(|journal| journal.path().to_path_buf()),
    };
    for refused in &report.refused {
        runner.journal_refused(refused)?;
    }
    runner.note_folders(&plan)?;
    for folder in plan.folders.iter().filter(|folder| !runner.whole_folders.contain(&folder.at)) {
        runner.make_folder(folder)?;
        if let Some(to) = &folder.set_aside {
            report.set_aside.push((folder.at.clone(), to.clone()));
        }
    }
    flush_meanwhile(&plan.drives, || {
        let mut folders = Vec::new();
        take_steps(&runner, &plan, &mut report, |due| match due.entry.content {
            Content::File { .. } => true,
            Content::Folder => {
                if due.step.action == Action::FolderMade {
                    folders.push((due.at.clone(), Entry::clone(&due.entry)));
                }
                false
            }
            Content::Link { .. } => false,
        })?;
        // Links come last: no file of this restore can then be written through one.
        if plan.to_write.links + plan.identical.links > 0 {
            take_steps(&runner, &plan, &mut report, |due| matches!(due.entry.content, Content::Link { .. }))?;
        }
        if conduct.is_stopped() {
            return Err(RestoreError::Cancelled);
        }
        runner.edit(&plan, &mut report)?;
        set_registry(&plan, &|lines| runner.see_written(lines), &mut report)?;
        // The innermost first, because making a thing in a folder changes the folder's time.
        for (at, entry) in folders.iter().rev() {
            if let Ok(path) = plan.target.host_path(at) {
                host::set_folder_metadata(&path, entry);
                report.written += Tally::FOLDER;
            }
        }
        Ok(())
    })?;
    for drive in &plan.drives {
        host::flush(drive).map_err(|cause| RestoreError::Volume { path: drive.clone(), cause })?;
    }
    if let Some(journal) = &journal {
        journal.end(clock()).map_err(|cause| journal_failed(journal.path(), cause))?;
    }
    conduct.send(&Event::StageEnded { stage: Stage::Restore });
    Ok(report)
}

/// So many steps are written to the journal and seen onto the medium at once: one by one, the medium would be all that
/// is waited for. The first of them begin soon.
const FIRST_STRETCH: usize = 256;
const LONGEST_STRETCH: usize = 4096;

/// Takes those steps that are wanted.
fn take_steps(
    runner: &Runner<'_>,
    plan: &Plan,
    report: &mut RestoreReport,
    mut wanted: impl FnMut(&Due<'_>) -> bool + Send,
) -> Result<(), RestoreError> {
    let (trunk, conduct) = (runner.trunk, runner.conduct);
    let all_due = plan.due(trunk)?;
    let mut finding_failed = None;
    let mut failed = None;
    in_order(
        |hand_over| {
            let mut stretch = Vec::new();
            let mut most = FIRST_STRETCH;
            let find = || -> Result<(), RestoreError> {
                for due in all_due {
                    let due = due?;
                    if wanted(&due) {
                        stretch.push(due);
                    }
                    if stretch.len() >= most {
                        most = LONGEST_STRETCH;
                        if !runner.write_ahead(&mut stretch, hand_over)? {
                            return Ok(());
                        }
                    }
                }
                runner.write_ahead(&mut stretch, hand_over).map(drop)
            };
            finding_failed = find().err();
        },
        |lot| {
            let taken = runner.take_all(&lot);
            (lot, taken)
        },
        |(lot, taken)| {
            for (due, taken) in lot.dues.into_iter().zip(taken) {
                match taken {
                    Ok(()) => report.note_landed(&due, conduct),
                    Err(StepFailed::Refused(reason)) => {
                        let refused = refused_step(&due, reason);
                        if refused.needs_attention {
                            let (item, path) = (&due.entry.item, &due.at);
                            conduct.send(&Event::Trouble { item, path, code: "not-written" });
                        }
                        if let Err(cause) = runner.journal_refused(&refused) {
                            failed = Some(cause);
                            return false;
                        }
                        report.refused.push(refused);
                    }
                    Err(StepFailed::Ends(cause)) => {
                        failed = Some(cause);
                        return false;
                    }
                }
            }
            true
        },
    );
    match (failed, finding_failed) {
        (Some(cause), _) | (None, Some(cause)) => Err(cause),
        (None, None) if conduct.is_stopped() => Err(RestoreError::Cancelled),
        (None, None) => Ok(()),
    }
}

impl RestoreReport {
    fn note_landed(&mut self, due: &Due<'_>, conduct: Conduct<'_>) {
        if due.step.renamed {
            self.renamed.push((due.entry.address.path.clone(), due.at.clone()));
        }
        match due.step.action {
            Action::Identical | Action::FolderMade => return,
            Action::SetAside(_) => self.set_aside.extend(due.aside().map(|aside| (due.at.clone(), aside))),
            Action::Create | Action::Beside => {}
        }
        if let Content::File { size_in_bytes, .. } = due.entry.content {
            self.written += Tally::file(size_in_bytes);
            conduct.send(&Event::File { item: &due.entry.item, path: &due.at, size_in_bytes });
        } else {
            self.written += Tally::LINK;
        }
    }
}

fn refused_step(due: &Due<'_>, reason: Reason) -> Refused {
    Refused {
        item: Some(due.entry.item.clone()),
        key: Some(EntryKey::of(&due.entry.address)),
        path: due.entry.address.path.clone(),
        needs_attention: reason.needs_attention(),
        reason,
    }
}

fn begin_journal(
    records: &Path,
    trunk: &dyn Trunk,
    plan: &Plan,
    mark: &str,
) -> Result<Journal, RestoreError> {
    let first = JournalLine::Begin {
        format: FORMAT.to_owned(),
        trunk_id: trunk.label().trunk_id.clone(),
        from: trunk.label().machine.name.clone(),
        mark: mark.to_owned(),
        started_utc: plan.planned_utc,
        accounts: plan.accounts.clone(),
        items: plan.items.clone(),
    };
    Journal::begin(records, &first).map_err(|cause| journal_failed(records, cause))
}

fn journal_failed(path: &Path, cause: io::Error) -> RestoreError {
    RestoreError::Journal { path: path.to_path_buf(), cause }
}

/// What is about to be done for an entry, if anything is.
fn line_of(due: &Due<'_>) -> Option<JournalLine> {
    let entry = EntryKey::of(&due.entry.address);
    let at = PathField(due.at.clone());
    match due.step.action {
        Action::FolderMade => None,
        Action::Identical => match (&due.entry.content, due.step.renamed) {
            (Content::File { hash, .. }, false) if due.adapted.is_some() => {
                Some(JournalLine::FoundAdapted { entry, blake3: *hash })
            }
            (_, renamed) => renamed.then_some(JournalLine::FoundAs { entry, at }),
        },
        Action::Create | Action::SetAside(_) | Action::Beside => Some(JournalLine::Land {
            entry,
            at,
            aside: due.aside().map(PathField),
            renamed: due.step.renamed,
            kept_existing: due.step.action == Action::Beside,
            link: matches!(due.entry.content, Content::Link { .. }),
            adapted: due.adapted.is_some(),
            blake3: match &due.entry.content {
                Content::File { hash, .. } => Some(*hash),
                Content::Link { target } => Some(ContentHash::of(target)),
                Content::Folder => None,
            },
        }),
    }
}

enum StepFailed {
    Refused(Reason),
    Ends(RestoreError),
}

pub(super) struct Runner<'a> {
    pub(super) trunk: &'a dyn Trunk,
    whole_folders: WholeFolders<'a>,
    target: &'a HostTree,
    pub(super) mark: &'a str,
    journal: Option<&'a Journal>,
    /// Whose the things in a folder are to be: the folder's owner's.
    owners: Mutex<HashMap<PathBuf, Option<Owner>>>,
    /// Where files with several names landed, by their numbers in the trunk.
    linked: Mutex<HashMap<u64, (PathBuf, ContentHash)>>,
    pub(super) conduct: Conduct<'a>,
}

impl Runner<'_> {
    fn write_all(&self, lines: &[JournalLine]) -> Result<(), RestoreError> {
        match self.journal {
            Some(journal) if !lines.is_empty() => {
                journal.write(lines).map_err(|cause| journal_failed(journal.path(), cause))
            }
            _ => Ok(()),
        }
    }

    /// Writes lines and sees them onto the medium.
    fn see_written(&self, lines: &[JournalLine]) -> Result<(), RestoreError> {
        self.write_all(lines)?;
        match self.journal {
            Some(journal) if !lines.is_empty() => {
                journal.flush().map_err(|cause| journal_failed(journal.path(), cause))
            }
            _ => Ok(()),
        }
    }

    /// Writes some steps ahead, sees that onto the medium, and only then hands them over. Says whether more is wanted.
    fn write_ahead<'p>(
        &self,
        stretch: &mut Vec<Due<'p>>,
        hand_over: &mut dyn FnMut(Lot<'p>, u64) -> bool,
    ) -> Result<bool, RestoreError> {
        if let Some(journal) = self.journal {
            journal
                .write(stretch.iter().filter_map(line_of))
                .and_then(|()| journal.flush())
                .map_err(|cause| journal_failed(journal.path(), cause))?;
        }
        Ok(self.whole_folders.in_lots(self.trunk, stretch.drain(..), |lot| {
            let mut weight_in_bytes = 0_u64;
            for due in &lot.dues {
                self.trunk.will_read(&due.entry);
                let size_in_bytes = due.entry.size_in_bytes();
                let at_least = if lot.is_whole { BYTES_FOR_A_PIECE } else { 0 };
                weight_in_bytes = weight_in_bytes.saturating_add(size_in_bytes.max(at_least));
            }
            hand_over(lot, weight_in_bytes) && !self.conduct.is_stopped()
        }))
    }

    /// Writes ahead what happens to folders: those that change and those that are made. What a check has to know of
    /// those that stand for another comes with them.
    fn note_folders(&self, plan: &Plan) -> Result<(), RestoreError> {
        let Some(journal) = self.journal else { return Ok(()) };
        let mut lines: Vec<JournalLine> = plan
            .moves
            .iter()
            .cloned()
            .map(|Moved { item, from_place, from, to_place, to }| JournalLine::Moved {
                item,
                place: from_place,
                path: PathField(from),
                to_place,
                to: PathField(to),
            })
            .collect();
        for folder in plan.folders_that_change() {
            let modified = self
                .host_path(&folder)
                .ok()
                .and_then(|path| fs::symlink_metadata(path).ok()?.modified().ok());
            if let Some(modified) = modified {
                lines.push(JournalLine::FolderWas {
                    at: PathField(folder.clone()),
                    modified_utc: modified.into(),
                });
            }
        }
        for folder in &plan.folders {
            let at = || PathField(folder.at.clone());
            let aside = folder.set_aside.clone();
            lines.extend(aside.map(|to| JournalLine::SetAside { at: at(), to: PathField(to) }));
            lines.push(JournalLine::Folder { at: at() });
        }
        for folder in plan.renamed.iter().filter(|row| row.is_folder) {
            let at = PathField(folder.at.clone());
            lines.push(JournalLine::FoundAs { entry: folder.key.clone(), at });
        }
        self.write_all(&lines)?;
        journal.flush().map_err(|cause| journal_failed(journal.path(), cause))
    }

    /// Writes the files of the machine that get another content: what they were is set aside. One that cannot be written is told, and
    /// keeps what it has.
    fn edit(&self, plan: &Plan, report: &mut RestoreReport) -> Result<(), RestoreError> {
        let mut lines = Vec::new();
        for (at, to) in &plan.beside_edits {
            lines.push(JournalLine::SetAside { at: PathField(at.clone()), to: PathField(to.clone()) });
        }
        for (edit, aside) in &plan.edits {
            lines.push(JournalLine::Edit {
                item: edit.item.clone(),
                at: PathField(edit.at.clone()),
                aside: aside.clone().map(PathField),
                blake3: ContentHash::of(&edit.content),
            });
        }
        self.see_written(&lines)?;
        for (at, to) in &plan.beside_edits {
            if let (Ok(from), Ok(aside)) = (self.host_path(at), self.host_path(to))
                && host::rename_without_replacing(&from, &aside).is_ok()
            {
                report.set_aside.push((at.clone(), to.clone()));
            }
        }
        for (edit, aside) in &plan.edits {
            let written = (|| {
                let path = self.host_path(&edit.at).map_err(NotLanded::Refused)?;
                let aside =
                    aside.as_ref().map(|to| self.host_path(to)).transpose().map_err(NotLanded::Refused)?;
                let folder = path.parent().unwrap_or(&path).to_path_buf();
                let owner = self.owner_in(&folder);
                let home = Home::open(folder, owner)?;
                let place = Place { home: &home, target: &path, set_aside: aside.as_deref(), same_as: None };
                land_bytes(&edit.content, &place, self.mark)
            })();
            match written {
                Ok(()) => {
                    report.written += Tally::file(edit.content.len() as u64);
                    report.set_aside.extend(aside.clone().map(|to| (edit.at.clone(), to)));
                }
                Err(NotLanded::Refused(reason)) => report.refused.push(Refused {
                    item: Some(edit.item.clone()),
                    key: None,
                    path: edit.at.clone(),
                    reason,
                    needs_attention: true,
                }),
                Err(NotLanded::VolumeFailed(cause)) => {
                    let path = self.target.root().to_path_buf();
                    return Err(RestoreError::Volume { path, cause });
                }
            }
        }
        Ok(())
    }

    fn journal_refused(&self, refused: &Refused) -> Result<(), RestoreError> {
        match &refused.key {
            Some(key) => {
                self.write_all(&[JournalLine::Refused { entry: key.clone(), reason: refused.reason.clone() }])
            }
            None => Ok(()),
        }
    }

    pub(super) fn host_path(&self, path: &RelativePath) -> Result<PathBuf, Reason> {
        self.target.host_path(path).map_err(|cause| Reason::NotWritten { detail: cause.to_string() })
    }

    pub(super) fn owner_in(&self, folder: &Path) -> Option<Owner> {
        let mut owners = self.owners.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(owner) = owners.get(folder) {
            return *owner;
        }
        let owner = owner_like(folder);
        owners.insert(folder.to_path_buf(), owner);
        owner
    }

    /// A folder that cannot be made shows in each entry that should have gone into it.
    fn make_folder(&self, folder: &NewFolder) -> Result<(), RestoreError> {
        let Ok(path) = self.host_path(&folder.at) else { return Ok(()) };
        if let Some(to) = &folder.set_aside {
            let Ok(aside) = self.host_path(to) else { return Ok(()) };
            if host::rename_without_replacing(&path, &aside).is_err() {
                return Ok(());
            }
        }
        match self.make_owned(&path).map_err(not_written) {
            Err(NotLanded::VolumeFailed(cause)) => Err(RestoreError::Volume { path, cause }),
            Ok(()) | Err(NotLanded::Refused(_)) => Ok(()),
        }
    }

    fn make_owned(&self, path: &Path) -> io::Result<()> {
        fs::create_dir(path)?;
        host::set_folder_owner(path, path.parent().and_then(|above| self.owner_in(above)));
        Ok(())
    }

    /// Makes a folder that might have landed whole, unless another thread did.
    pub(super) fn make_awaited(&self, path: &Path) -> io::Result<()> {
        match self.make_owned(path) {
            Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => Ok(()),
            made => made,
        }
    }

    /// The folder that a step goes into. The threads of a run take most steps of one after the other, and end with it.
    fn home(&self, due: &Due<'_>) -> Result<Rc<Home>, NotLanded> {
        thread_local! {
            static LAST: RefCell<Option<(u32, Rc<Home>)>> = const { RefCell::new(None) };
        }
        LAST.with_borrow_mut(|last| match last {
            Some((number, home)) if *number == due.step.home => Ok(Rc::clone(home)),
            _ => {
                let folder = due.at.parent().unwrap_or_default();
                let path = self.host_path(&folder).map_err(NotLanded::Refused)?;
                let owner = if self.whole_folders.contain(&folder) {
                    self.make_awaited(&path).map_err(not_written)?;
                    // Another thread may be about to give it away.
                    path.parent().and_then(|above| self.owner_in(above))
                } else {
                    self.owner_in(&path)
                };
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

    fn failed(&self, due: &Due<'_>, failed: NotLanded) -> StepFailed {
        match failed {
            NotLanded::Refused(reason) => StepFailed::Refused(reason),
            NotLanded::VolumeFailed(cause) => {
                let path = self.host_path(&due.at).unwrap_or_default();
                StepFailed::Ends(RestoreError::Volume { path, cause })
            }
        }
    }

    /// Takes all steps of a lot, and says of each what became of it.
    fn take_all(&self, lot: &Lot<'_>) -> Vec<Result<(), StepFailed>> {
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

    fn take(&self, due: &Due<'_>) -> Result<(), StepFailed> {
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
            matches!(due.entry.content, Content::File { hash: ours, .. } if ours == *hash)
                .then_some(path.as_path())
        });
        let place = Place { home: &home, target: &path, set_aside: aside.as_deref(), same_as };
        land(self.trunk, &due.entry, due.adapted, &place, self.mark, self.conduct).map_err(sort)?;
        if let (Some((number, linked)), Content::File { hash, .. }) = (&mut linked, &due.entry.content) {
            linked.insert(*number, (path, *hash));
        }
        Ok(())
    }
}
