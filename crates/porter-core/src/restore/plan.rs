//! The fate of each entry, decided before anything is written.

use super::kept::Kept;
use super::landed_before::Recurring;
use crate::journal::EntryKey;
use foldhash::HashMap;
use foldhash::quality::FixedState;
use porter_kinds::changes::{Changes, Edit};
use porter_kinds::receipt::{Reason, Verdict};
use porter_names::RelativePath;
use porter_source::HostTree;
use porter_trunk::{
    Content, ContentHash, Damage, Entry, EntryRefused, SystemLabel, Tally, Trunk, TrunkError,
};
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::hash::BuildHasher;
use std::ops::Deref;
use std::path::PathBuf;
use time::OffsetDateTime;

/// A whole restore, not yet begun.
///
/// Only the decision about an entry is kept: a million of them fit into memory, and each entry is read from
/// the trunk again when its turn comes.
pub struct Plan {
    /// Everything is written below this.
    pub target: HostTree,
    /// When the plan was made; set-aside things are named by this date.
    pub planned_utc: OffsetDateTime,
    /// Facts about the restore as a whole.
    pub outline: Outline,
    /// Patterns that were asked for although the rules hold them back.
    pub land_held: Vec<String>,
    /// Folders to make, those above before those in them.
    pub folders: Vec<NewFolder>,
    /// Entries that land under another name than their own, in the trunk's order.
    pub renamed: Vec<Renamed>,
    /// Entries that will not land, and why.
    pub refused: Vec<Refused>,
    /// The files that will be written.
    pub to_write: Tally,
    /// The files that are already present, byte for byte.
    pub identical: Tally,
    /// The kinds' decisions, beside the files that are copied.
    pub changes: Changes,
    /// The free space on the volume of the machine's root.
    pub free_in_bytes: u64,
    /// True if a disk that spins is written to: one file at a time.
    pub spins: bool,
    /// The folders of all drives that something goes to.
    pub(super) drives: BTreeSet<PathBuf>,
    /// Whether the trunk's permissions mean anything on the machine.
    pub(super) keeps_modes: bool,
    /// Files that land with another content than the trunk's, by their rows.
    pub(super) adapted: HashMap<u32, Vec<u8>>,
    /// Files of the machine that get another content, and the dated name of what they are.
    pub(super) edits: Vec<(Edit, Option<RelativePath>)>,
    /// Files that stand beside them and belong to the old content, and their dated names.
    pub(super) beside_edits: Vec<(RelativePath, RelativePath)>,
    /// Entries, in the trunk's order.
    pub(super) steps: Vec<Step>,
    /// Those entries, if they are few.
    pub(super) kept: Kept,
    /// The contents that come several times.
    pub(super) recurring: Recurring,
    /// The folders that steps go into, below the root.
    pub(super) homes: Vec<RelativePath>,
}

/// Facts about a restore as a whole.
#[derive(Debug, Clone, Default)]
pub struct Outline {
    /// Which account of the trunk goes into which of the machine, by id.
    pub accounts: BTreeMap<String, String>,
    /// The same accounts by the names that people know: the trunk's, and the machine's.
    pub account_names: Vec<(String, String)>,
    /// The chosen items.
    pub items: BTreeSet<String>,
    /// Where each of them goes, in the trunk's order.
    pub destinations: Vec<ItemPlan>,
    /// True if the trunk seems to have been captured from this very machine.
    pub same_machine: bool,
    /// The old machine's system and the new one's, if the new one's is an earlier version of it: programs may
    /// not understand what later ones wrote.
    pub older_system: Option<(SystemLabel, SystemLabel)>,
}

/// The fate of one item.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ItemPlan {
    /// Its id.
    pub id: String,
    /// Where its parts go, below the root.
    pub to: Vec<RelativePath>,
    /// Its files that will be written.
    pub to_write: Tally,
    /// How many values of its owner's registry will be set.
    pub registry_values: u64,
}

/// A folder to make.
#[derive(Debug, Clone)]
pub struct NewFolder {
    /// Below the root.
    pub at: RelativePath,
    /// The dated name for the file that stands there.
    pub set_aside: Option<RelativePath>,
}

/// An entry that lands under another name than its own.
#[derive(Debug, Clone)]
pub struct Renamed {
    /// Which.
    pub key: EntryKey,
    /// True for a folder: it stands for all that is in it.
    pub is_folder: bool,
    /// Where it goes, below the root.
    pub at: RelativePath,
    pub(super) number: u32,
}

