//! Making a plan: each entry of the trunk against what is there.

mod edits;
mod folders;

use super::RestoreError;
use super::kept::Kept;
use super::landed_before::Contents;
use super::plan::{Action, NewFolder, Outline, Plan, Refused, Renamed, Step, mark_of};
use super::target::{Destination, TargetTree};
use crate::ahead::ahead;
use crate::events::{Conduct, Event, Stage, Stoppable};
use crate::in_order::{in_order, workers};
use crate::journal::EntryKey;
use crate::journal::History;
use crate::proof::{Listed, refused_entry};
use foldhash::HashMap;
use porter_kinds::changes::{AdaptWith, Changes, Edit};
use porter_kinds::choice::LandHeld;
use porter_kinds::crossing::links::leads_out;
use porter_kinds::crossing::relocate::Relocation;
use porter_kinds::existing::{Decide, Different, Side};
use porter_kinds::receipt::Reason;
use porter_names::{NameRules, RelativePath, fold, screen::on_screen};
use porter_source::spinning::is_spinning;
use porter_source::{EntryKind, HostTree};
use porter_trunk::{Content, ContentHash, Entry, EntryRefused, Tally, Trunk, free_space_in_bytes};
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use time::OffsetDateTime;

type FolderKey = (Option<String>, String);

/// Where an entry belongs: the folder of its place, and its path below that.
pub(super) struct Spot {
    pub(super) place: String,
    pub(super) base: RelativePath,
    pub(super) path: RelativePath,
}

/// The folder that was asked for last: what is in one folder comes together.
struct LastFolder {
    key: FolderKey,
    below: RelativePath,
    at: RelativePath,
}

/// Returns that for an entry and the part of its path that is taken.
pub(super) type ToSpot<'a> = dyn Fn(&Entry, &RelativePath) -> Result<Spot, Reason> + Sync + 'a;

/// The part of one item that is taken out of the trunk.
pub(super) struct Taken<'a> {
    pub(super) below: RelativePath,
    /// So much of its path is left out.
    pub(super) cut: RelativePath,
    /// True for a path that is wanted.
    pub(super) wanted: &'a (dyn Fn(&RelativePath) -> bool + Sync),
}

pub(super) struct Planner<'a> {
    tree: TargetTree,
    now_utc: OffsetDateTime,
    history: &'a History,
    /// Where the folders of the trunk go: by place, and below it.
    folders: HashMap<FolderKey, HashMap<RelativePath, Result<RelativePath, Reason>>>,
    /// Folders by what counts as one name in one folder, with the item that came first.
    shared: HashMap<(RelativePath, Vec<u8>), (RelativePath, String)>,
    pub(super) taken: Option<Taken<'a>>,
    /// Patterns of entries that land although the rules hold them back, if any were asked for.
    pub(super) land_held: Option<&'a LandHeld>,
    /// Knows the folders that only the old system needs.
    pub(super) relocation: Option<&'a Relocation>,
    /// Whether the trunk's permissions mean anything on the machine.
    pub(super) keeps_modes: bool,
    new_folders: Vec<NewFolder>,
    steps: Vec<Step>,
    kept: Kept,
    contents: Contents,
    pub(super) changes: Changes,
    adapts: HashMap<EntryKey, AdaptWith>,
    adapted: HashMap<u32, Vec<u8>>,
    edits: Vec<(Edit, Option<RelativePath>)>,
    beside_edits: Vec<(RelativePath, RelativePath)>,
    homes: Vec<RelativePath>,
    home_numbers: HashMap<RelativePath, u32>,
    last_home: u32,
    last_folder: Option<LastFolder>,
    renamed: Vec<Renamed>,
    refused: Vec<Refused>,
    to_write: Tally,
    pub(super) to_write_by_item: HashMap<String, Tally>,
    identical: Tally,
    /// Bytes to be written, by the folder of the drive.
    needed_on: BTreeMap<PathBuf, u64>,
}

/// Something of the same kind is there: is it the same?
struct ToCompare {
    step: usize,
    entry: Entry,
    at: RelativePath,
}

