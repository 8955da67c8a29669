//! An item's registry keys, as a file of registration entries for a person to take in by hand.

use crate::catalogue::CarryRule;
use crate::catalogue::registry::part_of;
use porter_formats::registration::{RegistrationKey, to_bytes};
use porter_trunk::{RegistryKey, TrunkItem};

/// The file, its number of values, and the keys that are not in it: those that no rule names, and those by
/// which programs start. Keys that a restore leaves in the trunk for another reason are in it, with that
/// reason.
pub fn registration_of<'i>(item: &'i TrunkItem, rule: Option<&CarryRule>) -> (Vec<u8>, u64, Vec<&'i str>) {
    // A line break would end the line that it is in.
    let is_one_line = |name: &str| !name.contains(['\r', '\n', ']']);
    let is_named = |key: &str| rule.is_none_or(|rule| part_of(&rule.registry, key).is_some());
    let is_given_out =
        |key: &&RegistryKey| is_one_line(&key.key) && is_named(&key.key) && !starts_programs(&key.key);
    let (keys, kept): (Vec<&RegistryKey>, Vec<&RegistryKey>) = item.registry.iter().partition(is_given_out);
    let values: Vec<Vec<(&str, u32, &[u8])>> = keys
        .iter()
        .map(|key| key.values.iter().map(|value| (&*value.name, value.kind, &*value.data)).collect())
        .collect();
    let rows = keys.iter().zip(&values);
    let rows =
        rows.map(|(key, values)| RegistrationKey { key: &key.key, remark: key.held.as_deref(), values });
    let count = values.iter().map(|values| values.len() as u64).sum();
    (to_bytes(rows), count, kept.into_iter().map(|key| key.key.as_str()).collect())
}

/// True for the keys of a person's registry whose values Windows runs when somebody signs in, or opens a
/// console.
fn starts_programs(key: &str) -> bool {
    const STARTS: [&str; 6] = [
        "\\currentversion\\run",
        "\\currentversion\\policies\\explorer\\run",
        "\\windows nt\\currentversion\\windows",
        "\\windows nt\\currentversion\\winlogon",
        "\\microsoft\\command processor",
        "\\environment",
    ];
    let key = format!("\\{}", key.to_lowercase());
    STARTS.iter().any(|start| key.contains(start))
}