/// The fate of one entry.
#[derive(Debug)]
pub struct Step {
    /// Which row of the trunk's list it is, counted from zero.
    pub(super) number: u32,
    /// Part of a hash of its address: another list than the one that was planned by is noticed.
    pub(super) mark: u32,
    /// Which of the plan's homes it goes into.
    pub(super) home: u32,
    /// The name it gets; none if it is its own.
    pub(super) name: Option<Box<[u8]>>,
    /// True if that is another than its own, and not only another spelling.
    pub renamed: bool,
    /// The action.
    pub action: Action,
}

/// The action on an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Action {
    /// It is new.
    Create,
    /// The present file gets this dated name, and the entry its own.
    SetAside(Box<[u8]>),
    /// The present file stays, and the entry gets a dated name beside it.
    Beside,
    /// It is there already.
    Identical,
    /// A folder of this restore: its times are set at the end.
    FolderMade,
}

/// A step whose turn has come.
#[derive(Debug)]
pub struct Due<'p> {
    /// The decision.
    pub step: &'p Step,
    /// Its entry.
    pub entry: DueEntry<'p>,
    /// Where it goes, below the root.
    pub at: RelativePath,
    /// Its content, where it is not the trunk's.
    pub(super) adapted: Option<&'p [u8]>,
}

/// An entry whose turn has come. It is handed from thread to thread, so it is kept short.
#[derive(Debug)]
pub enum DueEntry<'p> {
    /// The plan kept it.
    Kept(&'p Entry),
    /// It was read again.
    Read(Box<Entry>),
}

impl Deref for DueEntry<'_> {
    type Target = Entry;
    fn deref(&self) -> &Entry {
        match self {
            Self::Kept(entry) => entry,
            Self::Read(entry) => entry,
        }
    }
}

impl DueEntry<'_> {
    /// With another content, or without permissions: a copy of what the plan kept.
    fn changed(self, change: impl FnOnce(&mut Entry)) -> Self {
        let mut entry = match self {
            Self::Kept(entry) => Box::new(entry.clone()),
            Self::Read(entry) => entry,
        };
        change(&mut entry);
        Self::Read(entry)
    }
}

/// The content as an entry describes it.
pub(super) fn content_of(content: &[u8]) -> Content {
    Content::File { size_in_bytes: content.len() as u64, hash: ContentHash::of(content) }
}

/// An entry that will not land.
#[derive(Debug, Clone)]
pub struct Refused {
    /// Its item, if known.
    pub item: Option<String>,
    /// Which entry; none if its line in the trunk cannot be used.
    pub key: Option<EntryKey>,
    /// Its path below its place.
    pub path: RelativePath,
    /// Why.
    pub reason: Reason,
    /// False if that is as it should be.
    pub needs_attention: bool,
}

impl Plan {
    /// The files that are set aside, with their dated names.
    pub fn set_aside(&self) -> impl Iterator<Item = (RelativePath, RelativePath)> {
        let by_folders = self.folders.iter().filter_map(|f| Some((f.at.clone(), f.set_aside.clone()?)));
        let by_steps = self.steps.iter().filter_map(|step| {
            let Action::SetAside(aside) = &step.action else { return None };
            let home = self.homes.get(step.home as usize)?;
            Some((home.join(step.name.as_ref()?).ok()?, home.join(aside).ok()?))
        });
        let by_edits = self.edits.iter().filter_map(|(edit, aside)| Some((edit.at.clone(), aside.clone()?)));
        by_folders.chain(by_steps).chain(by_edits).chain(self.beside_edits.iter().cloned())
    }

    /// The folders that are there and will have something made or renamed in them.
    pub(super) fn folders_that_change(&self) -> BTreeSet<RelativePath> {
        let is_new: HashSet<&RelativePath> = self.folders.iter().map(|folder| &folder.at).collect();
        let above = self.folders.iter().filter_map(|folder| folder.at.parent());
        let is_written = |step: &&Step| !matches!(step.action, Action::Identical | Action::FolderMade);
        let written: BTreeSet<u32> = self.steps.iter().filter(is_written).map(|step| step.home).collect();
        let homes = written.iter().filter_map(|home| self.homes.get(*home as usize).cloned());
        let edited = self.edits.iter().filter_map(|(edit, _)| edit.at.parent());
        above.chain(homes).chain(edited).filter(|folder| !is_new.contains(folder)).collect()
    }

