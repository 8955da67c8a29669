//! The kinds of items there are, and what is asked of all of them.

use crate::catalogue::Catalogue;
use crate::changes::Changes;
use crate::existing::Decide;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::registry_part::attach::attach_registry;
use porter_machine::Machine;
use porter_trunk::TrunkItem;
use std::ops::Deref;

/// Every kind that comes with porter.
static BUILT_IN: &[&dyn Kind] = &[
    &crate::account::Accounts,
    &crate::ruled::Ruled,
    &crate::browser::Browsers,
    &crate::mail::Mail,
    &crate::mail::people::People,
    // Before what was at the root of the drive goes elsewhere, and before their printers.
    &crate::printer_driver::PrinterDrivers,
    &crate::drive::Drive,
    &crate::also::Also,
    &crate::network_files::NetworkFiles,
    &crate::printer::Printers,
    &crate::setting::Settings,
    &crate::scheduled_task::ScheduledTasks,
    &crate::font::Fonts,
];

/// The kinds and the carry rules in force: all that porter knows to find.
#[derive(Debug)]
pub struct Kinds {
    catalogue: Catalogue,
    list: Vec<&'static dyn Kind>,
}

impl std::fmt::Debug for dyn Kind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

/// The rules.
impl Deref for Kinds {
    type Target = Catalogue;
    fn deref(&self) -> &Catalogue {
        &self.catalogue
    }
}

impl From<Catalogue> for Kinds {
    fn from(catalogue: Catalogue) -> Self {
        Self { catalogue, list: BUILT_IN.to_vec() }
    }
}

impl Kinds {
    /// The same with one kind more.
    #[must_use]
    pub fn with(mut self, kind: &'static dyn Kind) -> Self {
        self.list.push(kind);
        self
    }

    /// All kinds, in the order in which they find and land.
    pub fn all(&self) -> impl Iterator<Item = &'static dyn Kind> + '_ {
        self.list.iter().copied()
    }

    /// The kind of an item: the one of its name, or else that of carry rules, whose items have many.
    pub fn of(&self, item: &Item) -> &'static dyn Kind {
        self.all().find(|kind| kind.name() == item.kind).unwrap_or(&crate::ruled::Ruled)
    }

    /// All items on a machine: people's first, in the order of the accounts, then the machine's own.
    pub fn find_items(&self, machine: &Machine) -> Vec<Item> {
        let mut items: Vec<Item> =
            self.list.iter().flat_map(|kind| kind.find(machine, &self.catalogue)).collect();
        items.sort_by_key(|item| machine.rank_of(item.owner.as_deref()));
        attach_registry(machine, &mut items);
        self.list.iter().for_each(|kind| kind.complete(machine, &self.catalogue, &mut items));
        items
    }

    /// Decides about all items that are restored, beside their files. `decide` is asked for values of
    /// registries that are there already and differ.
    pub fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, decide: Decide<'_>) -> Changes {
        let mut changes = Changes::default();
        crate::account::note_made(ground, &mut changes);
        for kind in self.all() {
            let own: Vec<&TrunkItem> = items.iter().copied().filter(|item| kind.has(item)).collect();
            if !own.is_empty() {
                kind.land(&own, ground, &mut changes);
            }
        }
        crate::registry_part::landing::land(ground, items, decide, &mut changes);
        changes
    }
}
