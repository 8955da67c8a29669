//! The new machine's places for a trunk's registry keys.

use crate::catalogue::registry::part_of;
use crate::catalogue::{CarryRule, PROFILE_PART};
use crate::crossing::old_paths::OldPaths;
use porter_machine::registry::KeyValues;
use porter_machine::{Account, Machine};
use porter_names::RelativePath;
use porter_trunk::{Label, RegistryKey, RegistryValue, TrunkItem, TrunkPart};

/// The keys of an item that land by its rule. A trunk's other keys stay in it: a key that starts programs
/// must not come in by a trunk.
///
/// `moved_to` is where the item's profile went or goes, if elsewhere.
pub(super) fn coming(
    label: &Label,
    item: &TrunkItem,
    rule: &CarryRule,
    machine: &Machine,
    account: &Account,
    moved_to: Option<&RelativePath>,
) -> Vec<KeyValues> {
    let old = label.accounts.iter().find(|old| Some(&old.id) == item.account.as_ref());
    let Some(old) = old.filter(|_| !item.registry.is_empty()) else { return Vec::new() };
    let part = item.parts.iter().find(|part| part.name == PROFILE_PART);
    let folder = part.and_then(|part| folder_of_profile(part, moved_to));
    let paths = OldPaths::of_person(label, old, machine, account);
    item.registry.iter().filter_map(|key| one(key, rule, folder.as_deref(), &paths)).collect()
}

fn one(known: &RegistryKey, rule: &CarryRule, folder: Option<&str>, paths: &OldPaths) -> Option<KeyValues> {
    let part = part_of(&rule.registry, &known.key).filter(|part| part.hold.is_none())?;
    if known.held.is_some() || !is_path(&known.key) {
        return None;
    }
    let key = if part.by_profile {
        let below = known.key.get(part.key.len() + 1..)?;
        let rest = below.find('\\').map_or("", |at| &below[at..]);
        format!("{}\\{}{rest}", part.key, folder?)
    } else {
        known.key.clone()
    };
    let follow = |value: &RegistryValue| match value.text().and_then(|text| paths.follow(&text)) {
        Some(followed) => value.with_text(&followed),
        None => value.clone(),
    };
    let is_own = |value: &&RegistryValue| part.has_value(&value.name) && !value.name.contains('\0');
    Some(KeyValues { key, values: known.values.iter().filter(is_own).map(follow).collect() })
}

/// True if each step is a name that Windows takes.
fn is_path(key: &str) -> bool {
    const LONGEST_NAME: usize = 255;
    let is_name =
        |step: &str| !step.is_empty() && !step.contains('\0') && step.encode_utf16().count() <= LONGEST_NAME;
    key.split('\\').all(is_name)
}

/// The name of the folder that a profile had, or has now if it went elsewhere.
fn folder_of_profile(part: &TrunkPart, moved_to: Option<&RelativePath>) -> Option<String> {
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    String::from_utf8(moved_to.unwrap_or(&from).name()?.to_vec()).ok()
}
