//! Whether an item's registry keys are on the new machine.

use super::coming::{ComingKey, coming, folder_of_profile, owner_in};
use super::landing::{is_same, row_of};
use super::source::{self, RegistryTrouble, WithKey};
use crate::catalogue::{CarryRule, PROFILE_PART};
use crate::machine::layout::Family;
use crate::machine::registry::RegistryKey;
use crate::machine::{Account, Machine};
use crate::receipt::{CountReceipt, Finding, ItemReceipt, Reason, Verdict};
use crate::restore::history::History;
use crate::restore::old_paths::OldPaths;
use porter_names::RelativePath;
use porter_trunk::{Label, TrunkItem};
use std::collections::BTreeSet;
use time::OffsetDateTime;

/// What is counted.
pub const COUNT: &str = "registry values";
/// No more values are named one by one.
const MOST_NAMED: usize = 5;

/// Reads the item's keys on the machine and compares each value. What a program has written since the restore is its work.
pub(crate) fn prove(
    label: &Label,
    item: &TrunkItem,
    rule: &CarryRule,
    machine: &Machine,
    account: &Account,
    history: &History,
    row: &mut ItemReceipt,
) {
    let Some(old) = owner_in(label, item).filter(|_| !item.registry.is_empty()) else { return };
    let mut note = |verdict, reason: Reason| {
        let needs_attention = reason.needs_attention() && verdict != Verdict::KeptExisting;
        let path = RelativePath::root();
        row.find(Finding { path, verdict, reason, needs_attention, expected_at: None });
    };
    let part = item.parts.iter().find(|part| part.name == PROFILE_PART);
    let moved = history.moved(&item.id).map(|moved| &moved.to);
    let folder = part.and_then(|part| folder_of_profile(part, moved));
    let paths = OldPaths::of_person(label, old, machine, account);
    let keys = coming(item, rule, folder.as_deref(), &paths);
    let captured: u64 = keys.iter().map(|key| key.values.len() as u64).sum();
    if machine.layout.family != Family::Windows {
        if captured > 0 {
            note(Verdict::Landed, Reason::RegistryStays { values: captured });
        }
        return;
    }
    let landed_utc = history.finished_utc(&item.id);
    let looking = Looking { keys: &keys, landed_utc };
    let found = source::open(machine, account)
        .and_then(|registry| registry.read(looking).ok_or(RegistryTrouble::Unreadable));
    let (landed, differing) = match found {
        Ok(found) => found,
        Err(_) if captured == 0 => return,
        Err(cause) => {
            note(Verdict::Changed, Reason::RegistryNotEntered { detail: cause.to_string() });
            (0, Vec::new())
        }
    };
    if !differing.is_empty() {
        let verdict = if history.registry_kept(&item.id) { Verdict::KeptExisting } else { Verdict::Changed };
        let values = differing.len() as u64;
        let names = differing.into_iter().take(MOST_NAMED).collect();
        note(verdict, Reason::RegistryDiffers { values, names });
    }
    let held: BTreeSet<&String> = item.registry.iter().filter_map(|key| key.held.as_ref()).collect();
    for why in held {
        note(Verdict::Landed, Reason::Held { why: why.clone() });
    }
    if captured > 0 {
        row.counts.push(CountReceipt { name: COUNT.to_owned(), captured, landed });
    }
}

struct Looking<'k> {
    keys: &'k [ComingKey],
    landed_utc: Option<OffsetDateTime>,
}

impl WithKey for Looking<'_> {
    /// How many are there as they should be, and which are not.
    type Gives = (u64, Vec<String>);

    fn with(self, root: &impl RegistryKey) -> Self::Gives {
        let (mut landed, mut differing) = (0, Vec::new());
        for coming in self.keys {
            let there = root.subkey(&coming.key);
            let rows = there.as_ref().map(RegistryKey::rows).unwrap_or_default();
            let written_utc = there.as_ref().and_then(RegistryKey::last_written_utc);
            let changed_since =
                self.landed_utc.is_some_and(|landed| written_utc.is_some_and(|at| at > landed));
            for value in &coming.values {
                if changed_since || row_of(&rows, &value.name).is_some_and(|row| is_same(row, value)) {
                    landed += 1;
                } else {
                    differing.push(format!("{}\\{}", coming.key, value.name));
                }
            }
        }
        (landed, differing)
    }
}
