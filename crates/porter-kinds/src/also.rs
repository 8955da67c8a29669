//! Folders and files that somebody named: wherever they are on the machine.

use crate::catalogue::{CarryRule, Catalogue};
use crate::item::Item;
use crate::kind::Kind;
use crate::part::{Part, What};
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::{Machine, Place};
use porter_names::screen::on_screen;
use std::sync::Arc;

/// Folders and files that a person added by name.
pub struct Also;

/// Nothing is restored into folders of the system: a person takes such files out by hand.
const IN_THE_SYSTEM: &str =
    "it lay in a folder of the system: take it out of the trunk with `porter take`, to where it is wanted";

impl Kind for Also {
    fn name(&self) -> &'static str {
        "folder/also"
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        let mut items: Vec<Item> = Vec::new();
        for path in &machine.also {
            let id = format!("machine/folder/also/{}", id_from_name(path.name().unwrap_or_default()));
            let id = unused_id(&id, |id| items.iter().any(|item| item.id == id));
            let is_of_the_system = path.steps().next().is_some_and(|first| {
                catalogue.not_covered_by_name(first).is_some()
                    && !machine.all_places().any(|place| !place.path.is_root() && path.is_within(&place.path))
            });
            let rule = is_of_the_system
                .then(|| Arc::new(CarryRule::by_hand("folder/also", "Added by name", IN_THE_SYSTEM)));
            let title = format!("{} (added by name)", on_screen(path.as_bytes()));
            let what = What::At(path.clone());
            items.push(Item {
                parts: vec![Part { name: "main".to_owned(), place: Place::DriveRoot, what }],
                rule,
                ..Item::new(id, "folder", None, title)
            });
        }
        items
    }
}