impl<'a> Planner<'a> {
    pub(super) fn new(
        target: HostTree,
        rules: NameRules,
        now_utc: OffsetDateTime,
        history: &'a History,
    ) -> Self {
        Self {
            needed_on: BTreeMap::from([(target.root().to_path_buf(), 0)]),
            tree: TargetTree::new(target, rules, now_utc.date()),
            now_utc,
            history,
            folders: HashMap::default(),
            shared: HashMap::default(),
            taken: None,
            land_held: None,
            relocation: None,
            keeps_modes: false,
            new_folders: Vec::new(),
            steps: Vec::new(),
            kept: Kept::nothing_yet(),
            contents: Contents::default(),
            changes: Changes::default(),
            adapts: HashMap::default(),
            adapted: HashMap::default(),
            edits: Vec::new(),
            beside_edits: Vec::new(),
            homes: Vec::new(),
            home_numbers: HashMap::default(),
            last_home: 0,
            last_folder: None,
            renamed: Vec::new(),
            refused: Vec::new(),
            to_write: Tally::default(),
            to_write_by_item: HashMap::default(),
            identical: Tally::default(),
        }
    }

    /// Plans all entries of the chosen items. Files that already exist are compared at the same time.
    pub(super) fn plan_entries(
        &mut self,
        trunk: &dyn Trunk,
        items: &BTreeSet<String>,
        target: &ToSpot<'_>,
        decide: Decide<'_>,
        conduct: Conduct<'_>,
    ) -> Result<(), RestoreError> {
        let expected = trunk.items().iter().filter(|item| items.contains(&item.id)).map(|item| item.captured);
        let expected = expected.fold(Tally::default(), |all, item| all + item);
        conduct.send(&Event::StageBegan { stage: Stage::Plan, expected });
        let host = self.tree.host().clone();
        let entries = trunk.entries()?;
        let mut different = Vec::new();
        let mut listed = Listed::default();
        let (planner, told) = (&mut *self, &mut listed);
        in_order(
            workers(),
            |hand_over| {
                ahead(entries, |entries| {
                    for (number, entry) in (0_u32..).zip(entries) {
                        let to_compare = match entry {
                            Ok(mut entry) if items.contains(&entry.item) => {
                                told.see(&entry);
                                planner.adapt(trunk, &mut entry, number);
                                planner.plan_entry(entry, number, target, conduct)
                            }
                            // An entry of an item that the trunk does not list has no one to answer for it.
                            Ok(entry) if !trunk.items().iter().any(|item| item.id == entry.item) => {
                                let problem = "the trunk does not list its item".to_owned();
                                planner.refuse(&entry, Reason::EntryRefused { line: 0, problem }, true);
                                None
                            }
                            Ok(_) => None,
                            Err(refused) => {
                                told.see_refused(&refused);
                                planner.refuse_line(refused, items);
                                None
                            }
                        };
                        let went_on = to_compare.is_none_or(|what| {
                            let size_in_bytes = what.entry.size_in_bytes();
                            hand_over(what, size_in_bytes)
                        });
                        if conduct.is_stopped() || !went_on {
                            return;
                        }
                    }
                });
            },
            |what| {
                let identical = is_identical(&what, &host, conduct);
                (what, identical)
            },
            |(what, identical)| {
                if !identical {
                    different.push(what);
                }
                true
            },
        );
        if conduct.is_stopped() {
            return Err(RestoreError::Cancelled);
        }
        self.refused.extend(trunk.flaws().iter().map(|flaw| Refused {
            item: None,
            key: None,
            path: RelativePath::root(),
            reason: Reason::TrunkDamaged { detail: flaw.to_string() },
            needs_attention: true,
        }));
        for item in trunk.items().iter().filter(|item| items.contains(&item.id)) {
            self.refused.extend(listed.missing_of(item).map(|reason| Refused {
                item: Some(item.id.clone()),
                key: None,
                path: RelativePath::root(),
                reason,
                needs_attention: true,
            }));
        }
        conduct.send(&Event::StageEnded { stage: Stage::Plan });
        self.settle_what_differs(different, decide);
        Ok(())
    }

