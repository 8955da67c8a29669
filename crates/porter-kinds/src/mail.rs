//! Mail. A program that lists profiles has an item for each, found by its list and entered in the new
//! machine's; carry rules find the others, whose letters are counted.
//!
//! - [`thunderbird`]: a profile of Mozilla's mail programs;
//! - [`mail_account`]: an account as a person types it into a program;
//! - [`letters`]: the letters of an item, counted.

pub mod letters;
pub mod mail_account;
pub mod thunderbird;

use crate::catalogue::{CarryRule, Catalogue, EngineName, PROFILE_PART};
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::profiles::{self, Keeper};
use crate::receipt::{CountReceipt, ItemReceipt};
use crate::ruled::in_one_piece;
use letters::Letters;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use thunderbird::Thunderbird;

/// See the module.
pub struct Mail;

const KIND: &str = "mail";

/// Who keeps the profiles of a rule.
fn keeper_of(rule: &CarryRule) -> Option<&'static dyn Keeper> {
    let profiles = rule.profiles.as_ref()?;
    (profiles.engine == EngineName::Thunderbird).then_some(&Thunderbird)
}

fn is_profile(item: &Item) -> bool {
    item.rule.as_ref().is_some_and(|rule| keeper_of(rule).is_some())
}

impl Kind for Mail {
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
        if is_profile(item) {
            profiles::find::count(item, keeper_of, machine, go_on);
            return;
        }
        let mut letters = Letters::default();
        for at in item.parts.iter().filter_map(|part| item.path_of(part, machine)) {
            letters.add(&*machine.volume, &at, go_on);
        }
        item.counts.extend(letters.counts());
        item.cautions.append(&mut letters.cautions);
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        profiles::landing::land(ground, items, keeper_of, changes);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if item.parts.iter().any(|part| part.name == PROFILE_PART) {
            return profiles::proof::prove(item, ground, keeper_of, row);
        }
        let mut then = item.counts.iter().filter(|count| count.files.is_empty()).peekable();
        if then.peek().is_none() {
            return;
        }
        let mut now = Letters::default();
        for at in item.parts.iter().filter_map(|part| ground.folder_of(item, part)) {
            now.add(&*ground.machine.volume, &at, &|| true);
        }
        for then in then {
            row.counts.push(CountReceipt {
                name: then.name.clone(),
                captured: then.captured,
                // Letters that came since the restore are the person's.
                landed: now.of(&then.name).min(then.captured),
            });
        }
    }
}
