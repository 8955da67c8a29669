//! The steps of a restore, undone from the last to the first.

use super::UndoError;
use super::standing::require_undoable;
use crate::events::{Conduct, Event, Stage, Stoppable};
use crate::host;
use crate::in_order::{in_order, workers};
use crate::journal::backwards::Backwards;
use crate::journal::hash_of;
use crate::journal::records::{Records, refuse_strangers};
use crate::journal::{EntryKey, JournalLine};
use crate::journal::{Run, sweep};
use porter_formats::mork;
use porter_kinds::catalogue::Catalogue;
use porter_kinds::crossing::landing_places::LandingPlaces;
use porter_machine::Machine;
use porter_machine::control::{Control, Done, shown_as_path};
use porter_machine::controls;
use porter_names::host::name_from_host;
use porter_names::{Facts, RelativePath};
use porter_source::{HostTree, Reached};
use porter_trunk::{ContentHash, Tally};
use std::collections::{HashMap, HashSet};
use std::fs;
use std::io::{self, Read};
use std::path::Path;
use time::OffsetDateTime;

/// The outcome of an undo.
#[derive(Debug, Default)]
pub struct UndoReport {
    /// Removed entries: files and links that had landed, and folders that had been made.
    pub removed: Tally,
    /// How many things got back the name that they had.
    pub put_back: u64,
    /// Entries that stayed.
    pub kept: Vec<Kept>,
    /// Lines of the journal that cannot be understood: their files stayed too, and nobody knows where.
    pub unreadable_lines: u64,
}

impl UndoReport {
    /// True if a person should look at something.
    pub fn needs_attention(&self) -> bool {
        !self.kept.is_empty() || self.unreadable_lines > 0
    }
}

/// Something that stayed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kept {
    /// Below the machine's root.
    pub at: RelativePath,
    /// Why.
    pub why: WhyKept,
}

/// Why something stayed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WhyKept {
    /// It is not what was restored: somebody has worked on it, or put something else there.
    Changed,
    /// Something that was not restored is in the folder.
    NotEmpty,
    /// The original that had been set aside under this name no longer exists.
    OriginalGone(RelativePath),
    /// Nothing is restored there, so the journal was not written by porter, or not by porter alone.
    NoLandingPlace(String),
    /// The system does not let it be read, removed or renamed.
    NotDone(String),
}

/// The present state of a path, against the file that was restored there.
#[derive(Debug, PartialEq, Eq)]
enum There {
    Nothing,
    AsRestored(u64),
    Other,
    Unreadable(String),
}

/// A line of the journal; for a landing, with the present state of its path.
struct Seen {
    /// None if it cannot be understood.
    line: Option<JournalLine>,
    there: There,
}