    /// Both stay: one of them gets a dated name.
    fn settle_what_differs(&mut self, different: Vec<ToCompare>, decide: Decide<'_>) {
        let mut cannot = BTreeSet::new();
        for ToCompare { step: at, entry, at: existing } in different {
            self.identical -= entry.tally();
            let pair = self.pair(&entry, &existing);
            let settled = if pair.trunks_gets_the_name(decide(&pair)) {
                self.tree.choose_aside(&existing).map(|aside| {
                    let step = &mut self.steps[at];
                    step.action = Action::SetAside(aside.name().unwrap_or_default().into());
                    step.name = existing.name().map(Into::into);
                })
            } else {
                self.tree
                    .choose_beside(&existing, "restored")
                    .map(|beside| self.land_beside(at, &entry, beside))
            };
            match settled {
                Ok(()) => self.count_to_write(&entry, &existing),
                Err(reason) => {
                    self.refuse(&entry, reason, true);
                    cannot.insert(self.steps[at].number);
                }
            }
        }
        if !cannot.is_empty() {
            self.steps.retain(|step| !cannot.contains(&step.number));
            self.renamed.retain(|row| !cannot.contains(&row.number));
        }
    }

    fn pair(&self, entry: &Entry, existing: &RelativePath) -> Different {
        let found = self.tree.host_path(existing).ok().and_then(|path| std::fs::symlink_metadata(path).ok());
        Different {
            at: existing.clone(),
            in_trunk: Side { size_in_bytes: entry.size_in_bytes(), modified_utc: entry.modified_utc },
            there: Side {
                size_in_bytes: found.as_ref().map_or(0, std::fs::Metadata::len),
                modified_utc: found.and_then(|found| Some(found.modified().ok()?.into())),
            },
        }
    }

    fn land_beside(&mut self, at: usize, entry: &Entry, beside: RelativePath) {
        let step = &mut self.steps[at];
        step.action = Action::Beside;
        step.name = beside.name().map(Into::into);
        if !step.renamed {
            step.renamed = true;
            let (key, number) = (EntryKey::of(&entry.address), step.number);
            self.renamed.push(Renamed { key, is_folder: false, at: beside, number });
        } else if let Some(row) = self.renamed.iter_mut().find(|row| row.number == step.number) {
            row.at = beside;
        }
    }

    fn count_to_write(&mut self, entry: &Entry, at: &RelativePath) {
        self.to_write += entry.tally();
        self.contents.see(entry);
        match self.to_write_by_item.get_mut(&entry.item) {
            Some(tally) => *tally += entry.tally(),
            None => drop(self.to_write_by_item.insert(entry.item.clone(), entry.tally())),
        }
        let size_in_bytes = entry.size_in_bytes().saturating_add(MOST_LOST_PER_ENTRY_IN_BYTES);
        let drive = self.tree.host().drive_of(at);
        match self.needed_on.get_mut(drive) {
            Some(needed_in_bytes) => *needed_in_bytes = needed_in_bytes.saturating_add(size_in_bytes),
            None => {
                self.needed_on.insert(drive.to_path_buf(), size_in_bytes);
            }
        }
    }

    fn refuse_line(&mut self, refused: EntryRefused, items: &BTreeSet<String>) {
        let finding = refused_entry(&refused);
        if refused.item.as_ref().is_none_or(|item| items.contains(item)) {
            self.refused.push(Refused {
                item: refused.item,
                key: None,
                path: RelativePath::from_bytes(on_screen(&refused.path).as_bytes()).unwrap_or_default(),
                reason: finding.reason,
                needs_attention: finding.needs_attention,
            });
        }
    }

    fn refuse(&mut self, entry: &Entry, reason: Reason, needs_attention: bool) {
        self.refused.push(Refused {
            item: Some(entry.item.clone()),
            key: Some(EntryKey::of(&entry.address)),
            path: entry.address.path.clone(),
            reason,
            needs_attention,
        });
    }

