//! What becomes of each entry, decided before anything is written.

use super::RestoreError;
use super::accounts::{AccountMap, AccountsError, match_accounts, names_on, place_of};
use super::history::History;
use super::host::most_bytes_in_name;
use super::journal::EntryKey;
use super::links::leads_out;
use super::relocate::Relocation;
use super::target::{Destination, TargetTree};
use crate::catalogue::Catalogue;
use crate::check::refused_entry;
use crate::events::{Conduct, Event, Stage};
use crate::in_order::in_order;
use crate::machine::{Account, Machine};
use crate::packing::Selection;
use crate::receipt::{Reason, Verdict};
use porter_names::{NameRules, RelativePath, fold, screen::on_screen};
use porter_source::{EntryKind, HostTree};
use porter_trunk::{Content, ContentHash, Entry, EntryAddress, Tally, Trunk, free_space_in_bytes};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::Path;
use time::OffsetDateTime;

/// A whole restore, not yet begun.
pub struct Plan {
    /// Everything is written below this.
    pub target: HostTree,
    /// When the plan was made; set-aside things are named by this date.
    pub planned_utc: OffsetDateTime,
    /// Which account of the trunk goes into which of the machine, by id.
    pub accounts: BTreeMap<String, String>,
    /// The same accounts by the names that people know: the trunk's, and the machine's.
    pub account_names: Vec<(String, String)>,
    /// The chosen items.
    pub items: BTreeSet<String>,
    /// Folders to make, those above before those in them.
    pub folders: Vec<NewFolder>,
    /// Entries, in the trunk's order.
    pub steps: Vec<Step>,
    /// Entries that will not land, and why.
    pub refused: Vec<Refused>,
    /// What will be written.
    pub to_write: Tally,
    /// What is there already, byte for byte.
    pub identical: Tally,
    /// What the volume of the machine's root has.
    pub free_in_bytes: u64,
}

/// A folder to make.
#[derive(Debug, Clone)]
pub struct NewFolder {
    /// Below the root.
    pub at: RelativePath,
    /// The dated name for the file that stands there.
    pub set_aside: Option<RelativePath>,
}

/// What becomes of one entry.
#[derive(Debug, Clone)]
pub struct Step {
    /// The entry.
    pub entry: Entry,
    /// Where it goes, below the root.
    pub at: RelativePath,
    /// True if that is not its own name.
    pub renamed: bool,
    /// What is done.
    pub action: Action,
}

/// What is done with an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Action {
    /// It is new.
    Create,
    /// What is there gets the dated name, and the entry its own.
    SetAside(RelativePath),
    /// It is there already.
    Identical,
    /// A folder of this restore: its times are set at the end.
    FolderMade,
}

/// An entry that will not land.
#[derive(Debug, Clone)]
pub struct Refused {
    /// Its item, as far as known.
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
    /// What is set aside, and the dated name it gets.
    pub fn set_aside(&self) -> impl Iterator<Item = (&RelativePath, &RelativePath)> {
        let by_folders = self.folders.iter().filter_map(|f| Some((&f.at, f.set_aside.as_ref()?)));
        let by_steps = self.steps.iter().filter_map(|step| match &step.action {
            Action::SetAside(to) => Some((&step.at, to)),
            _ => None,
        });
        by_folders.chain(by_steps)
    }

    /// The steps that land under another name than their own.
    pub fn renamed(&self) -> impl Iterator<Item = &Step> {
        self.steps.iter().filter(|step| step.renamed)
    }
}

