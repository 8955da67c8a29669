//! Making a plan: each entry of the trunk against what is there.

use super::RestoreError;
use super::accounts::{AccountMap, AccountsError, match_accounts, names_on, place_of};
use super::existing::{Decide, Different, Existing, Side};
use super::history::History;
use super::host::most_bytes_in_name;
use super::journal::EntryKey;
use super::landing::{Adapt, AdaptWith, Edit, Landings, Moved};
use super::links::leads_out;
use super::plan::{Action, ItemPlan, NewFolder, Plan, Refused, Renamed, Step, content_of, is_older, mark_of};
use super::relocate::Relocation;
use super::target::{Destination, TargetTree};
use crate::catalogue::Catalogue;
use crate::check::refused_entry;
use crate::events::{Conduct, Event, Stage};
use crate::in_order::in_order;
use crate::kinds::browser::bookmarks_into::{self, Adding};
use crate::kinds::browser::landing::{self, BrowserWishes, Ground, NewerProfiles};
use crate::machine::{Account, Machine, Place};
use crate::packing::Selection;
use crate::receipt::Reason;
use crate::registry_part;
use porter_names::{NameRules, RelativePath, fold, screen::on_screen};
use porter_source::{EntryKind, HostTree};
use porter_trunk::{
    AccountLabel, Content, ContentHash, Entry, EntryAddress, EntryRefused, Tally, Trunk, TrunkItem,
    TrunkPart, free_space_in_bytes,
};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io::Read;
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

/// What a person decides about a restore.
#[derive(Debug)]
pub struct Wishes<'a> {
    /// Accounts that are called otherwise on the new machine, old to new.
    pub accounts: &'a BTreeMap<String, String>,
    /// Which items.
    pub selection: &'a Selection,
    /// What becomes of browsers' profiles.
    pub browsers: BrowserWishes,
    /// Where things go that were at the root of the drive: a place of the machine, and a folder in it. Where they were, if none is given.
    pub drive_root: Option<(Place, RelativePath)>,
    /// The browser that all bookmarks are added to, if any.
    pub bookmarks_into: Option<&'a str>,
    /// When.
    pub now_utc: OffsetDateTime,
}