    fn plan_entry(
        &mut self,
        mut entry: Entry,
        number: u32,
        target: &ToSpot<'_>,
        conduct: Conduct<'_>,
    ) -> Option<ToCompare> {
        if !self.keeps_modes {
            entry.unix_mode = None;
        }
        if self.relocation.is_some_and(|relocation| relocation.is_of_old_layout(&entry)) {
            return None;
        }
        let mut path = entry.address.path.clone();
        if let Some(Taken { below, cut, wanted }) = &self.taken {
            let is_asked_for = path.is_within(below) || entry.landing_path().is_within(below);
            if !is_asked_for || !wanted(&path) {
                return None;
            }
            // A held entry is not restored by default, but a person who takes it asks for it.
            entry.held = None;
            let tail: Vec<&[u8]> = path.steps().skip(cut.steps().count()).collect();
            path = RelativePath::from_bytes(&tail.join(&b'/')).unwrap_or(path);
        }
        let is_asked_for = self.land_held.is_some_and(|land_held| land_held.wants(&entry));
        if is_asked_for {
            entry.held = None;
        }
        let path = entry.landing_path_of(path);
        let entry = entry.to_land();
        if let Some(why) = entry.held.clone() {
            self.refuse(&entry, Reason::Held { why }, false);
            return None;
        }
        let refused = self.changes.refused(&entry.item).filter(|reason| {
            // Where its files would be is known.
            !(is_asked_for && matches!(reason, Reason::NoSuchProgram { .. }))
        });
        if let Some(reason) = refused.cloned() {
            let needs_attention = reason.needs_attention();
            self.refuse(&entry, reason, needs_attention);
            return None;
        }
        if let Content::Link { target } = &entry.content
            && leads_out(&path, target)
        {
            let target = on_screen(target);
            self.refuse(&entry, Reason::LinkLeadsOut { target }, true);
            return None;
        }
        let planned = match self.destination(&entry, &path, target) {
            Ok((destination, own_name)) => self.plan_step(&entry, number, destination, &own_name),
            // A folder that was made for what is in it is listed after all.
            Err(Reason::Twice) if entry.content == Content::Folder => return None,
            Err(reason) => Err(reason),
        };
        let refused = |planner: &mut Self, reason: Reason| {
            let is_held = matches!(reason, Reason::Held { .. });
            planner.refuse(&entry, reason, !is_held);
        };
        let (step, at) = planned.map_err(|reason| refused(self, reason)).ok()?;
        if entry.is_incomplete() {
            let (missing_in_bytes, size_in_bytes) = (entry.missing_in_bytes(), entry.size_in_bytes());
            let named = format!("{}/{}", entry.item, entry.address.path);
            self.changes.note(&named, Reason::Incomplete { missing_in_bytes, size_in_bytes });
        }
        if self.steps[step].action != Action::Identical {
            self.count_to_write(&entry, &at);
            conduct.send(&Event::Bytes { size_in_bytes: entry.size_in_bytes() });
            self.kept.keep(number, entry);
            return None;
        }
        self.identical += entry.tally();
        if entry.content == Content::Folder {
            self.kept.keep(number, entry);
            return None;
        }
        self.kept.keep_copy(number, &entry);
        Some(ToCompare { step, entry, at })
    }

    /// Plans a step, and returns its number and its path. A file that may be identical is planned as if it
    /// were.
    fn plan_step(
        &mut self,
        entry: &Entry,
        number: u32,
        destination: Destination,
        own_path: &RelativePath,
    ) -> Result<(usize, RelativePath), Reason> {
        // Another case is what Windows takes for the same name.
        let renamed = !fold::same_name(destination.path.as_bytes(), own_path.as_bytes());
        let at = destination.path;
        self.tree.host_path(&at)?;
        let action = match decide_action(&entry.content, destination.is_there, self.history.is_half_made(&at))
        {
            Planned::Create => Action::Create,
            Planned::Compare => Action::Identical,
            Planned::MakeFolder => Action::FolderMade,
            Planned::SetAside => {
                let aside = self.tree.choose_aside(&at)?;
                Action::SetAside(aside.name().unwrap_or_default().into())
            }
            Planned::LinkInTheWay => {
                return Err(Reason::InTheWay { what: "a link".to_owned(), path: at.to_string() });
            }
        };
        if renamed {
            let (key, is_folder) = (EntryKey::of(&entry.address), entry.content == Content::Folder);
            self.renamed.push(Renamed { key, is_folder, at: at.clone(), number });
        }
        let keeps_name = at.name() == entry.address.path.name() && !matches!(action, Action::SetAside(_));
        let home = self.home_number(&at);
        self.steps.push(Step {
            number,
            mark: mark_of(entry),
            home,
            name: if keeps_name { None } else { at.name().map(Into::into) },
            renamed,
            action,
        });
        Ok((self.steps.len() - 1, at))
    }

