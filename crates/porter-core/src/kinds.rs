//! The kinds of items: each knows how to find its own on a machine.
//!
//! - [`ruled`]: what a carry rule finds: folders, and what programs keep in files;
//! - [`browser`]: a browser's profiles, one by one;
//! - [`drive`]: what somebody put at the root of the drive;
//! - [`also`]: what somebody named, wherever it is;
//! - [`setting`]: what is read of a system rather than copied: settings and printers.
//!
//! What files alone say is captured, restored and proved the same way for every kind, by the walk; a kind that has more
//! meaning than its files brings its own code in a file beside these.

pub mod also;
pub mod browser;
pub mod drive;
pub mod ruled;
pub mod setting;

use crate::catalogue::Catalogue;
use crate::item::Item;
use crate::machine::Machine;
use crate::registry_part::attach::attach_registry;

/// A way to find items.
pub trait Kind: Sync {
    /// All its items on a machine.
    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item>;
}

/// Every one there is.
pub static KINDS: &[&dyn Kind] =
    &[&ruled::Ruled, &browser::Browsers, &drive::Drive, &also::Also, &setting::Settings];

/// All items on a machine: people's first, in the order of the accounts, then the machine's own.
pub fn find_items(machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
    let mut items: Vec<Item> = KINDS.iter().flat_map(|kind| kind.find(machine, catalogue)).collect();
    let order = |item: &Item| {
        let owner = item.owner.as_ref();
        owner.and_then(|id| machine.accounts.iter().position(|a| a.id == *id)).unwrap_or(usize::MAX)
    };
    items.sort_by_key(order);
    attach_registry(machine, &mut items);
    items
}

/// What stands before the slash in the ids of somebody's items.
fn owner_id(owner: Option<&crate::machine::Account>) -> &str {
    owner.map_or("machine", |account| account.id.as_str())
}
