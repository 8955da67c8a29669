//! All that is known when items land, and when it is proved that they did.

use crate::catalogue::Catalogue;
use crate::changes::Moved;
use crate::choice::LandHeld;
use crate::crossing::accounts::{AccountMap, place_of};
use crate::crossing::relocate::Relocation;
use crate::receipt::letters_brought::LettersBrought;
use crate::wishes::KindWishes;
use porter_machine::{Account, Machine};
use porter_names::RelativePath;
use porter_trunk::{EntryAddress, Label, Trunk, TrunkItem, TrunkPart};
use time::OffsetDateTime;

/// See the module.
pub struct Ground<'a> {
    /// From this trunk.
    pub trunk: &'a dyn Trunk,
    /// To this machine.
    pub machine: &'a Machine,
    /// Who is who.
    pub accounts: &'a AccountMap<'a>,
    /// Earlier restores.
    pub earlier: &'a dyn Earlier,
    /// The rules in force.
    pub catalogue: &'a Catalogue,
    /// Where programs keep their files on this system.
    pub relocation: &'a Relocation,
    /// The person's decisions about the items of each kind.
    pub wishes: &'a KindWishes,
    /// Patterns of entries that land although the rules hold them back.
    pub land_held: &'a LandHeld,
    /// When.
    pub now_utc: OffsetDateTime,
}

/// Facts from earlier restores about items.
pub trait Earlier: Sync {
    /// Where a part of an item went that was at this path in its place, if it went elsewhere.
    fn moved(&self, item: &str, from: &RelativePath) -> Option<Moved>;

    /// Where an item's part went by a restore of another trunk from the same machine.
    fn moved_by_other_trunk(&self, item: &str) -> Option<Moved>;

    /// When a restore of an item last came to its end.
    fn finished_utc(&self, item: &str) -> Option<OffsetDateTime>;

    /// True if the values of an item that differ in the registry were to stay.
    fn registry_kept(&self, item: &str) -> bool;

    /// The letters of an item that were brought into a mail program, folder by folder.
    fn letters_brought(&self, item: &str) -> &[LettersBrought];
}

impl<'a> Ground<'a> {
    /// The trunk's outside.
    pub fn label(&self) -> &'a Label {
        self.trunk.label()
    }

    /// True if the trunk seems to have been captured from this machine: it has the same name, and a system of
    /// the same family.
    pub fn is_same_machine(&self) -> bool {
        is_same_machine(self.label(), self.machine)
    }

    /// The account of the machine that an item's owner has here.
    pub fn account_of(&self, item: &TrunkItem) -> Option<&'a Account> {
        *self.accounts.get(item.account.as_ref()?)?
    }

    /// Where a part of an item is on the machine, below its root.
    pub fn folder_of(&self, item: &TrunkItem, part: &TrunkPart) -> Option<RelativePath> {
        let path = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
        let (owner, place) = (item.account.clone(), part.place.clone());
        let address = EntryAddress { owner, place, path, safe_path: None };
        let address = self.relocation.address_of(&item.id, &address);
        place_of(self.machine, self.accounts, &address).ok()?.path.join_path(&address.path).ok()
    }

    /// The same as it is written on the volume, if it is there: a folder on the way that was there before may
    /// have its name in other letters.
    pub fn found_of(&self, item: &TrunkItem, part: &TrunkPart) -> Option<RelativePath> {
        let at = self.folder_of(item, part)?;
        let is_there = |at: &RelativePath| self.machine.volume.metadata(at).is_ok();
        let found = if is_there(&at) { at } else { self.machine.looker().find_path(&at).path };
        is_there(&found).then_some(found)
    }
}

/// See [`Ground::is_same_machine`].
pub fn is_same_machine(label: &Label, machine: &Machine) -> bool {
    let captured = &label.machine;
    porter_names::fold::same_name(captured.name.as_bytes(), machine.name.as_bytes())
        && captured.system.family == machine.system.family
}
