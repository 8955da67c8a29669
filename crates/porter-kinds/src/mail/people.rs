//! Contacts and calendars that programs of their own keep: their files are carried as a rule says, and they
//! come into a mail program where that is asked for.

use super::into;
use super::which::is_of_people;
use crate::catalogue::Catalogue;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::ItemReceipt;
use porter_machine::Machine;
use porter_trunk::TrunkItem;

/// See the module.
pub struct People;

impl Kind for People {
    fn name(&self) -> &'static str {
        "contacts/people"
    }

    fn find(&self, _: &Machine, _: &Catalogue) -> Vec<Item> {
        Vec::new()
    }

    fn has(&self, item: &TrunkItem) -> bool {
        is_of_people(item)
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        into::land(items, ground, changes);
    }

    fn prove_brought(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        into::prove(item, ground, row);
    }
}
