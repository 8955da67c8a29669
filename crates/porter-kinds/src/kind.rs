//! The duties of a kind of item: to find, capture, land and prove its own.

use crate::catalogue::{CarryRule, Catalogue};
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::receipt::ItemReceipt;
use porter_machine::{Account, Machine};
use porter_names::RelativePath;
use porter_trunk::{LeftReason, TrunkItem};
use std::io::Read;

/// A kind of item. The defaults are those of items that consist of files alone.
pub trait Kind: Sync {
    /// The kind's step in the ids of its items, behind the owner: `browser`, `setting`.
    fn name(&self) -> &'static str;

    /// All its items on a machine, with facts, counts and cautions.
    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item>;

    /// Adds what it knows of items that were found, by whichever kind, and items that only these facts make.
    fn complete(&self, machine: &Machine, catalogue: &Catalogue, items: &mut Vec<Item>) {
        let _ = (machine, catalogue, items);
    }

    /// Adds the numbers that can only be told by reading what is in an item. Asked of items that are chosen.
    /// It ends early once `go_on` says no: the caller then uses none of the numbers.
    fn count(&self, item: &mut Item, machine: &Machine, go_on: &dyn Fn() -> bool) {
        let _ = (item, machine, go_on);
    }

    /// True for a file that is of this kind wherever a person put it. Every file in people's folders is asked
    /// about: its name or its length says no to most. `begins` reads its first bytes, as many as there are,
    /// and says how many.
    fn knows(&self, name: &[u8], size_in_bytes: u64, begins: &dyn Fn(&mut [u8]) -> usize) -> bool {
        let _ = (name, size_in_bytes, begins);
        false
    }

    /// The item of such files of one person, or of everybody, without any part yet.
    fn item_elsewhere(&self, owner: Option<&Account>) -> Option<Item> {
        let _ = owner;
        None
    }

    /// True for an item of a trunk that it lands and proves.
    fn has(&self, item: &TrunkItem) -> bool {
        item.kind == self.name()
    }

    /// True if a program has the files of an item open now, or runs and writes to them.
    fn is_open(&self, item: &Item, machine: &Machine) -> bool {
        runs_now(item, machine)
    }

    /// The content that goes into the trunk instead of an item's file at `at`.
    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        let _ = (item, machine, at);
        Instead::Nothing
    }

    /// Decides about all items that it has, at once: they may share lists. Nothing is written yet.
    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        let _ = (items, ground, changes);
    }

    /// Proves what an item means beyond its files, with the reader that found it. Asked only if its files are
    /// the trunk's.
    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let _ = (item, ground, row);
    }

    /// Proves what restores brought of an item into another program. Asked whatever became of its files.
    fn prove_brought(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let _ = (item, ground, row);
    }
}

/// The content that goes into a trunk in place of a file.
pub enum Instead {
    /// The file itself.
    Nothing,
    /// This.
    Content(Box<dyn Read + Send>),
    /// Nothing of it, for this reason.
    Left(LeftReason),
}

/// True if a program ran that a rule wants closed, when the machine was recognised.
pub(crate) fn ran(rule: &CarryRule, machine: &Machine) -> bool {
    rule.must_be_closed.iter().any(|program| machine.runs(program))
}

/// True if a program runs that an item's rule wants closed, asked of the system now.
pub fn runs_now(item: &Item, machine: &Machine) -> bool {
    let Some(rule) = item.rule.as_ref().filter(|_| machine.here.is_some()) else { return false };
    if rule.must_be_closed.is_empty() {
        return false;
    }
    let running = porter_machine::running::running_programs();
    rule.must_be_closed.iter().any(|program| running.contains(&porter_machine::running::comparable(program)))
}

/// The part before the slash in the ids of a person's items.
pub fn owner_id(owner: Option<&Account>) -> &str {
    owner.map_or("machine", |account| account.id.as_str())
}
