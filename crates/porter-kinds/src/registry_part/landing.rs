//! How registry keys get onto the new machine. Decided before anything is written.
//!
//! A hive in a file becomes a new one, with what comes; what it was is set aside, as with every file that
//! changes. On the running system single values are set, each written down before.

use super::coming::coming;
use super::source::{self, HiveFile, PersonRegistry, RegistryTrouble, WithKey};
use crate::changes::{Changes, Edit, SetControl};
use crate::existing::{Decide, Different, Existing, Side};
use crate::ground::Ground;
use crate::receipt::Reason;
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{KeyTree, ValueKind};
use porter_machine::Account;
use porter_machine::control::registry_key::{self, RegistryKeys};
use porter_machine::control::registry_value::{self, RegistryValues};
use porter_machine::layout::Family;
use porter_machine::registry::{KeyValues, RegistryKey, RegistryRow, running};
use porter_names::RelativePath;
use porter_trunk::{RegistryValue, TrunkItem};
use std::collections::{BTreeMap, HashSet};
use time::OffsetDateTime;

/// The part of one item that comes into one person's registry.
struct Part<'i> {
    item: &'i TrunkItem,
    keys: Vec<KeyValues>,
    /// True if values that differ are replaced, whatever is said of others.
    replaces: bool,
}

/// Decides about the registry keys of all `items`. Values that are there already and differ are replaced or
/// kept as `decide` says, once for an item.
pub fn land(ground: &Ground<'_>, items: &[&TrunkItem], decide: Decide<'_>, changes: &mut Changes) {
    if ground.machine.layout.family != Family::Windows {
        return;
    }
    let mut by_account: BTreeMap<&str, (&Account, Vec<Part<'_>>)> = BTreeMap::new();
    for item in items {
        let Some(account) = ground.account_of(item) else { continue };
        if changes.refused(&item.id).is_some() {
            continue;
        }
        let of_kind = changes.registry(&item.id);
        let replaces = !of_kind.is_empty();
        let keys = if replaces { of_kind.to_vec() } else { keys_of(ground, item, account, changes) };
        if !keys.is_empty() {
            let part = Part { item, keys, replaces };
            by_account.entry(&account.id).or_insert((account, Vec::new())).1.push(part);
        }
    }
    for (account, parts) in by_account.into_values() {
        let landed = source::open(ground.machine, account).and_then(|registry| {
            let wanted = wanted(&registry, account, &parts, decide, changes)?;
            match registry {
                PersonRegistry::Running(sid) => {
                    set_values(&sid, wanted, changes);
                    Ok(())
                }
                PersonRegistry::InFile(file) => write_anew(&file, wanted, ground.now_utc, changes),
            }
        });
        if let Err(cause) = landed {
            for part in &parts {
                changes.note(&part.item.id, Reason::RegistryNotEntered { detail: cause.to_string() });
            }
        }
    }
}

fn keys_of(ground: &Ground<'_>, item: &TrunkItem, account: &Account, changes: &Changes) -> Vec<KeyValues> {
    let Some(rule) = ground.catalogue.rule_of(item) else { return Vec::new() };
    let moved_to = changes.moved(&item.id).map(|moved| &moved.to);
    coming(ground.label(), item, rule, ground.machine, account, moved_to)
}

/// The values of each part that have to be written: all that differ from those present.
fn wanted<'p>(
    registry: &PersonRegistry,
    account: &Account,
    parts: &'p [Part<'_>],
    decide: Decide<'_>,
    changes: &mut Changes,
) -> Result<Vec<(&'p TrunkItem, Vec<KeyValues>)>, RegistryTrouble> {
    let mut all = Vec::new();
    for part in parts {
        let Compared { mut missing, different, differs } =
            registry.read(Comparing { keys: &part.keys }).ok_or(RegistryTrouble::Unreadable)?;
        if let Some(differs) = differs {
            let at = differs.key.replace('\\', "/");
            let at = account
                .home
                .join(b"NTUSER.DAT")
                .and_then(|hive| hive.join_path(&RelativePath::from_bytes(at.as_bytes())?));
            let values = different.iter().flat_map(|key| &key.values);
            let size_in_bytes = values.map(|value| value.data.len() as u64).sum();
            let pair = Different {
                at: at.unwrap_or_default(),
                in_trunk: Side { size_in_bytes, modified_utc: None },
                there: Side { size_in_bytes: differs.size_in_bytes, modified_utc: differs.written_utc },
            };
            if !part.replaces && decide(&pair) == Existing::Keep {
                changes.keep_registry(&part.item.id);
            } else {
                missing.extend(different);
            }
        }
        if !missing.is_empty() {
            all.push((part.item, missing));
        }
    }
    Ok(all)
}

struct Comparing<'k> {
    keys: &'k [KeyValues],
}

