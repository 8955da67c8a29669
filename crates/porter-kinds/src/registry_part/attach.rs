//! An item's keys in its owner's registry.

use super::source::{self, WithKey};
use crate::catalogue::registry::part_of;
use crate::catalogue::{PROFILE_PART, RegistryPart};
use crate::item::Item;
use crate::part::What;
use porter_machine::layout::Family;
use porter_machine::registry::{RegistryKey, RegistryRow};
use porter_machine::{Account, Machine};
use porter_trunk::RegistryValue;
use std::collections::HashSet;

/// No program has keys inside each other deeper than this; deeper ones are left out, and reported.
const MOST_LEVELS: usize = 32;
/// The fact that names the number of unreadable values.
pub const UNREADABLE: &str = "registry values that cannot be read";

/// Attaches registry keys to the items of a Windows. Keys that several items of a rule share go to the first
/// of them. A registry that cannot be read attaches nothing: the survey of the machine reports it.
pub fn attach_registry(machine: &Machine, items: &mut [Item]) {
    if machine.layout.family != Family::Windows {
        return;
    }
    for account in &machine.accounts {
        let wants = |item: &&mut Item| {
            item.owner.as_ref() == Some(&account.id)
                && item.rule.as_ref().is_some_and(|rule| !rule.registry.is_empty())
        };
        let mut wanting: Vec<&mut Item> = items.iter_mut().filter(wants).collect();
        if !wanting.is_empty() {
            attach_of(machine, account, &mut wanting);
        }
    }
}

fn attach_of(machine: &Machine, account: &Account, items: &mut [&mut Item]) {
    let Ok(registry) = source::open(machine, account) else { return };
    let mut seen = HashSet::new();
    for item in items {
        let Some(rule) = item.rule.clone() else { continue };
        let is_first = seen.insert(rule.id.clone());
        let folder = profile_folder(item);
        let found =
            registry.read(Reading { parts: &rule.registry, shared: is_first, folder: folder.as_deref() });
        let Some((keys, unreadable)) = found else { return };
        item.registry = keys;
        if unreadable > 0 {
            item.facts.insert(UNREADABLE.to_owned(), unreadable.to_string());
        }
    }
}

/// The name of the folder of a profile.
fn profile_folder(item: &Item) -> Option<String> {
    let part = item.parts.iter().find(|part| part.name == PROFILE_PART)?;
    let What::At(path) = &part.what else { return None };
    String::from_utf8(path.name()?.to_vec()).ok()
}

struct Reading<'r> {
    parts: &'r [RegistryPart],
    /// True for the item that has what all of its rule share.
    shared: bool,
    folder: Option<&'r str>,
}

impl WithKey for Reading<'_> {
    type Gives = (Vec<porter_trunk::RegistryKey>, u64);

    fn with(self, root: &impl RegistryKey) -> Self::Gives {
        let mut reader = Reader { parts: self.parts, keys: Vec::new(), unreadable: 0 };
        for part in self.parts {
            let is_own = if part.by_profile { self.folder.is_some() } else { self.shared };
            // A part inside another is found on the way through that one.
            let is_inside = |other: &RegistryPart| {
                other != part && !other.by_profile && other.values.is_empty() && other.has(&part.key)
            };
            if !is_own || (!part.by_profile && self.parts.iter().any(is_inside)) {
                continue;
            }
            let path = match self.folder.filter(|_| part.by_profile) {
                Some(folder) => format!("{}\\{folder}", part.key),
                None => part.key.clone(),
            };
            if let Some(key) = root.subkey(&path) {
                reader.read(&key, &path, part.by_profile, 0);
            }
        }
        (reader.keys, reader.unreadable)
    }
}

struct Reader<'r> {
    parts: &'r [RegistryPart],
    keys: Vec<porter_trunk::RegistryKey>,
    unreadable: u64,
}

impl Reader<'_> {
    /// Reads a key and those below it that belong to a part: one that is by profile, or one that is not.
    fn read(&mut self, key: &impl RegistryKey, path: &str, by_profile: bool, level: usize) {
        let Some(part) = part_of(self.parts, path).filter(|part| part.by_profile == by_profile) else {
            return;
        };
        if level > MOST_LEVELS {
            self.unreadable += 1;
            return;
        }
        let rows = key.rows();
        self.unreadable += rows.iter().filter(|row| row.is_none()).count() as u64;
        let values: Vec<RegistryValue> = rows
            .into_iter()
            .flatten()
            .filter(|row| part.has_value(&row.name))
            .map(|RegistryRow { name, kind, data }| RegistryValue { name, kind, data })
            .collect();
        // A key with nothing in it says nothing, unless a program asks whether it is there: those are below
        // programs' own keys.
        let below = if part.values.is_empty() { key.below() } else { Vec::new() };
        if !values.is_empty() || (level > 0 && below.is_empty()) {
            let held = part.hold.clone();
            self.keys.push(porter_trunk::RegistryKey { key: path.to_owned(), values, held });
        }
        for (name, key) in below {
            self.read(&key, &format!("{path}\\{name}"), by_profile, level + 1);
        }
    }
}
