//! What of a trunk's registry keys goes where on the new machine.

use crate::catalogue::CarryRule;
use crate::catalogue::registry::part_of;
use crate::restore::old_paths::OldPaths;
use porter_names::RelativePath;
use porter_trunk::{Label, RegistryKey, RegistryValue, TrunkItem, TrunkPart};

/// A key that is to be on the new machine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct ComingKey {
    /// Its path below the root of the person's registry.
    pub(super) key: String,
    /// Its values, with the paths in them as they are on the new machine.
    pub(super) values: Vec<RegistryValue>,
}

/// The keys of an item, as far as the rule says that they land. What a trunk has beside them is nobody's, and stays where it is: a
/// key that starts programs must not come in by a trunk.
///
/// `folder` is the name of the profile's folder on the new machine.
pub(super) fn coming(
    item: &TrunkItem,
    rule: &CarryRule,
    folder: Option<&str>,
    paths: &OldPaths,
) -> Vec<ComingKey> {
    item.registry.iter().filter_map(|key| one(key, rule, folder, paths)).collect()
}

fn one(known: &RegistryKey, rule: &CarryRule, folder: Option<&str>, paths: &OldPaths) -> Option<ComingKey> {
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
    Some(ComingKey { key, values: known.values.iter().filter(is_own).map(follow).collect() })
}

/// True if each step is a name that Windows takes.
fn is_path(key: &str) -> bool {
    const LONGEST_NAME: usize = 255;
    let is_name =
        |step: &str| !step.is_empty() && !step.contains('\0') && step.encode_utf16().count() <= LONGEST_NAME;
    key.split('\\').all(is_name)
}

/// The name of the folder that a profile had, or has now if it went elsewhere.
pub(super) fn folder_of_profile(part: &TrunkPart, moved_to: Option<&RelativePath>) -> Option<String> {
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    String::from_utf8(moved_to.unwrap_or(&from).name()?.to_vec()).ok()
}

/// The account of a trunk that an item belongs to.
pub(super) fn owner_in<'l>(label: &'l Label, item: &TrunkItem) -> Option<&'l porter_trunk::AccountLabel> {
    label.accounts.iter().find(|account| Some(&account.id) == item.account.as_ref())
}
