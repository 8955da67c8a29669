//! Names that the old machine gave to addresses of its own networks: added to the new machine's file.

use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use porter_machine::hosts::{ID, file_of, with_names};
use porter_machine::small_file;
use porter_trunk::TrunkItem;

/// Decides about the one setting that they are.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let may_write = machine.here.is_none_or(|here| here.as_administrator);
    if item.id.strip_prefix("machine/setting/") != Some(ID) || !may_write {
        return;
    }
    let Some(at) = file_of(&mut machine.looker(), machine.layout.family) else { return };
    // Where there is none, nobody knows whether this system heeds one.
    let Some(there) = small_file::read(&*machine.volume, &at) else { return };
    let names = item.facts.iter().map(|(name, addresses)| (name.as_str(), addresses.as_str()));
    if let Some(content) = with_names(&there, names, machine.layout.family) {
        changes.write(Edit::new(&item.id, at, content));
    }
}