    /// Where an entry goes, and where it would go under its own name.
    fn destination(
        &mut self,
        entry: &Entry,
        path: &RelativePath,
        target: &ToSpot<'_>,
    ) -> Result<(Destination, RelativePath), Reason> {
        let Spot { place, base, path } = target(entry, path)?;
        let path = &path;
        let too_long =
            |refused: porter_names::PathRefused| Reason::NotWritten { detail: refused.to_string() };
        let own_path = base.join_path(path).map_err(too_long)?;
        let Some(name) = path.name() else { return Err(Reason::Twice) };
        let folder = self.folder_of(&entry.item, &entry.address.owner, &place, &base, path)?;
        // An entry that landed under another name before is compared with that file.
        let before = self.history.landed_as(entry).filter(|at| at.parent().as_ref() == Some(&folder));
        let before = before.and_then(|at| Some(at.name()?.to_vec()));
        if entry.content == Content::Folder {
            let key = (entry.address.owner.clone(), place);
            if let Some(known) = self.folders.get(&key).and_then(|folders| folders.get(path)) {
                // It was made for what is in it, before its own line came.
                return known.clone().map(|path| (Destination { path, is_there: None }, own_path));
            }
            let made = self.make_folder(&entry.item, &folder, before.as_deref().unwrap_or(name));
            let remembered = made.as_ref().map(|made| made.path.clone()).map_err(Clone::clone);
            self.folders.entry(key).or_default().insert(path.clone(), remembered);
            return Ok((made?, own_path));
        }
        Ok((self.tree.choose(&folder, before.as_deref().unwrap_or(name))?, own_path))
    }

    /// The plan, with what is said of the restore as a whole.
    pub(super) fn finish(self, outline: Outline) -> Result<Plan, RestoreError> {
        let free_in_bytes = self.require_room()?;
        Ok(Plan {
            target: self.tree.host().clone(),
            planned_utc: self.now_utc,
            land_held: self.land_held.map(|land_held| land_held.texts().to_vec()).unwrap_or_default(),
            outline,
            folders: self.new_folders,
            renamed: self.renamed,
            refused: self.refused,
            to_write: self.to_write,
            identical: self.identical,
            changes: self.changes,
            adapted: self.adapted,
            edits: self.edits,
            beside_edits: self.beside_edits,
            free_in_bytes,
            spins: self.needed_on.keys().any(|drive| is_spinning(drive)),
            drives: self.needed_on.into_keys().collect(),
            keeps_modes: self.keeps_modes,
            steps: self.steps,
            kept: self.kept,
            recurring: self.contents.recurring(),
            homes: self.homes,
        })
    }

    /// Refuses a restore for which a drive has too little room. Returns the free space of the machine's root.
    fn require_room(&self) -> Result<u64, RestoreError> {
        let mut at_root = 0;
        let brought = self
            .changes
            .brings()
            .iter()
            .map(|bring| (self.tree.host().drive_of(&bring.at).to_path_buf(), bring.needed_in_bytes));
        let mut needed_on = self.needed_on.clone();
        for (drive, needed_in_bytes) in brought {
            *needed_on.entry(drive).or_default() += needed_in_bytes;
        }
        for (drive, needed_in_bytes) in &needed_on {
            let free_in_bytes = free_space_in_bytes(drive)
                .map_err(|cause| RestoreError::Volume { path: drive.clone(), cause })?;
            if *needed_in_bytes > free_in_bytes {
                return Err(RestoreError::NoRoom { needed_in_bytes: *needed_in_bytes, free_in_bytes });
            }
            if drive == self.tree.host().root() {
                at_root = free_in_bytes;
            }
        }
        Ok(at_root)
    }
}