/// Plans the restore of the chosen items onto a machine. `decide` is asked for each file that is there already and differs.
pub fn plan_restore(
    trunk: &dyn Trunk,
    machine: &Machine,
    catalogue: &Catalogue,
    wishes: &Wishes<'_>,
    decide: Decide<'_>,
    conduct: Conduct<'_>,
) -> Result<Plan, RestoreError> {
    let Wishes { accounts: given, selection, now_utc, browsers, bookmarks_into, ref drive_root } = *wishes;
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
    let chosen: Vec<&TrunkItem> = trunk.items().iter().filter(|item| items.contains(&item.id)).collect();
    let ground = Ground {
        label: trunk.label(),
        machine,
        accounts: &accounts,
        history: &history,
        catalogue,
        wishes: browsers,
    };
    let mut landings = landing::land(&ground, &chosen);
    if let Some(to) = drive_root {
        landings.moves.extend(chosen.iter().flat_map(|item| from_drive_root(item, to, &history)));
    }
    let mut merged = Vec::new();
    let mut add = |items: &[&TrunkItem], browser: &str, landings: &mut Landings| {
        let into = Adding { trunk, machine, accounts: &accounts, catalogue, browser, now_utc };
        merged.extend(bookmarks_into::bookmarks_into(&into, items, landings));
    };
    if browsers.newer == NewerProfiles::BookmarksOnly {
        for item in &chosen {
            let is_newer = matches!(landings.refused.get(&item.id), Some(Reason::NewerThanProgram { .. }));
            if let Some(browser) =
                item.rule.as_ref().and_then(|rule| rule.rsplit('/').next()).filter(|_| is_newer)
            {
                add(&[item], browser, &mut landings);
            }
        }
    }
    if let Some(browser) = bookmarks_into {
        add(&chosen, browser, &mut landings);
    }
    registry_part::landing::land(&ground, &chosen, now_utc, decide, &mut landings);
    let relocation =
        Relocation::new(trunk.label(), trunk.items(), machine.layout.family, catalogue).with(&landings.moves);
    planner.heed(landings);
    let target = |entry: &Entry, _: &RelativePath| {
        let EntryAddress { place, path, .. } = relocation.address(entry);
        let base = place_of(machine, &accounts, &relocation.address(entry))?.path.clone();
        Ok(Spot { place, base, path })
    };
    planner.plan_entries(trunk, &items, &target, decide, conduct)?;
    let of_chosen = |id: &String| {
        trunk.items().iter().any(|item| item.account.as_ref() == Some(id) && items.contains(&item.id))
    };
    let wanted: Vec<(&String, &Account)> = accounts
        .iter()
        .filter(|(id, _)| of_chosen(id))
        .filter_map(|(id, account)| Some((id, (*account)?)))
        .collect();
    let by_id = wanted.iter().map(|(id, account)| ((*id).clone(), account.id.clone())).collect();
    planner.plan_edits();
    let destinations = chosen.iter().filter(|item| !item.parts.is_empty()).map(|item| {
        let at = |part: &TrunkPart| {
            let path = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
            let (owner, place) = (item.account.clone(), part.place.clone());
            let address =
                relocation.address_of(&item.id, &EntryAddress { owner, place, path, safe_path: None });
            place_of(machine, &accounts, &address).ok()?.path.join_path(&address.path).ok()
        };
        let to_write = planner.to_write_by_item.get(&item.id).copied().unwrap_or_default();
        ItemPlan {
            id: item.id.clone(),
            to: item.parts.iter().filter_map(at).collect(),
            to_write,
            registry_values: planner.registry_values_of(&item.id),
        }
    });
    let destinations = destinations.collect();
    let mut plan = planner.finish(by_id, items)?;
    plan.merged = merged;
    plan.destinations = destinations;
    let (old, new) = (&trunk.label().machine.system, &machine.system);
    plan.older_system = is_older(new, old).then(|| (old.clone(), new.clone()));
    plan.keeps_modes = machine.has_permissions_of(&trunk.label().machine.system);
    plan.account_names = wanted.iter().map(|(id, account)| ((*id).clone(), account.shown_name())).collect();
    Ok(plan)
}

/// Where the parts of an item go that were at the root of the drive; as before, if they went somewhere before.
fn from_drive_root<'i>(
    item: &'i TrunkItem,
    (place, folder): &'i (Place, RelativePath),
    history: &'i History,
) -> impl Iterator<Item = Moved> + 'i {
    let parts = item.parts.iter().filter(|part| part.place == Place::DriveRoot.name());
    parts.filter_map(move |part| {
        let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
        if let Some(known) = history.moved(&item.id).filter(|known| known.from == from) {
            return Some(known.clone());
        }
        let to = folder.join_path(&from).ok()?;
        let from_place = part.place.clone();
        Some(Moved { item: item.id.clone(), from_place, from, to_place: place.name().to_owned(), to })
    })
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
    planner.plan_entries(trunk, &items, &target, &mut |_| Existing::SetAside, conduct)?;
    planner.finish(BTreeMap::new(), items)
}

/// The accounts of the trunk whose chosen items have no account to land in.
pub fn homeless(
    trunk: &dyn Trunk,
    machine: &Machine,
    given: &BTreeMap<String, String>,
    selection: &Selection,
) -> Result<Vec<AccountLabel>, RestoreError> {
    let history = History::load(machine, &trunk.label().trunk_id);
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts)?;
    let has_things = |id: &String| {
        let mut items = trunk.items().iter();
        items.any(|item| {
            item.account.as_ref() == Some(id)
                && item.chosen
                && selection.chooses(&item.id, item.account.as_deref())
        })
    };
    let without = trunk
        .label()
        .accounts
        .iter()
        .filter(|account| !matches!(accounts.get(&account.id), Some(Some(_))) && has_things(&account.id));
    Ok(without.cloned().collect())
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
type ToSpot<'a> = dyn Fn(&Entry, &RelativePath) -> Result<Spot, Reason> + Sync + 'a;

