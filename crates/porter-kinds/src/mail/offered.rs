//! The addresses that Outlook offers while somebody types, under the name that the new machine's Outlook
//! looks for: since 2010 over the list that it keeps there, before that by the name of its profile.

use super::contacts::is_autocomplete;
use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use crate::registry_part::source::{self, WithKey};
use crate::trunk_file;
use porter_formats::mail::autocomplete;
use porter_machine::layout::Family;
use porter_machine::registry::RegistryKey;
use porter_machine::{Account, Place, PlaceState, small_file};
use porter_names::RelativePath;
use porter_names::portable::as_one_step;
use porter_trunk::{Entry, TrunkItem};
use std::collections::HashMap;

/// The rule whose items have the lists.
const LISTS: &str = "/mail/outlook-lists";
/// Where Outlook keeps them since 2010, and before.
const CACHE: &str = "Microsoft/Outlook/RoamCache";
const OLD: &str = "Microsoft/Outlook";
/// No list is longer.
const LONGEST_IN_BYTES: u64 = 16 << 20;

/// A list of the trunk.
struct List {
    /// In small letters.
    name: String,
    is_old: bool,
    rows: usize,
    content: Vec<u8>,
}

/// Lands the longest list of each kind once more, where it is looked for.
pub(super) fn land(items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
    if ground.machine.layout.family != Family::Windows || ground.is_same_machine() {
        return;
    }
    let of_lists: Vec<&TrunkItem> = items.iter().filter(|item| item.id.ends_with(LISTS)).copied().collect();
    if of_lists.is_empty() {
        return;
    }
    let mut all = lists_of(&of_lists, ground);
    for item in of_lists {
        let Some(account) = ground.account_of(item) else { continue };
        let lists = all.remove(&item.id).unwrap_or_default();
        let longest =
            |is_old: bool| lists.iter().filter(|list| list.is_old == is_old).max_by_key(|list| list.rows);
        if let Some(list) = longest(false) {
            over_the_cache(item, list, account, ground, changes);
        }
        if let Some(list) = longest(true) {
            as_its_profile(item, list, account, ground, changes);
        }
    }
}

/// The lists of each item, in one pass through the trunk. One that is damaged is passed by: it landed as it
/// is, and its receipt says so.
fn lists_of(items: &[&TrunkItem], ground: &Ground<'_>) -> HashMap<String, Vec<List>> {
    let mut lists: HashMap<String, Vec<List>> = HashMap::new();
    let Ok(entries) = ground.trunk.entries() else { return lists };
    for entry in entries.flatten().filter(|entry| items.iter().any(|item| item.id == entry.item)) {
        if let Some(list) = list_in(&entry, ground) {
            lists.entry(entry.item).or_default().push(list);
        }
    }
    lists
}

fn list_in(entry: &Entry, ground: &Ground<'_>) -> Option<List> {
    let name = String::from_utf8_lossy(entry.address.path.name()?).to_lowercase();
    if !is_autocomplete(&name) {
        return None;
    }
    let content = trunk_file::read(ground.trunk, entry, LONGEST_IN_BYTES)?;
    let rows = autocomplete::addresses(&content).ok()?.len();
    Some(List { is_old: name.ends_with(".nk2"), rows, content, name })
}

/// Writes it over the only list that is there, if that has fewer addresses and another name. Where there is
/// none, Outlook knows no name for it yet.
fn over_the_cache(
    item: &TrunkItem,
    list: &List,
    account: &Account,
    ground: &Ground<'_>,
    changes: &mut Changes,
) {
    let Some(folder) = folder_in(Place::LocalData, CACHE, account, ground) else { return };
    let there = ground.machine.volume.list(&folder).into_iter().flatten().flatten();
    let there = there.filter(|row| is_autocomplete(&String::from_utf8_lossy(&row.name)));
    let there: Vec<RelativePath> = there.filter_map(|row| folder.join(&row.name).ok()).collect();
    let [at] = &there[..] else { return };
    let has = small_file::read(&*ground.machine.volume, at);
    let rows = has.and_then(|file| autocomplete::addresses(&file).ok()).map_or(0, |rows| rows.len());
    let is_named_so = at.name().is_some_and(|name| String::from_utf8_lossy(name).to_lowercase() == list.name);
    if rows < list.rows && !is_named_so {
        write(item, at.clone(), list, changes);
    }
}

/// Writes it under the name of the profile, if that has none.
fn as_its_profile(
    item: &TrunkItem,
    list: &List,
    account: &Account,
    ground: &Ground<'_>,
    changes: &mut Changes,
) {
    let registry = source::open(ground.machine, account).ok();
    let Some(profile) = registry.and_then(|registry| registry.read(DefaultProfile)).flatten() else { return };
    let Some(folder) = folder_in(Place::RoamingData, OLD, account, ground) else { return };
    let name = format!("{}.nk2", as_one_step(&profile));
    if let Ok(at) = folder.join(name.as_bytes())
        && ground.machine.looker().find_path(&at).state == PlaceState::Absent
    {
        write(item, at, list, changes);
    }
}

fn write(item: &TrunkItem, at: RelativePath, list: &List, changes: &mut Changes) {
    changes.write(Edit::new(&item.id, at, list.content.clone()));
}

fn folder_in(place: Place, below: &str, account: &Account, ground: &Ground<'_>) -> Option<RelativePath> {
    let place = ground.machine.place(Some(account), place)?;
    let at = place.path.join_path(&RelativePath::from_bytes(below.as_bytes()).ok()?).ok()?;
    Some(ground.machine.looker().find_path(&at).path)
}

/// The profile that an Outlook up to 2010 opens by itself.
struct DefaultProfile;

impl WithKey for DefaultProfile {
    type Gives = Option<String>;

    fn with(self, root: &impl RegistryKey) -> Option<String> {
        const PROFILES: &str =
            r"Software\Microsoft\Windows NT\CurrentVersion\Windows Messaging Subsystem\Profiles";
        root.subkey(PROFILES)?.text("DefaultProfile").filter(|name| !name.trim().is_empty())
    }
}
