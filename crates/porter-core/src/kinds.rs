//! The kinds of items: each knows how to find its own on a machine.
//!
//! So far there is one, [`folder`]. What files alone say is captured, restored and proved the same way for every
//! kind, by the walk; a kind that has more meaning than its files brings its own code in a file beside it.

pub mod folder;

use crate::catalogue::Catalogue;
use crate::item::Item;
use crate::machine::Machine;

/// A kind of item.
pub trait Kind: Sync {
    /// Its name in ids.
    fn name(&self) -> &'static str;

    /// All items of this kind on a machine.
    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item>;
}

/// Every kind there is.
pub static KINDS: &[&dyn Kind] = &[&folder::Folder];

/// All items on a machine: people's first, in the order of the accounts, then the machine's own.
pub fn find_items(machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
    KINDS.iter().flat_map(|kind| kind.find(machine, catalogue)).collect()
}
