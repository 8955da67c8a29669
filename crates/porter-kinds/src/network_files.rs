//! The files of a machine's networks. Those of Wi-Fi networks hold passwords that only their own Windows can
//! read; while it runs, and if an administrator has agreed, it shows them, and they go into a sealed trunk.

use crate::catalogue::Catalogue;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::ruled::in_one_piece;
use porter_machine::control::wifi_network::profile_with_password;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::io::Cursor;

/// See the module. Their carry rules find and land them.
pub struct NetworkFiles;

impl Kind for NetworkFiles {
    fn name(&self) -> &'static str {
        "network"
    }

    fn find(&self, _: &Machine, _: &Catalogue) -> Vec<Item> {
        Vec::new()
    }

    fn has(&self, _: &TrunkItem) -> bool {
        false
    }

    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        if !machine.shows_wifi_passwords || !item.id.ends_with("/network/wifi") {
            return in_one_piece(item, machine, at);
        }
        // A profile without a password, or whose card is gone, goes into the trunk as it is.
        let shown = small_file::read(&*machine.volume, at).and_then(|file| profile_with_password(&file).ok());
        shown.map_or(Instead::Nothing, |profile| Instead::Content(Box::new(Cursor::new(profile))))
    }
}