struct Planner<'a> {
    tree: TargetTree,
    now_utc: OffsetDateTime,
    history: &'a History,
    /// Where the folders of the trunk go: by place, and below it.
    folders: HashMap<FolderKey, HashMap<RelativePath, Result<RelativePath, Reason>>>,
    taken: Option<(RelativePath, RelativePath)>,
    new_folders: Vec<NewFolder>,
    steps: Vec<Step>,
    landings: Landings,
    adapts: HashMap<EntryKey, AdaptWith>,
    adapted: HashMap<u32, Vec<u8>>,
    edits: Vec<(Edit, Option<RelativePath>)>,
    beside_edits: Vec<(RelativePath, RelativePath)>,
    homes: Vec<RelativePath>,
    home_numbers: HashMap<RelativePath, u32>,
    renamed: Vec<Renamed>,
    refused: Vec<Refused>,
    to_write: Tally,
    to_write_by_item: HashMap<String, Tally>,
    identical: Tally,
    /// What will be written, by the folder of the drive.
    needed_on: BTreeMap<PathBuf, u64>,
}

/// Something of the same kind is there: is it the same?
struct ToCompare {
    step: usize,
    entry: Entry,
    at: RelativePath,
}

impl<'a> Planner<'a> {
    fn new(target: HostTree, rules: NameRules, now_utc: OffsetDateTime, history: &'a History) -> Self {
        Self {
            needed_on: BTreeMap::from([(target.root().to_path_buf(), 0)]),
            tree: TargetTree::new(target, rules, now_utc.date()),
            now_utc,
            history,
            folders: HashMap::new(),
            taken: None,
            new_folders: Vec::new(),
            steps: Vec::new(),
            landings: Landings::default(),
            adapts: HashMap::new(),
            adapted: HashMap::new(),
            edits: Vec::new(),
            beside_edits: Vec::new(),
            homes: Vec::new(),
            home_numbers: HashMap::new(),
            renamed: Vec::new(),
            refused: Vec::new(),
            to_write: Tally::default(),
            to_write_by_item: HashMap::new(),
            identical: Tally::default(),
        }
    }

