//! Whether an item's registry keys are on the new machine.

use super::coming::coming;
use super::landing::{is_same, row_of};
use super::source::{self, PersonRegistry, RegistryTrouble, WithKey};
use crate::catalogue::CarryRule;
use crate::ground::Ground;
use crate::receipt::{CountReceipt, Finding, ItemReceipt, Reason, Verdict};
use porter_machine::Account;
use porter_machine::layout::Family;
use porter_machine::registry::{KeyValues, RegistryKey};
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::collections::{BTreeSet, HashMap};
use time::OffsetDateTime;

/// The name of the count.
pub const COUNT: &str = "registry values";
/// At most this many values are named one by one.
const MOST_NAMED: usize = 5;

/// Proves the items of one machine.
pub struct RegistryProof<'a> {
    /// The facts that are known.
    pub ground: &'a Ground<'a>,
    /// The registries that were looked into, by account: several items of a person are in one, and it is read
    /// once.
    pub opened: HashMap<String, Result<PersonRegistry, RegistryTrouble>>,
}

impl RegistryProof<'_> {
    /// Reads the item's keys on the machine and compares each value. A value that the program has written
    /// since the restore is its work.
    pub fn prove(&mut self, item: &TrunkItem, rule: &CarryRule, account: &Account, row: &mut ItemReceipt) {
        if item.registry.is_empty() {
            return;
        }
        let Ground { machine, earlier, .. } = *self.ground;
        let mut note = |verdict, reason: Reason| {
            let needs_attention = reason.needs_attention() && verdict != Verdict::KeptExisting;
            let path = RelativePath::root();
            row.find(Finding { path, verdict, reason, needs_attention, expected_at: None });
        };
        let moved = item
            .parts
            .iter()
            .find_map(|part| earlier.moved(&item.id, &RelativePath::from_bytes(part.path.as_bytes()).ok()?));
        let moved_to = moved.as_ref().map(|moved| &moved.to);
        let keys = coming(self.ground.label(), item, rule, machine, account, moved_to);
        let captured: u64 = keys.iter().map(|key| key.values.len() as u64).sum();
        if machine.layout.family != Family::Windows {
            if captured > 0 {
                note(Verdict::KeptInTrunk, Reason::RegistryStays { values: captured });
            }
            return;
        }
        let landed_utc = earlier.finished_utc(&item.id);
        let looking = Looking { keys: &keys, landed_utc };
        let opened = self.opened.entry(account.id.clone()).or_insert_with(|| source::open(machine, account));
        let found = match opened {
            Ok(registry) => registry.read(looking).ok_or_else(|| RegistryTrouble::Unreadable.to_string()),
            Err(cause) => Err(cause.to_string()),
        };
        let (landed, differing) = match found {
            Ok(found) => found,
            Err(_) if captured == 0 => return,
            Err(detail) => {
                note(Verdict::Changed, Reason::RegistryNotEntered { detail });
                (0, Vec::new())
            }
        };
        if !differing.is_empty() {
            let verdict =
                if earlier.registry_kept(&item.id) { Verdict::KeptExisting } else { Verdict::Changed };
            let values = differing.len() as u64;
            let names = differing.into_iter().take(MOST_NAMED).collect();
            note(verdict, Reason::RegistryDiffers { values, names });
        }
        let held: BTreeSet<&String> = item.registry.iter().filter_map(|key| key.held.as_ref()).collect();
        for why in held {
            note(Verdict::KeptInTrunk, Reason::Held { why: why.clone() });
        }
        if captured > 0 {
            row.counts.push(CountReceipt { name: COUNT.to_owned(), captured, landed });
        }
    }
}

struct Looking<'k> {
    keys: &'k [KeyValues],
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