    /// All steps with their entries, in the trunk's order. An error ends it: the trunk's list is not the one
    /// that was planned by.
    pub fn due<'p>(
        &'p self,
        trunk: &'p dyn Trunk,
    ) -> Result<impl Iterator<Item = Result<Due<'p>, TrunkError>> + Send + 'p, TrunkError> {
        type Numbered<'p> = (u32, Result<DueEntry<'p>, EntryRefused>);
        let read =
            |entry: Result<Entry, EntryRefused>| entry.map(|entry| DueEntry::Read(Box::new(entry.to_land())));
        let mut rows: Box<dyn Iterator<Item = Numbered<'p>> + Send> = match self.kept.all() {
            Some(kept) => Box::new(kept.map(|(number, entry)| (*number, Ok(DueEntry::Kept(entry))))),
            None => Box::new((0..).zip(trunk.entries()?.map(read))),
        };
        Ok(self.steps.iter().map(move |step| {
            let row = rows.find(|(number, _)| *number == step.number);
            match row {
                Some((_, Ok(mut entry))) if mark_of(&entry) == step.mark => {
                    // The kept ones have none then: the struct is not a copy of each.
                    if entry.unix_mode.is_some() && !self.keeps_modes {
                        entry = entry.changed(|entry| entry.unix_mode = None);
                    }
                    let adapted = self.adapted.get(&step.number).map(Vec::as_slice);
                    if let Some(content) = adapted {
                        entry = entry.changed(|entry| entry.content = content_of(content));
                    }
                    let at = self.place_of(step, &entry).ok_or_else(list_changed)?;
                    Ok(Due { step, entry, at, adapted })
                }
                _ => Err(list_changed()),
            }
        }))
    }

    fn place_of(&self, step: &Step, entry: &Entry) -> Option<RelativePath> {
        let home = self.homes.get(step.home as usize)?;
        match &step.name {
            Some(name) => home.join(name).ok(),
            None => home.join(entry.address.path.name()?).ok(),
        }
    }
}

impl Due<'_> {
    /// The name beside it for what is there now, below the root.
    pub fn aside(&self) -> Option<RelativePath> {
        let Action::SetAside(name) = &self.step.action else { return None };
        self.at.parent().unwrap_or_default().join(name).ok()
    }
}

/// True if `new` is an earlier version of the system `old`. Linux distributions number themselves each in its
/// own way.
pub(super) fn is_older(new: &SystemLabel, old: &SystemLabel) -> bool {
    let numbers = |system: &SystemLabel| -> Option<Vec<u64>> {
        system.version.as_ref()?.split('.').map(|number| number.parse().ok()).collect()
    };
    let is_comparable = new.family == old.family && new.family != "linux";
    match (numbers(new), numbers(old)) {
        (Some(new), Some(old)) => is_comparable && new < old,
        _ => false,
    }
}

/// Identifies an entry well enough to notice that a list was exchanged.
#[expect(clippy::cast_possible_truncation, reason = "half of the hash is enough")]
pub(super) fn mark_of(entry: &Entry) -> u32 {
    let address = &entry.address;
    let path = address.path.as_bytes();
    FixedState::default().hash_one((&entry.item, &address.owner, &address.place, path)) as u32
}

fn list_changed() -> TrunkError {
    TrunkError::Damaged(Damage::ContentChanged("the list of entries".to_owned()))
}

/// How a refusal counts on a receipt.
impl Refused {
    /// See [`Verdict`].
    pub fn verdict(&self) -> Verdict {
        self.reason.verdict()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_earlier_version_of_the_same_system_is_told() {
        let system = |family: &str, version: &str| SystemLabel {
            family: family.to_owned(),
            product: String::new(),
            version: Some(version.to_owned()).filter(|version| !version.is_empty()),
            processor: None,
        };
        for (new, old, expected) in [
            (system("windows", "6.1.7601"), system("windows", "10.0.26100"), true),
            (system("windows", "10.0.26100"), system("windows", "6.1.7601"), false),
            (system("windows", "10.0.19045"), system("windows", "10.0.26100"), true),
            (system("macos", "10.9"), system("macos", "10.10.5"), true),
            (system("linux", "11"), system("linux", "24.04"), false),
            (system("macos", "10.9"), system("windows", "11.0"), false),
            (system("windows", ""), system("windows", "10.0"), false),
        ] {
            assert_eq!(is_older(&new, &old), expected, "{new:?} {old:?}");
        }
    }
}