    /// Plans all entries of the chosen items. What is there already is compared meanwhile.
    fn plan_entries(
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
        let planner = &mut *self;
        in_order(
            |hand_over| {
                for (number, entry) in (0_u32..).zip(entries) {
                    let to_compare = match entry {
                        Ok(mut entry) if items.contains(&entry.item) => {
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
        conduct.send(&Event::StageEnded { stage: Stage::Plan });
        self.settle_what_differs(different, decide);
        Ok(())
    }

    /// Takes over what the kinds have decided.
    fn heed(&mut self, mut landings: Landings) {
        let owner_of = |item: &str| item.split_once('/').map(|(owner, _)| owner.to_owned());
        for Adapt { item, place, path, with } in landings.adapt.drain(..) {
            self.adapts.insert(EntryKey { owner: owner_of(&item), place, path }, with);
        }
        self.landings = landings;
    }

    /// How many values of an item come into its owner's registry.
    fn registry_values_of(&self, item: &str) -> u64 {
        let set =
            self.landings.registry.iter().filter(|change| change.item == item && change.value.is_some());
        set.count() as u64 + self.landings.registry_values.get(item).copied().unwrap_or_default()
    }

    /// Gives an entry its new content, if it is one of those that follow.
    fn adapt(&mut self, trunk: &dyn Trunk, entry: &mut Entry, number: u32) {
        /// Such files are small; one that is not stays as it is.
        const LARGEST_IN_BYTES: u64 = 64 << 20;
        if self.adapts.is_empty() || entry.size_in_bytes() > LARGEST_IN_BYTES || entry.held.is_some() {
            return;
        }
        let Some(with) = self.adapts.get(&EntryKey::of(&entry.address)) else { return };
        let mut content = Vec::new();
        let read = trunk.open_content(entry).map(|mut from| from.read_to_end(&mut content).is_ok());
        if matches!(read, Ok(true))
            && let Content::File { hash, .. } = entry.content
            && ContentHash::of(&content) == hash
            && let Some(new) = with(&content)
        {
            entry.content = content_of(&new);
            self.adapted.insert(number, new);
        }
    }

    /// Plans the files of the machine that get another content.
    fn plan_edits(&mut self) {
        for edit in std::mem::take(&mut self.landings.edits) {
            let host = self.tree.host_path(&edit.at).ok();
            let there = host.and_then(|path| std::fs::symlink_metadata(path).ok());
            let planned = (|| {
                let mut beside = Vec::new();
                let aside = match there {
                    Some(found) if !found.is_file() => {
                        let what = "a folder or link".to_owned();
                        return Err(Reason::InTheWay { what, path: edit.at.to_string() });
                    }
                    Some(_) => Some(self.tree.choose_aside(&edit.at)?),
                    None => {
                        let folder = edit.at.parent().unwrap_or_default();
                        self.base_folder(&folder)?;
                        None
                    }
                };
                for path in &edit.set_aside_too {
                    beside.push((path.clone(), self.tree.choose_aside(path)?));
                }
                Ok((aside, beside))
            })();
            match planned {
                Ok((aside, beside)) => {
                    self.beside_edits.extend(beside);
                    let drive = self.tree.host().drive_of(&edit.at).to_path_buf();
                    *self.needed_on.entry(drive).or_default() +=
                        edit.content.len() as u64 + MOST_LOST_PER_ENTRY_IN_BYTES;
                    self.edits.push((edit, aside));
                }
                Err(reason) => self.landings.notes.push((edit.item, reason)),
            }
        }
    }

    /// Both stay: one of them gets a dated name.
    fn settle_what_differs(&mut self, different: Vec<ToCompare>, decide: Decide<'_>) {
        let mut cannot = BTreeSet::new();
        for ToCompare { step: at, entry, at: existing } in different {
            self.identical -= tally_of(&entry);
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
        self.to_write += tally_of(entry);
        *self.to_write_by_item.entry(entry.item.clone()).or_default() += tally_of(entry);
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
        let mut path = entry.address.path.clone();
        if let Some((below, cut)) = &self.taken {
            if !path.is_within(below) {
                return None;
            }
            // What is held is not restored by itself, but whoever takes it asks for it.
            entry.held = None;
            let tail: Vec<&[u8]> = path.steps().skip(cut.steps().count()).collect();
            path = RelativePath::from_bytes(&tail.join(&b'/')).unwrap_or(path);
        }
        if let Some(why) = entry.held.clone() {
            self.refuse(&entry, Reason::Held { why }, false);
            return None;
        }
        if let Some(reason) = self.landings.refused.get(&entry.item).cloned() {
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
        let (step, at) = planned.map_err(|reason| self.refuse(&entry, reason, true)).ok()?;
        if self.steps[step].action != Action::Identical {
            self.count_to_write(&entry, &at);
            conduct.send(&Event::Bytes { size_in_bytes: entry.size_in_bytes() });
            return None;
        }
        self.identical += tally_of(&entry);
        let is_folder = entry.content == Content::Folder;
        (!is_folder).then_some(ToCompare { step, entry, at })
    }

    /// Plans a step, and gives its number and where it goes. What may be identical is planned as if it was.
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
        let action = match (&entry.content, destination.is_there) {
            (Content::Folder, Some(EntryKind::Folder)) => Action::Identical,
            (Content::Folder, Some(EntryKind::Link)) => {
                return Err(Reason::InTheWay { what: "a link".to_owned(), path: at.to_string() });
            }
            (Content::Folder, _) => Action::FolderMade,
            (_, None) => Action::Create,
            (Content::File { .. }, Some(EntryKind::File)) | (Content::Link { .. }, Some(EntryKind::Link)) => {
                Action::Identical
            }
            (_, Some(_)) => {
                let aside = self.tree.choose_aside(&at)?;
                Action::SetAside(aside.name().unwrap_or_default().into())
            }
        };
        if renamed {
            let (key, is_folder) = (EntryKey::of(&entry.address), entry.content == Content::Folder);
            self.renamed.push(Renamed { key, is_folder, at: at.clone(), number });
        }
        let keeps_name = at.name() == entry.address.path.name() && !matches!(action, Action::SetAside(_));
        let home = self.home_number(at.parent().unwrap_or_default());
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

    fn home_number(&mut self, home: RelativePath) -> u32 {
        if let Some(number) = self.home_numbers.get(&home) {
            return *number;
        }
        let number = u32::try_from(self.homes.len()).unwrap_or(u32::MAX);
        self.homes.push(home.clone());
        self.home_numbers.insert(home, number);
        number
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
        // What landed under another name before is compared with that.
        let before = self.history.landed_as(entry).filter(|at| at.parent().as_ref() == Some(&folder));
        let before = before.and_then(|at| Some(at.name()?.to_vec()));
        if entry.content == Content::Folder {
            if let Some(known) = self.folders.get(&key).and_then(|folders| folders.get(path)) {
                // It was made for what is in it, before its own line came.
                return known.clone().map(|path| (Destination { path, is_there: None }, own_path));
            }
            let made = self.make_folder(&folder, before.as_deref().unwrap_or(name));
            let remembered = made.as_ref().map(|made| made.path.clone()).map_err(Clone::clone);
            self.folders.entry(key).or_default().insert(path.clone(), remembered);
            return Ok((made?, own_path));
        }
        Ok((self.tree.choose(&folder, before.as_deref().unwrap_or(name))?, own_path))
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

    fn finish(
        self,
        accounts: BTreeMap<String, String>,
        items: BTreeSet<String>,
    ) -> Result<Plan, RestoreError> {
        let free_in_bytes = self.require_room()?;
        Ok(Plan {
            target: self.tree.host().clone(),
            planned_utc: self.now_utc,
            accounts,
            account_names: Vec::new(),
            items,
            destinations: Vec::new(),
            folders: self.new_folders,
            renamed: self.renamed,
            refused: self.refused,
            to_write: self.to_write,
            identical: self.identical,
            older_system: None,
            open_browsers: self.landings.open_browsers,
            merged: Vec::new(),
            notes: self.landings.notes,
            moves: self.landings.moves,
            adapted: self.adapted,
            edits: self.edits,
            registry: self.landings.registry,
            registry_kept: self.landings.registry_kept,
            beside_edits: self.beside_edits,
            free_in_bytes,
            drives: self.needed_on.into_keys().collect(),
            keeps_modes: false,
            steps: self.steps,
            homes: self.homes,
        })
    }

    /// Refuses a restore for which a drive has too little room. Gives what the machine's root has.
    fn require_room(&self) -> Result<u64, RestoreError> {
        let mut at_root = 0;
        for (drive, needed_in_bytes) in &self.needed_on {
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

/// The half-empty last block of a file, and its row in the folder.
const MOST_LOST_PER_ENTRY_IN_BYTES: u64 = 4096 + 512;

fn tally_of(entry: &Entry) -> Tally {
    match &entry.content {
        Content::File { size_in_bytes, .. } => Tally::file(*size_in_bytes),
        Content::Folder => Tally::FOLDER,
        Content::Link { .. } => Tally::LINK,
    }
}

fn is_identical(what: &ToCompare, host: &HostTree, conduct: Conduct<'_>) -> bool {
    let Ok(path) = host.host_path(&what.at) else { return false };
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
                    .and_then(|mut file| ContentHash::of_reader(&mut file))
                    .is_ok_and(|found| found == *hash)
        }
    }
}
