//! Browsers: each profile an item of its own, found, understood, restored so that its browser opens it, and
//! proved.
//!
//! Carry rules with a `[profiles]` section name the browsers, and where they keep their profiles; an
//! [`engine`] knows how profiles are kept, and several browsers share one.
//!
//! - [`engine`]: the duties of an engine; [`gecko`], [`chromium`] and [`safari`] are the engines;
//! - [`bookmarks_into`]: one browser's bookmarks, added to another's.

pub mod bookmarks_into;
pub mod chromium;
pub mod engine;
pub mod engines;
pub mod gecko;
pub mod safari;

use crate::catalogue::{CarryRule, Catalogue};
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::profiles::{self, Keeper};
use crate::receipt::ItemReceipt;
use crate::ruled::in_one_piece;
use engines::engine_of;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;

/// The kind of all items of browsers.
pub const KIND: &str = "browser";

/// Profiles of browsers.
pub struct Browsers;

impl Kind for Browsers {
    fn name(&self) -> &'static str {
        KIND
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        profiles::find::find(KIND, keeper_of, machine, catalogue)
    }

    fn is_open(&self, item: &Item, machine: &Machine) -> bool {
        profiles::find::is_open(item, keeper_of, machine)
    }

    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        in_one_piece(item, machine, at)
    }

    fn count(&self, item: &mut Item, machine: &Machine, go_on: &dyn Fn() -> bool) {
        profiles::find::count(item, keeper_of, machine, go_on);
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        profiles::landing::land(ground, items, keeper_of, changes);
        bookmarks_into::land(ground, items, changes);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        profiles::proof::prove(item, ground, keeper_of, row);
    }
}

fn keeper_of(rule: &CarryRule) -> Option<&'static dyn Keeper> {
    engine_of(rule).map(|engine| engine as &dyn Keeper)
}
