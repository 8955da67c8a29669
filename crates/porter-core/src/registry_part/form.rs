//! An item's registry keys, as a file of registration entries for a person to take in by hand.

use porter_formats::registration::{RegistrationKey, to_bytes};
use porter_trunk::TrunkItem;

/// The file, and how many values are in it. What a restore leaves in the trunk is in it too, with the reason.
pub fn registration_of(item: &TrunkItem) -> (Vec<u8>, u64) {
    let values: Vec<Vec<(&str, u32, &[u8])>> = item
        .registry
        .iter()
        .map(|key| key.values.iter().map(|value| (&*value.name, value.kind, &*value.data)).collect())
        .collect();
    // A line break would end the line that it is in.
    let is_one_line = |name: &str| !name.contains(['\r', '\n', ']']);
    let keys = item.registry.iter().zip(&values).filter(|(key, _)| is_one_line(&key.key));
    let rows =
        keys.map(|(key, values)| RegistrationKey { key: &key.key, remark: key.held.as_deref(), values });
    let count = values.iter().map(|values| values.len() as u64).sum();
    (to_bytes(rows), count)
}