/// Plans the restore of the chosen items onto a machine.
pub fn plan_restore(
    trunk: &dyn Trunk,
    machine: &Machine,
    catalogue: &Catalogue,
    given: &BTreeMap<String, String>,
    selection: &Selection,
    now_utc: OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<Plan, RestoreError> {
    let target = machine.volume.host_tree().ok_or(RestoreError::ReadOnlyMachine)?;
    let history = History::load(machine, &trunk.label().trunk_id);
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts)?;
    let items: BTreeSet<String> = trunk
        .items()
        .iter()
        .filter(|item| item.chosen && selection.chooses(&item.id, item.account.as_deref()))
        .map(|item| item.id.clone())
        .collect();
    refuse_homeless(trunk, &items, &accounts, machine)?;

    let rules = machine.layout.name_rules(most_bytes_in_name());
    let mut planner = Planner::new(target.clone(), rules, now_utc, &history);
    planner.keeps_modes = machine.has_permissions_of(&trunk.label().machine.system);
    let relocation = Relocation::new(trunk.label(), trunk.items(), machine.layout.family, catalogue);
    let target = |entry: &Entry, _: &RelativePath| {
        let EntryAddress { place, path, .. } = relocation.address(entry);
        let base = place_of(machine, &accounts, &relocation.address(entry))?.path.clone();
        Ok(Spot { place, base, path })
    };
    planner.plan_entries(trunk, &items, &target)?;
    let of_chosen = |id: &String| {
        trunk.items().iter().any(|item| item.account.as_ref() == Some(id) && items.contains(&item.id))
    };
    let wanted: Vec<(&String, &Account)> = accounts
        .iter()
        .filter(|(id, _)| of_chosen(id))
        .filter_map(|(id, account)| Some((id, (*account)?)))
        .collect();
    let by_id = wanted.iter().map(|(id, account)| ((*id).clone(), account.id.clone())).collect();
    let mut plan = planner.finish(by_id, items, conduct)?;
    plan.account_names = wanted.iter().map(|(id, account)| ((*id).clone(), account.shown_name())).collect();
    Ok(plan)
}

/// Plans taking part of one item into a folder: `below` is a path below the item's place.
pub fn plan_take(
    trunk: &dyn Trunk,
    item: &str,
    below: &RelativePath,
    folder: &Path,
    now_utc: OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<Plan, RestoreError> {
    let history = History::default();
    let rules = if cfg!(windows) { NameRules::windows(255) } else { NameRules::UNIX };
    let mut planner = Planner::new(HostTree::new(folder), rules, now_utc, &history);
    let cut = below.parent().unwrap_or_default();
    let items = BTreeSet::from([item.to_owned()]);
    // A single file or folder is taken by its own name, not with the folders above it.
    planner.taken = Some((below.clone(), cut));
    // What comes from several places would meet in one folder: each place gets its own.
    let parts = trunk.items().iter().find(|known| known.id == item).map(|item| item.parts.as_slice());
    let places: BTreeSet<&str> = parts.unwrap_or_default().iter().map(|part| part.place.as_str()).collect();
    let target = |entry: &Entry, path: &RelativePath| {
        let (place, base) = (entry.address.place.clone(), RelativePath::root());
        let too_long =
            |refused: porter_names::PathRefused| Reason::NotWritten { detail: refused.to_string() };
        let folder =
            if places.len() > 1 { base.join(place.as_bytes()).map_err(too_long)? } else { base.clone() };
        Ok(Spot { path: folder.join_path(path).map_err(too_long)?, place, base })
    };
    planner.plan_entries(trunk, &items, &target)?;
    planner.finish(BTreeMap::new(), items, conduct)
}

/// Nobody's things are put into somebody else's account, and nobody's are dropped in silence.
fn refuse_homeless(
    trunk: &dyn Trunk,
    items: &BTreeSet<String>,
    accounts: &AccountMap<'_>,
    machine: &Machine,
) -> Result<(), RestoreError> {
    let without: BTreeSet<String> = trunk
        .items()
        .iter()
        .filter(|item| items.contains(&item.id))
        .filter_map(|item| item.account.clone())
        .filter(|account| !matches!(accounts.get(account), Some(Some(_))))
        .collect();
    if without.is_empty() {
        return Ok(());
    }
    let without = without.into_iter().collect();
    Err(AccountsError::NoneFor { without, has: names_on(machine) }.into())
}

type FolderKey = (Option<String>, String);

/// Where an entry belongs: the folder of its place, and its path below that.
struct Spot {
    place: String,
    base: RelativePath,
    path: RelativePath,
}

/// Gives that for an entry and its path as far as it is taken.
type ToSpot<'a> = dyn Fn(&Entry, &RelativePath) -> Result<Spot, Reason> + 'a;

struct Planner<'a> {
    tree: TargetTree,
    now_utc: OffsetDateTime,
    history: &'a History,
    /// Where the folders of the trunk go: by place, and below it.
    folders: HashMap<FolderKey, HashMap<RelativePath, Result<RelativePath, Reason>>>,
    taken: Option<(RelativePath, RelativePath)>,
    /// Whether the trunk's permissions mean anything on the machine.
    keeps_modes: bool,
    new_folders: Vec<NewFolder>,
    steps: Vec<Step>,
    refused: Vec<Refused>,
    /// Steps whose destination holds something of the same kind, to be compared.
    to_compare: Vec<usize>,
}

