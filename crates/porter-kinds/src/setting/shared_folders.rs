//! Folders that other machines may use, from one Windows to a running one.

use crate::changes::{Changes, SetControl};
use crate::crossing::old_paths::OldPaths;
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::values::same_on;
use porter_machine::control::Control;
use porter_machine::control::shared_folder::SharedFolders;
use porter_machine::layout::Family;
use porter_machine::shared_folder::{FOLDER, PREFIX, for_machine, is_same, with_numbers};
use porter_machine::{Account, Setting};
use porter_names::Facts;
use porter_trunk::TrunkItem;

const CONTROL: &dyn Control = &SharedFolders;

/// A share as it is to be on the new machine, with its people by their ids there.
pub(super) struct Coming(Facts);

impl Coming {
    /// None for another setting, from or to another system, and for rights that are not known.
    pub(super) fn of(item: &TrunkItem, ground: &Ground<'_>) -> Option<Self> {
        let both = [&ground.label().machine.system.family, &ground.machine.system.family];
        if !item.id.strip_prefix("machine/setting/")?.starts_with(PREFIX)
            || both.iter().any(|family| **family != Family::Windows.name())
        {
            return None;
        }
        let mut facts = for_machine(&item.facts, |id| Some(account(ground, id)?.id.clone()))?;
        let folder = facts.get(FOLDER)?;
        let followed = ground.label().accounts.iter().find_map(|old| {
            let account = account(ground, &old.id)?;
            OldPaths::of_person(ground.label(), old, ground.machine, account).follow(folder)
        });
        facts.extend(followed.map(|folder| (FOLDER.to_owned(), folder)));
        Some(Self(facts))
    }

    /// True if the new machine shares it so.
    pub(super) fn is_met(&self, now: Option<&Setting>) -> bool {
        now.is_some_and(|now| is_same(&self.0, &now.facts))
    }
}

/// Decides about one of them. One of that name that is there stays as it is.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let Some(Coming(facts)) = Coming::of(item, ground) else { return };
    let may_set = ground.machine.may_be_set();
    if !may_set || same_on(item, ground.machine, ground.accounts).is_some() {
        return;
    }
    let sid = |id: &str| {
        let account = ground.machine.accounts.iter().find(|account| account.id == id)?;
        account.identifier.clone()
    };
    let if_not_set = |detail| Reason::SettingNotSet { detail };
    changes.set(SetControl::new(&item.id, CONTROL, with_numbers(&facts, sid), if_not_set));
}

/// The account that a person of the old machine has on the new one.
fn account<'g>(ground: &Ground<'g>, id: &str) -> Option<&'g Account> {
    *ground.accounts.get(id)?
}
