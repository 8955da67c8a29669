//! Which items are restored, and where to: decided for whole items, before the planner looks at their
//! entries.

use super::RestoreError;
use super::judge::Judge;
use super::plan::{ItemPlan, Outline, Plan, is_older};
use super::planner::{Planner, Spot, Taken};
use crate::events::Conduct;
use crate::host::most_bytes_in_name;
use crate::journal::History;
use porter_kinds::Kinds;
use porter_kinds::choice::LandHeld;
use porter_kinds::choice::Selection;
use porter_kinds::crossing::accounts::{AccountMap, AccountsError, match_accounts, names_on, place_of};
use porter_kinds::crossing::relocate::Relocation;
use porter_kinds::existing::{Decide, Existing};
use porter_kinds::ground::Ground;
use porter_kinds::receipt::Reason;
use porter_kinds::wishes::KindWishes;
use porter_machine::{Account, Machine};
use porter_names::{NameRules, RelativePath};
use porter_source::HostTree;
use porter_trunk::{AccountLabel, Entry, EntryAddress, Trunk, TrunkItem, TrunkPart};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use time::OffsetDateTime;

/// A person's decisions about a restore.
#[derive(Debug)]
pub struct Wishes<'a> {
    /// Accounts that are called otherwise on the new machine, old to new.
    pub accounts: &'a BTreeMap<String, String>,
    /// Which items.
    pub selection: &'a Selection,
    /// About the items of each kind.
    pub kinds: &'a KindWishes,
    /// Patterns of entries that land although the rules hold them back.
    pub land_held: &'a LandHeld,
    /// When.
    pub now_utc: OffsetDateTime,
}

/// Plans the restore of the chosen items onto a machine. `decide` is asked for each file that is there
/// already and differs.
pub fn plan_restore(
    trunk: &dyn Trunk,
    machine: &Machine,
    kinds: &Kinds,
    wishes: &Wishes<'_>,
    decide: Decide<'_>,
    conduct: Conduct<'_>,
) -> Result<Plan, RestoreError> {
    let Wishes { accounts: given, selection, now_utc, kinds: kind_wishes, land_held } = *wishes;
    let target = machine.volume.host_tree().ok_or(RestoreError::ReadOnlyMachine)?;
    let history = History::load(machine, &trunk.label().trunk_id, &trunk.label().machine.name);
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts, &|id| {
        has_chosen(trunk, selection, id)
    })?;
    let items: BTreeSet<String> = trunk
        .items()
        .iter()
        .filter(|item| item.chosen && selection.chooses(&item.id, item.account.as_deref()))
        .map(|item| item.id.clone())
        .collect();
    refuse_homeless(trunk, &items, &accounts, machine)?;

    let rules = machine.layout.name_rules(most_bytes_in_name());
    let mut planner = Planner::new(target.clone(), rules, now_utc, &history);
    planner.land_held = Some(land_held);
    planner.keeps_modes = machine.has_permissions_of(&trunk.label().machine.system);
    let chosen: Vec<&TrunkItem> = trunk.items().iter().filter(|item| items.contains(&item.id)).collect();
    let of_systems = Relocation::new(trunk.label(), trunk.items(), machine.layout.family, kinds);
    let ground = Ground {
        trunk,
        machine,
        accounts: &accounts,
        earlier: &history,
        catalogue: kinds,
        relocation: &of_systems,
        wishes: kind_wishes,
        land_held,
        now_utc,
    };
    let changes = kinds.land(&chosen, &ground, decide);
    let relocation =
        Relocation::new(trunk.label(), trunk.items(), machine.layout.family, kinds).with(changes.moves());
    planner.relocation = Some(&relocation);
    planner.heed(changes);
    let judge = Judge::new(trunk.items(), machine, kinds, &relocation).landing(land_held);
    let target = |entry: &Entry, _: &RelativePath| {
        let address = relocation.address(entry);
        let base = place_of(machine, &accounts, &address)?.path.clone();
        let at = base.join_path(&address.path);
        let at = at.map_err(|refused| Reason::NotWritten { detail: refused.to_string() })?;
        judge.judge(entry, &address, &at)?;
        let EntryAddress { place, path, .. } = address;
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
    let ground = Ground { relocation: &relocation, ..ground };
    let is_shown =
        |item: &&&TrunkItem| !item.parts.is_empty() || planner.changes.registry_values_of(&item.id) > 0;
    let destinations = chosen.iter().filter(is_shown).map(|item| {
        let at = |part: &TrunkPart| ground.folder_of(item, part);
        let to_write = planner.to_write_by_item.get(&item.id).copied().unwrap_or_default();
        ItemPlan {
            id: item.id.clone(),
            to: item.parts.iter().filter_map(at).collect(),
            to_write,
            registry_values: planner.changes.registry_values_of(&item.id),
        }
    });
    let destinations = destinations.collect();
    let (old, new) = (&trunk.label().machine.system, &machine.system);
    planner.finish(Outline {
        accounts: by_id,
        account_names: wanted.iter().map(|(id, account)| ((*id).clone(), account.shown_name())).collect(),
        destinations,
        same_machine: ground.is_same_machine(),
        older_system: is_older(new, old).then(|| (old.clone(), new.clone())),
        items,
    })
}

/// Plans taking part of one item into a folder: `below` is a path below the item's place, and `wanted`
/// decides by the path of each thing there whether it is taken.
pub fn plan_take(
    trunk: &dyn Trunk,
    item: &str,
    below: &RelativePath,
    wanted: &(dyn Fn(&RelativePath) -> bool + Sync),
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
    planner.taken = Some(Taken { below: below.clone(), cut, wanted });
    // Parts from several places would mix in one folder: each place gets its own.
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
    planner.finish(Outline { items, ..Outline::default() })
}

/// True for an account of the trunk with items that were captured and are chosen.
pub(crate) fn has_chosen(trunk: &dyn Trunk, selection: &Selection, account: &str) -> bool {
    trunk.items().iter().any(|item| {
        item.account.as_deref() == Some(account) && item.chosen && selection.chooses(&item.id, Some(account))
    })
}

/// The accounts of the trunk whose chosen items have no account to land in.
pub fn homeless(
    trunk: &dyn Trunk,
    machine: &Machine,
    given: &BTreeMap<String, String>,
    selection: &Selection,
) -> Result<Vec<AccountLabel>, RestoreError> {
    let history = History::load(machine, &trunk.label().trunk_id, &trunk.label().machine.name);
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts, &|id| {
        has_chosen(trunk, selection, id)
    })?;
    let without = trunk.label().accounts.iter().filter(|account| {
        !matches!(accounts.get(&account.id), Some(Some(_))) && has_chosen(trunk, selection, &account.id)
    });
    Ok(without.cloned().collect())
}

/// No account's things are put into another account or dropped in silence.
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