/// The plan for an entry, by the file in its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Planned {
    /// Nothing is there.
    Create,
    /// Something of its kind is there: it is identical, unless a comparison shows that it differs.
    Compare,
    /// A folder that this restore makes, or whose making was cut off.
    MakeFolder,
    /// Something else is there.
    SetAside,
    /// A link stands where a folder was to be: nothing is put behind it.
    LinkInTheWay,
}

fn decide_action(content: &Content, there: Option<EntryKind>, is_half_made: bool) -> Planned {
    match (content, there) {
        // A run that was cut off made it, and had no time for its times.
        (Content::Folder, Some(EntryKind::Folder)) if is_half_made => Planned::MakeFolder,
        (Content::Folder, Some(EntryKind::Folder)) => Planned::Compare,
        (Content::Folder, Some(EntryKind::Link)) => Planned::LinkInTheWay,
        (Content::Folder, _) => Planned::MakeFolder,
        (_, None) => Planned::Create,
        (Content::File { .. }, Some(EntryKind::File)) | (Content::Link { .. }, Some(EntryKind::Link)) => {
            Planned::Compare
        }
        (_, Some(_)) => Planned::SetAside,
    }
}

/// The half-empty last block of a file, and its row in the folder.
const MOST_LOST_PER_ENTRY_IN_BYTES: u64 = 4096 + 512;

fn is_identical(what: &ToCompare, host: &HostTree, conduct: Conduct<'_>) -> bool {
    let Ok(path) = host.reach(&what.at) else { return false };
    match &what.entry.content {
        Content::Folder => true,
        Content::Link { target } => std::fs::read_link(&path)
            .is_ok_and(|there| porter_names::host::name_from_host(there.as_os_str()) == *target),
        Content::File { size_in_bytes, hash } => {
            conduct.send(&Event::Bytes { size_in_bytes: *size_in_bytes });
            let same_size = std::fs::symlink_metadata(&path).is_ok_and(|found| found.len() == *size_in_bytes);
            // A file that cannot be read is set aside like one that differs.
            same_size
                && std::fs::File::open(&path)
                    .and_then(|content| ContentHash::of_reader(&mut Stoppable { content, conduct }))
                    .is_ok_and(|found| found == *hash)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_is_there_is_written_over_and_nothing_goes_behind_a_link() {
        let file = Content::File { size_in_bytes: 1, hash: ContentHash::of(b"x") };
        let link = Content::Link { target: b"../y".to_vec() };
        let folder = Content::Folder;
        use EntryKind::{File, Folder, Link, Other};
        for (content, there, planned) in [
            (&file, None, Planned::Create),
            (&file, Some(File), Planned::Compare),
            (&file, Some(Folder), Planned::SetAside),
            (&file, Some(Link), Planned::SetAside),
            (&file, Some(Other), Planned::SetAside),
            (&link, None, Planned::Create),
            (&link, Some(Link), Planned::Compare),
            (&link, Some(File), Planned::SetAside),
            (&link, Some(Folder), Planned::SetAside),
            (&link, Some(Other), Planned::SetAside),
            (&folder, None, Planned::MakeFolder),
            (&folder, Some(Folder), Planned::Compare),
            (&folder, Some(Link), Planned::LinkInTheWay),
            (&folder, Some(File), Planned::MakeFolder),
            (&folder, Some(Other), Planned::MakeFolder),
        ] {
            assert_eq!(decide_action(content, there, false), planned, "{content:?} on {there:?}");
        }
        assert_eq!(
            decide_action(&folder, Some(Folder), true),
            Planned::MakeFolder,
            "cut off before its times"
        );
    }
}