/// Takes a restore back. With `try_only` nothing is changed, and folders are counted as if they became empty.
pub fn take_back(
    run: &Run,
    target: &HostTree,
    grounds: &UndoGrounds<'_>,
    try_only: bool,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<UndoReport, UndoError> {
    require_undoable(run)?;
    let journal_failed = |cause| UndoError::Journal { path: run.journal.clone(), cause };
    conduct.send(&Event::StageBegan { stage: Stage::Undo, expected: Tally::default() });
    let records = run.journal.parent().unwrap_or(&run.journal);
    let _records = if try_only {
        refuse_strangers(records, target.root())?;
        None
    } else {
        Some(Records::take(records, target.root())?)
    };
    if !try_only {
        sweep(run, target).map_err(journal_failed)?;
    }
    let mut undoing = Undoing {
        target,
        grounds,
        conduct,
        touched: HashSet::new(),
        changed: HashSet::new(),
        try_only,
        refused: HashSet::new(),
        done: Done::default(),
        straight: HashMap::new(),
        report: UndoReport::default(),
    };
    let lines = Backwards::open(&run.journal).map_err(journal_failed)?;
    let (mut reading_failed, mut failed) = (None, None);
    in_order(
        workers(),
        |hand_over| {
            for line in lines {
                let line = match line {
                    Ok(line) => serde_json::from_slice::<JournalLine>(&line).ok(),
                    Err(cause) => {
                        reading_failed = Some(cause);
                        return;
                    }
                };
                if conduct.is_stopped() || !hand_over(line, 0) {
                    return;
                }
            }
        },
        |line| {
            let there = match &line {
                Some(JournalLine::Land { at, link, blake3, .. }) => {
                    what_is_at(target, &at.0, *link, *blake3, conduct)
                }
                Some(JournalLine::Edit { at, blake3, .. }) => {
                    what_is_at(target, &at.0, false, Some(*blake3), conduct)
                }
                _ => There::Nothing,
            };
            Seen { line, there }
        },
        |seen| match undoing.undo(seen) {
            Ok(()) => !conduct.is_stopped(),
            Err(cause) => {
                failed = Some(cause);
                false
            }
        },
    );
    if let Some(cause) = failed {
        return Err(cause);
    }
    if let Some(cause) = reading_failed {
        return Err(journal_failed(cause));
    }
    if conduct.is_stopped() {
        return Err(UndoError::Cancelled);
    }
    undoing.done.tell();
    let report = undoing.report;
    if !try_only {
        host::flush(target.root())
            .map_err(|cause| UndoError::Volume { path: target.root().to_path_buf(), cause })?;
        let kept = report.kept.len() as u64 + report.unreadable_lines;
        run.note_undone(clock(), kept).map_err(journal_failed)?;
    }
    conduct.send(&Event::StageEnded { stage: Stage::Undo });
    Ok(report)
}

fn what_is_at(
    target: &HostTree,
    at: &RelativePath,
    is_link: bool,
    blake3: Option<ContentHash>,
    conduct: Conduct<'_>,
) -> There {
    let path = match target.reach(at) {
        Ok(path) => path,
        Err(cause) if is_not_there(&cause) => return There::Nothing,
        // Somebody made a link of a folder above it: what is behind that is not what was restored.
        Err(_) => return There::Other,
    };
    let found = match fs::symlink_metadata(&path) {
        Ok(found) => found,
        Err(cause) if is_not_there(&cause) => return There::Nothing,
        Err(cause) => return There::Unreadable(cause.to_string()),
    };
    // A pipe, opened to see what is in it, would keep us waiting for ever.
    let is_of_that_kind = if is_link { found.is_symlink() } else { found.is_file() };
    if !is_of_that_kind {
        return There::Other;
    }
    let hash = if is_link {
        fs::read_link(&path).map(|to| ContentHash::of(&name_from_host(to.as_os_str())))
    } else {
        conduct.send(&Event::Bytes { size_in_bytes: found.len() });
        // A pipe or a link may have been exchanged for it just now.
        host::open_to_read(&path)
            .and_then(|mut file| ContentHash::of_reader(&mut Stoppable { content: &mut file, conduct }))
    };
    match hash {
        Ok(hash) if Some(hash) == blake3 => There::AsRestored(if is_link { 0 } else { found.len() }),
        Ok(_) => There::Other,
        Err(cause) => There::Unreadable(cause.to_string()),
    }
}

fn is_not_there(cause: &io::Error) -> bool {
    matches!(cause.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory)
}

/// The parts of a machine that a journal may act on.
pub struct UndoGrounds<'a> {
    /// Where things are restored to.
    pub places: LandingPlaces<'a>,
    /// The rules, which name the keys of registries.
    pub catalogue: &'a Catalogue,
    /// Its controls.
    pub machine: &'a Machine,
}

impl<'a> UndoGrounds<'a> {
    /// Those of a machine.
    pub fn new(machine: &'a Machine, catalogue: &'a Catalogue) -> Self {
        Self { places: LandingPlaces::new(machine, catalogue), catalogue, machine }
    }

    /// True for a key that a rule or a setting names, or that leads to one.
    fn names_key(&self, key: &str, name: Option<&str>) -> bool {
        if porter_machine::setting::windows::list::names(key, name) {
            return true;
        }
        let above = format!("{}\\", key.to_lowercase());
        let mut parts = self.catalogue.rules.iter().flat_map(|rule| &rule.registry);
        parts.any(|part| part.has(key) || part.key.to_lowercase().starts_with(&above))
    }
}