impl<'a> Planner<'a> {
    fn new(target: HostTree, rules: NameRules, now_utc: OffsetDateTime, history: &'a History) -> Self {
        Self {
            tree: TargetTree::new(target, rules, now_utc.date()),
            now_utc,
            history,
            folders: HashMap::new(),
            taken: None,
            keeps_modes: false,
            new_folders: Vec::new(),
            steps: Vec::new(),
            refused: Vec::new(),
            to_compare: Vec::new(),
        }
    }

    fn plan_entries(
        &mut self,
        trunk: &dyn Trunk,
        items: &BTreeSet<String>,
        target: &ToSpot<'_>,
    ) -> Result<(), RestoreError> {
        for entry in trunk.entries()? {
            match entry {
                Ok(entry) if items.contains(&entry.item) => self.plan_entry(entry, target),
                // An entry of an item that the trunk does not list has no one to answer for it.
                Ok(entry) if !trunk.items().iter().any(|item| item.id == entry.item) => {
                    let problem = "the trunk does not list its item".to_owned();
                    self.refuse(&entry, Reason::EntryRefused { line: 0, problem }, true);
                }
                Ok(_) => {}
                Err(refused) => {
                    let finding = refused_entry(&refused);
                    if refused.item.as_ref().is_none_or(|item| items.contains(item)) {
                        self.refused.push(Refused {
                            item: refused.item,
                            key: None,
                            path: RelativePath::from_bytes(on_screen(&refused.path).as_bytes())
                                .unwrap_or_default(),
                            reason: finding.reason,
                            needs_attention: finding.needs_attention,
                        });
                    }
                }
            }
        }
        Ok(())
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

    fn plan_entry(&mut self, mut entry: Entry, target: &ToSpot<'_>) {
        let mut path = entry.address.path.clone();
        entry.unix_mode = entry.unix_mode.filter(|_| self.keeps_modes);
        if let Some((below, cut)) = &self.taken {
            if !path.is_within(below) {
                return;
            }
            // What is held is not restored by itself, but whoever takes it asks for it.
            entry.held = None;
            let tail: Vec<&[u8]> = path.steps().skip(cut.steps().count()).collect();
            path = RelativePath::from_bytes(&tail.join(&b'/')).unwrap_or(path);
        }
        if let Some(why) = entry.held.clone() {
            self.refuse(&entry, Reason::Held { why }, false);
            return;
        }
        if let Content::Link { target } = &entry.content
            && leads_out(&path, target)
        {
            let target = on_screen(target);
            self.refuse(&entry, Reason::LinkLeadsOut { target }, true);
            return;
        }
        match self.destination(&entry, &path, target) {
            Ok((destination, own_name)) => self.plan_step(entry, destination, &own_name),
            // A folder that was made for what is in it is listed after all.
            Err(Reason::Twice) if entry.content == Content::Folder => {}
            Err(reason) => self.refuse(&entry, reason, true),
        }
    }

    fn plan_step(&mut self, entry: Entry, destination: Destination, own_path: &RelativePath) {
        // Another case is what Windows takes for the same name.
        let renamed = !fold::same_name(destination.path.as_bytes(), own_path.as_bytes());
        let at = destination.path;
        let in_the_way = |what: &str| Reason::InTheWay { what: what.to_owned(), path: at.to_string() };
        let action = match (&entry.content, destination.is_there) {
            (Content::Folder, Some(EntryKind::Folder)) => Action::Identical,
            (Content::Folder, Some(EntryKind::Link)) => {
                return self.refuse(&entry, in_the_way("a link"), true);
            }
            (Content::Folder, _) => Action::FolderMade,
            (_, None) => Action::Create,
            (Content::File { .. }, Some(EntryKind::File)) | (Content::Link { .. }, Some(EntryKind::Link)) => {
                self.to_compare.push(self.steps.len());
                Action::Identical
            }
            (_, Some(_)) => match self.tree.choose_aside(&at) {
                Ok(to) => Action::SetAside(to),
                Err(reason) => return self.refuse(&entry, reason, true),
            },
        };
        self.steps.push(Step { entry, at, renamed, action });
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
        let key = (entry.address.owner.clone(), place);
        let Some(name) = path.name() else { return Err(Reason::Twice) };
        let folder = self.folder_for(&key, &base, &path.parent().unwrap_or_default())?;
        if entry.content == Content::Folder {
            if let Some(known) = self.folders.get(&key).and_then(|folders| folders.get(path)) {
                // It was made for what is in it, before its own line came.
                return known.clone().map(|path| (Destination { path, is_there: None }, own_path));
            }
            let made = self.make_folder(&folder, name);
            let remembered = made.as_ref().map(|made| made.path.clone()).map_err(Clone::clone);
            self.folders.entry(key).or_default().insert(path.clone(), remembered);
            return Ok((made?, own_path));
        }
        // What landed under a safe name before is compared with that.
        if let Some(before) = self.history.landed_as(entry)
            && before.parent().as_ref() == Some(&folder)
            && let Some(before_name) = before.name()
        {
            return Ok((self.tree.choose(&folder, before_name)?, own_path));
        }
        Ok((self.tree.choose(&folder, name)?, own_path))
    }

    /// Where a folder of the trunk is on the machine. Whatever of it is not there is planned.
    fn folder_for(
        &mut self,
        key: &FolderKey,
        base: &RelativePath,
        below: &RelativePath,
    ) -> Result<RelativePath, Reason> {
        if let Some(known) = self.folders.get(key).and_then(|folders| folders.get(below)) {
            return known.clone();
        }
        let mut trunk_path = RelativePath::root();
        let mut at = match self.folders.get(key).and_then(|folders| folders.get(&trunk_path)) {
            Some(known) => known.clone()?,
            None => {
                let made = self.base_folder(base);
                self.folders.entry(key.clone()).or_default().insert(trunk_path.clone(), made.clone());
                made?
            }
        };
        for step in below.steps() {
            trunk_path = trunk_path
                .join(step)
                .map_err(|refused| Reason::NotWritten { detail: refused.to_string() })?;
            let known = self.folders.get(key).and_then(|folders| folders.get(&trunk_path)).cloned();
            let next = match known {
                Some(known) => known,
                None => {
                    let made = self.make_folder(&at, step).map(|made| made.path);
                    self.folders.entry(key.clone()).or_default().insert(trunk_path.clone(), made.clone());
                    made
                }
            };
            at = next?;
        }
        Ok(at)
    }

    /// The folder of a place: what of it is not there is planned, but never through a link.
    fn base_folder(&mut self, base: &RelativePath) -> Result<RelativePath, Reason> {
        let mut at = RelativePath::root();
        for step in base.steps() {
            let next = at.join(step).map_err(|refused| Reason::NotWritten { detail: refused.to_string() })?;
            let host = self.tree.host_path(&next)?;
            let planned = self.new_folders.iter().any(|folder| folder.at == next);
            match std::fs::symlink_metadata(host) {
                Ok(found) if found.is_dir() => {}
                Ok(_) => {
                    return Err(Reason::InTheWay {
                        what: "a file or link".to_owned(),
                        path: next.to_string(),
                    });
                }
                Err(_) if planned => {}
                Err(_) => self.new_folders.push(NewFolder { at: next.clone(), set_aside: None }),
            }
            at = next;
        }
        Ok(at)
    }

    fn make_folder(&mut self, folder: &RelativePath, name: &[u8]) -> Result<Destination, Reason> {
        let destination = self.tree.choose(folder, name)?;
        let set_aside = match destination.is_there {
            Some(EntryKind::Folder) => return Ok(destination),
            Some(EntryKind::Link) => {
                let path = destination.path.to_string();
                return Err(Reason::InTheWay { what: "a link".to_owned(), path });
            }
            Some(_) => Some(self.tree.choose_aside(&destination.path)?),
            None => None,
        };
        self.new_folders.push(NewFolder { at: destination.path.clone(), set_aside });
        Ok(destination)
    }

    /// Compares what is there already, and adds up.
    fn finish(
        mut self,
        accounts: BTreeMap<String, String>,
        items: BTreeSet<String>,
        conduct: Conduct<'_>,
    ) -> Result<Plan, RestoreError> {
        let mut expected = Tally::default();
        for at in &self.to_compare {
            if let Content::File { size_in_bytes, .. } = self.steps[*at].entry.content {
                expected += Tally::file(size_in_bytes);
            }
        }
        conduct.send(&Event::StageBegan { stage: Stage::Plan, expected });
        let mut different = Vec::new();
        let steps = &self.steps;
        let tree = &self.tree;
        in_order(
            |hand_over| {
                for at in &self.to_compare {
                    if conduct.is_stopped() || !hand_over(*at, steps[*at].entry.size_in_bytes()) {
                        return;
                    }
                }
            },
            |at| (at, is_identical(&steps[at], tree, conduct)),
            |(at, identical)| {
                if !identical {
                    different.push(at);
                }
                true
            },
        );
        if conduct.is_stopped() {
            return Err(RestoreError::Cancelled);
        }
        let mut cannot = BTreeSet::new();
        for at in different {
            let existing = self.steps[at].at.clone();
            match self.tree.choose_aside(&existing) {
                Ok(to) => self.steps[at].action = Action::SetAside(to),
                Err(reason) => {
                    let entry = self.steps[at].entry.clone();
                    self.refuse(&entry, reason, true);
                    cannot.insert(at);
                }
            }
        }
        let mut number = 0;
        self.steps.retain(|_| {
            number += 1;
            !cannot.contains(&(number - 1))
        });
        conduct.send(&Event::StageEnded { stage: Stage::Plan });

        let (mut to_write, mut identical) = (Tally::default(), Tally::default());
        for step in &self.steps {
            let tally = match &step.entry.content {
                Content::File { size_in_bytes, .. } => Tally::file(*size_in_bytes),
                Content::Folder => Tally::FOLDER,
                Content::Link { .. } => Tally::LINK,
            };
            match step.action {
                Action::Identical => identical += tally,
                Action::Create | Action::SetAside(_) | Action::FolderMade => to_write += tally,
            }
        }
        let free_in_bytes = self.require_room()?;
        Ok(Plan {
            target: self.tree.host().clone(),
            planned_utc: self.now_utc,
            accounts,
            account_names: Vec::new(),
            items,
            folders: self.new_folders,
            steps: self.steps,
            refused: self.refused,
            to_write,
            identical,
            free_in_bytes,
        })
    }

    /// Refuses a restore for which a drive has too little room. Gives what the machine's root has.
    fn require_room(&self) -> Result<u64, RestoreError> {
        let host = self.tree.host();
        let mut needed_on: BTreeMap<&Path, u64> = BTreeMap::from([(host.root(), 0)]);
        for step in self.steps.iter().filter(|step| step.action != Action::Identical) {
            let needed_in_bytes = needed_on.entry(host.drive_of(&step.at)).or_default();
            let size_in_bytes = step.entry.size_in_bytes().saturating_add(MOST_LOST_PER_ENTRY_IN_BYTES);
            *needed_in_bytes = needed_in_bytes.saturating_add(size_in_bytes);
        }
        let mut at_root = 0;
        for (drive, needed_in_bytes) in needed_on {
            let free_in_bytes = free_space_in_bytes(drive)
                .map_err(|cause| RestoreError::Volume { path: drive.to_path_buf(), cause })?;
            if needed_in_bytes > free_in_bytes {
                return Err(RestoreError::NoRoom { needed_in_bytes, free_in_bytes });
            }
            if drive == host.root() {
                at_root = free_in_bytes;
            }
        }
        Ok(at_root)
    }
}

/// The half-empty last block of a file, and its row in the folder.
const MOST_LOST_PER_ENTRY_IN_BYTES: u64 = 4096 + 512;

fn is_identical(step: &Step, tree: &TargetTree, conduct: Conduct<'_>) -> bool {
    let Ok(path) = tree.host_path(&step.at) else { return false };
    match &step.entry.content {
        Content::Folder => true,
        Content::Link { target } => std::fs::read_link(&path)
            .is_ok_and(|there| porter_names::host::name_from_host(there.as_os_str()) == *target),
        Content::File { size_in_bytes, hash } => {
            conduct.send(&Event::Bytes { size_in_bytes: *size_in_bytes });
            let same_size = std::fs::symlink_metadata(&path).is_ok_and(|found| found.len() == *size_in_bytes);
            // A file that cannot be read is set aside like one that differs.
            same_size
                && std::fs::File::open(&path)
                    .and_then(|mut file| ContentHash::of_reader(&mut file))
                    .is_ok_and(|found| found == *hash)
        }
    }
}

/// How a refusal counts on a receipt.
impl Refused {
    /// See [`Verdict`].
    pub fn verdict(&self) -> Verdict {
        crate::check::verdict_on_refused(&self.reason)
    }
}