struct Compared {
    /// Keys and values that are not there.
    missing: Vec<KeyValues>,
    /// Values that are there and are others.
    different: Vec<KeyValues>,
    /// The present value, if another.
    differs: Option<Differs>,
}

struct Differs {
    /// The first key in which something differs.
    key: String,
    size_in_bytes: u64,
    written_utc: Option<OffsetDateTime>,
}

impl WithKey for Comparing<'_> {
    type Gives = Compared;

    fn with(self, root: &impl RegistryKey) -> Compared {
        let mut compared = Compared { missing: Vec::new(), different: Vec::new(), differs: None };
        for coming in self.keys {
            let Some(there) = root.subkey(&coming.key) else {
                compared.missing.push(coming.clone());
                continue;
            };
            let rows = there.rows();
            let with = |values| KeyValues { key: coming.key.clone(), values };
            let (mut missing, mut different) = (Vec::new(), Vec::new());
            for value in &coming.values {
                match row_of(&rows, &value.name) {
                    Some(row) if is_same(row, value) => {}
                    Some(row) => {
                        let first = || Differs {
                            key: coming.key.clone(),
                            size_in_bytes: 0,
                            written_utc: there.last_written_utc(),
                        };
                        compared.differs.get_or_insert_with(first).size_in_bytes += row.data.len() as u64;
                        different.push(value.clone());
                    }
                    None => missing.push(value.clone()),
                }
            }
            compared.missing.extend((!missing.is_empty()).then(|| with(missing)));
            compared.different.extend((!different.is_empty()).then(|| with(different)));
        }
        compared
    }
}

/// The value of that name, whatever its case.
pub(super) fn row_of<'r>(rows: &'r [Option<RegistryRow>], name: &str) -> Option<&'r RegistryRow> {
    rows.iter().flatten().find(|row| row.name.to_lowercase() == name.to_lowercase())
}

pub(super) fn is_same(row: &RegistryRow, value: &RegistryValue) -> bool {
    (row.kind, &row.data) == (value.kind, &value.data)
}

fn set_values(sid: &str, wanted: Vec<(&TrunkItem, Vec<KeyValues>)>, changes: &mut Changes) {
    // A key above several is made before all of them, and once: an undo removes it after them.
    let mut made = HashSet::new();
    for (item, keys) in wanted {
        let mut set = |control, becomes| {
            let if_not_set = |detail| Reason::RegistryNotEntered { detail };
            let set = SetControl::new(&item.id, control, becomes, if_not_set);
            changes.set(SetControl { owner: sid.to_owned(), ..set });
        };
        let mut values_set = 0;
        for KeyValues { key, values } in keys {
            let above = key.match_indices('\\').map(|(at, _)| &key[..at]);
            for key in above.chain([key.as_str()]) {
                if !running::has_key(sid, key) && made.insert(key.to_lowercase()) {
                    set(&RegistryKeys, registry_key::facts(key));
                }
            }
            for value in values {
                values_set += 1;
                set(&RegistryValues, registry_value::facts(&key, &value));
            }
        }
        changes.add_registry_values(&item.id, values_set);
    }
}

fn write_anew(
    file: &HiveFile,
    wanted: Vec<(&TrunkItem, Vec<KeyValues>)>,
    now_utc: OffsetDateTime,
    changes: &mut Changes,
) -> Result<(), RegistryTrouble> {
    let Some((first, _)) = wanted.first() else { return Ok(()) };
    let item = first.id.clone();
    file.require_whole()?;
    let (tree, damage) = KeyTree::from_hive(&file.hive);
    // Whatever is damaged would not be in the new one: such a hive stays as it is.
    if let Some(damage) = damage.into_iter().next() {
        return Err(damage.into());
    }
    let mut tree = tree.ok_or(RegistryTrouble::Unreadable)?;
    let ticks = porter_source::filetime_from_utc(now_utc).unwrap_or_default();
    for (item, keys) in wanted {
        for coming in keys {
            changes.add_registry_values(&item.id, coming.values.len() as u64);
            let key = tree.key(&coming.key);
            key.last_written = ticks;
            for value in coming.values {
                key.set(&value.name, ValueKind::from_number(value.kind), value.data);
            }
        }
    }
    let block = file.hive.base_block();
    let name = String::from_utf8_lossy(file.at.name().unwrap_or_default()).into_owned();
    let heading = Heading {
        version: if block.minor_version == 3 { Version::V1_3 } else { Version::V1_5 },
        last_written: ticks,
        sequence: block.primary_sequence.max(block.secondary_sequence).wrapping_add(1),
        file_name: name,
    };
    let content = to_bytes(&tree, &heading)?;
    changes.write(Edit { set_aside_too: file.logs.clone(), ..Edit::new(&item, file.at.clone(), content) });
    Ok(())
}