struct Undoing<'a> {
    target: &'a HostTree,
    grounds: &'a UndoGrounds<'a>,
    conduct: Conduct<'a>,
    /// Hashes of the paths that this undo has changed: a restore that was cut off may have written them down
    /// twice.
    touched: HashSet<u64>,
    /// Hashes of the paths at which something else is than was restored.
    changed: HashSet<u64>,
    try_only: bool,
    /// Entries that did not land though their step was written down.
    refused: HashSet<EntryKey>,
    /// The controls that were put back.
    done: Done,
    /// Which folders are reached without going through a link.
    straight: HashMap<RelativePath, bool>,
    report: UndoReport,
}

impl Undoing<'_> {
    fn undo(&mut self, Seen { line, there }: Seen) -> Result<(), UndoError> {
        let Some(line) = line else {
            self.report.unreadable_lines += 1;
            return Ok(());
        };
        match line.of_today() {
            JournalLine::Refused { entry, .. } => {
                self.refused.insert(entry);
                Ok(())
            }
            // Steps from before were already listed by the run that this one continued.
            JournalLine::GoOn { .. } => {
                self.refused.clear();
                Ok(())
            }
            JournalLine::Land { entry, at, aside, link, blake3, .. } => {
                let aside = aside.map(|aside| aside.0);
                if self.refused.contains(&entry) || !self.may_be(&at.0, aside.as_ref()) {
                    return Ok(());
                }
                let there = self.as_it_is_now(&at.0, link, blake3, there);
                self.undo_landing(&at.0, aside, link, there)
            }
            JournalLine::Edit { at, aside, blake3, .. } => {
                let aside = aside.map(|aside| aside.0);
                if !self.may_be(&at.0, aside.as_ref()) {
                    return Ok(());
                }
                let there = self.as_it_is_now(&at.0, false, Some(blake3), there);
                if matches!(there, There::AsRestored(_)) {
                    self.remove_index(&at.0)?;
                }
                self.undo_landing(&at.0, aside, false, there)
            }
            // A place is made with the folders above it.
            JournalLine::Folder { at } if self.leads_to_a_place(&at.0) || self.may_be(&at.0, None) => {
                self.remove_folder(&at.0)
            }
            JournalLine::SetAside { at, to } if self.may_be(&at.0, Some(&to.0)) => {
                self.put_back(&to.0, &at.0)
            }
            JournalLine::Folder { .. } | JournalLine::SetAside { .. } => Ok(()),
            JournalLine::FolderWas { at, modified_utc } => {
                if !self.try_only
                    && self.leads_to_a_place(&at.0)
                    && let Ok(path) = self.target.reach_folder(&at.0)
                {
                    // The folder may be gone since.
                    let _ = host::set_folder_time(&path, modified_utc.into());
                }
                Ok(())
            }
            JournalLine::Set { control, owner, was, becomes, .. } => {
                self.undo_set(&control, &owner, was.as_ref(), &becomes);
                Ok(())
            }
            // Read as the line of today.
            JournalLine::RegistryValue { .. } | JournalLine::RegistryKey { .. } => Ok(()),
            JournalLine::Begin { .. }
            | JournalLine::RegistryKept { .. }
            | JournalLine::Moved { .. }
            | JournalLine::Bring { .. }
            | JournalLine::Letters { .. }
            | JournalLine::FoundAs { .. }
            | JournalLine::FoundAdapted { .. }
            | JournalLine::End { .. } => Ok(()),
        }
    }

    /// True if a restore may have been at a path. A file that it set aside got another name in the same
    /// folder.
    fn may_be(&mut self, at: &RelativePath, aside: Option<&RelativePath>) -> bool {
        let refused = self.grounds.places.refuse(at).err().map(|why| why.to_string());
        let is_beside = aside.is_none_or(|aside| aside.parent() == at.parent());
        let why = refused.or((!is_beside).then(|| "it would come from another folder".to_owned()));
        let Some(why) = why else { return true };
        self.keep(at, WhyKept::NoLandingPlace(why));
        false
    }

    fn leads_to_a_place(&self, folder: &RelativePath) -> bool {
        self.grounds.places.leads_to_one(folder)
    }

    /// The present state of a path, if this undo has changed something since it was looked at.
    fn as_it_is_now(
        &self,
        at: &RelativePath,
        is_link: bool,
        blake3: Option<ContentHash>,
        there: There,
    ) -> There {
        match self.touched.contains(&hash_of(at)) {
            false => there,
            true if self.try_only => There::Nothing,
            true => what_is_at(self.target, at, is_link, blake3, self.conduct),
        }
    }

    /// None for what lies behind a link.
    fn reach(&self, at: &RelativePath) -> Option<Reached> {
        self.target.reach(at).ok()
    }

    /// True if a folder, and all above it, are folders: behind a link that somebody made since is another
    /// place. Recurs no deeper than paths have steps.
    fn is_straight(&mut self, folder: &RelativePath) -> bool {
        if let Some(known) = self.straight.get(folder) {
            return *known;
        }
        let is_folder = self
            .reach(folder)
            .is_some_and(|path| fs::symlink_metadata(path).is_ok_and(|found| found.is_dir()));
        let straight = match folder.parent() {
            Some(above) => is_folder && self.is_straight(&above),
            None => is_folder,
        };
        self.straight.insert(folder.clone(), straight);
        straight
    }

    fn keep(&mut self, at: &RelativePath, why: WhyKept) {
        self.report.kept.push(Kept { at: at.clone(), why });
    }

    fn undo_landing(
        &mut self,
        at: &RelativePath,
        aside: Option<RelativePath>,
        is_link: bool,
        there: There,
    ) -> Result<(), UndoError> {
        if !self.is_straight(&at.parent().unwrap_or_default()) {
            if there != There::Nothing {
                self.keep(at, WhyKept::Changed);
            }
            return Ok(());
        }
        let original = aside.as_ref().and_then(|aside| self.reach(aside));
        let original_is_there = original.is_some_and(|path| fs::symlink_metadata(path).is_ok());
        match (there, aside) {
            (There::AsRestored(_), Some(aside)) if !original_is_there => {
                self.keep(at, WhyKept::OriginalGone(aside));
            }
            (There::AsRestored(size_in_bytes), aside) => {
                let tally = if is_link { Tally::LINK } else { Tally::file(size_in_bytes) };
                if self.remove(at, tally)?
                    && let Some(aside) = aside
                {
                    self.put_back(&aside, at)?;
                }
            }
            (There::Nothing, Some(aside)) => self.put_back(&aside, at)?,
            // The step was written down, and never taken: what is there is what was there.
            (There::Other, Some(_)) if !original_is_there => self.is_the_original(at),
            (There::Other, _) => {
                self.changed.insert(hash_of(at));
                self.keep(at, WhyKept::Changed);
            }
            (There::Unreadable(detail), _) => self.keep(at, WhyKept::NotDone(detail)),
            (There::Nothing, None) => {}
        }
        Ok(())
    }

    /// Removes the index that a mail program has made of a mailbox since: it says nothing without it.
    fn remove_index(&mut self, mailbox: &RelativePath) -> Result<(), UndoError> {
        let name = [mailbox.name().unwrap_or_default(), b".msf"].concat();
        let index = mailbox.parent().and_then(|folder| folder.join(&name).ok());
        let Some((index, path)) = index.and_then(|at| self.reach(&at).map(|path| (at, path))) else {
            return Ok(());
        };
        let mut beginning = [0; mork::BEGIN.len()];
        let read = host::open_to_read(&path).and_then(|mut file| file.read_exact(&mut beginning));
        if read.is_ok() && beginning == *mork::BEGIN {
            self.remove(&index, Tally::default())?;
        }
        Ok(())
    }

    /// A later line of a restore that went on takes what an undo has put back already for something that was
    /// worked on.
    fn is_the_original(&mut self, at: &RelativePath) {
        if self.changed.remove(&hash_of(at)) {
            self.report.kept.retain(|kept| kept.at != *at || !matches!(kept.why, WhyKept::Changed));
        }
    }

    /// False if it stayed.
    fn remove(&mut self, at: &RelativePath, tally: Tally) -> Result<bool, UndoError> {
        let Some(path) = self.reach(at) else { return Ok(false) };
        if !self.try_only
            && let Err(cause) = host::remove_file(&path)
        {
            self.not_done(at, &path, cause)?;
            return Ok(false);
        }
        self.touched.insert(hash_of(at));
        self.report.removed += tally;
        Ok(true)
    }

    fn remove_folder(&mut self, at: &RelativePath) -> Result<(), UndoError> {
        // A link may stand there, which is not our work.
        if !self.is_straight(at) {
            return Ok(());
        }
        if self.try_only && !self.touched.insert(hash_of(at)) {
            return Ok(());
        }
        let Some(path) = self.reach(at) else { return Ok(()) };
        let removed =
            if self.try_only { fs::symlink_metadata(&path).map(|_| ()) } else { fs::remove_dir(&path) };
        match removed {
            Ok(()) => self.report.removed += Tally::FOLDER,
            Err(cause) if is_not_there(&cause) => {}
            Err(cause) if cause.kind() == io::ErrorKind::DirectoryNotEmpty => {
                self.keep(at, WhyKept::NotEmpty);
            }
            Err(cause) => self.not_done(at, &path, cause)?,
        }
        Ok(())
    }

    /// Gives a file that was set aside its name again, unless something else has that now.
    fn put_back(&mut self, aside: &RelativePath, at: &RelativePath) -> Result<(), UndoError> {
        if !self.is_straight(&at.parent().unwrap_or_default()) {
            return Ok(());
        }
        if self.try_only && !self.touched.insert(hash_of(aside)) {
            return Ok(());
        }
        let (Some(from), Some(to)) = (self.reach(aside), self.reach(at)) else { return Ok(()) };
        let renamed = if self.try_only {
            fs::symlink_metadata(&from).map(|_| ())
        } else {
            host::rename_without_replacing(&from, &to)
        };
        match renamed {
            Ok(()) => {
                self.touched.insert(hash_of(at));
                self.report.put_back += 1;
            }
            Err(cause) if is_not_there(&cause) => {}
            Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => self.keep(at, WhyKept::Changed),
            Err(cause) => self.not_done(at, &from, cause)?,
        }
        Ok(())
    }

    /// Gives a control its value before again, if it still has its value after.
    fn undo_set(&mut self, name: &str, owner: &str, was: Option<&Facts>, becomes: &Facts) {
        let here = controls::named(self.grounds.machine.controls, name);
        let Some(control) = here.or_else(|| controls::named(controls::BUILT_IN, name)) else {
            self.report.unreadable_lines += 1;
            return;
        };
        let shown = shown_as_path(control, owner, becomes);
        let name = becomes.get("name").map(String::as_str);
        if control.registry_key(becomes).is_some_and(|key| !self.grounds.names_key(key, name)) {
            return self.keep(&shown, WhyKept::NoLandingPlace("no rule names this key".to_owned()));
        }
        if here.is_none() {
            let why = "only the running system can set it: undo there".to_owned();
            return self.keep(&shown, WhyKept::NotDone(why));
        }
        match put_back(control, owner, was, becomes, self.try_only) {
            Ok(true) => {
                self.report.put_back += u64::from(!control.is_container());
                if !self.try_only {
                    self.done.note(control, owner, becomes);
                }
            }
            Ok(false) => {}
            Err(why) => self.keep(&shown, why),
        }
    }

    fn not_done(&mut self, at: &RelativePath, path: &Path, cause: io::Error) -> Result<(), UndoError> {
        match cause.kind() {
            io::ErrorKind::ReadOnlyFilesystem | io::ErrorKind::StorageFull => {
                Err(UndoError::Volume { path: path.to_path_buf(), cause })
            }
            _ => {
                self.keep(at, WhyKept::NotDone(cause.to_string()));
                Ok(())
            }
        }
    }
}

/// True if something was put back, or is to be; false if there is nothing to do.
fn put_back(
    control: &dyn Control,
    owner: &str,
    was: Option<&Facts>,
    becomes: &Facts,
    try_only: bool,
) -> Result<bool, WhyKept> {
    let not_done = |cause: io::Error| match cause.kind() {
        io::ErrorKind::DirectoryNotEmpty => WhyKept::NotEmpty,
        _ => WhyKept::NotDone(cause.to_string()),
    };
    let now = control.read(owner, becomes).map_err(not_done)?;
    let is = |state: Option<&Facts>| match (&now, state) {
        (Some(now), Some(state)) => control.is_same(now, state),
        (now, state) => now.is_none() && state.is_none(),
    };
    if is(was) {
        return Ok(false);
    }
    if !is(Some(becomes)) {
        return Err(WhyKept::Changed);
    }
    if !try_only {
        match was {
            Some(was) => control.set(owner, was),
            None => control.remove(owner, becomes),
        }
        .map_err(not_done)?;
    }
    Ok(true)
}
