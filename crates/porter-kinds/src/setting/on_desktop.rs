//! Settings of a person's Windows that a desktop of a Linux has, too: mouse, hidden files, light or dark, the
//! picture, the keyboard.

use super::on_linux_home::edit;
use crate::changes::Changes;
use crate::crossing::old_paths::OldPaths;
use crate::ground::Ground;
use crate::receipt::ItemReceipt;
use crate::values::{same_on, tell_of_unknown};
use porter_machine::Setting;
use porter_machine::layout::Family;
use porter_machine::linux::desktop::{FILE, KnownKeys, meaning, with_setting};
use porter_names::Facts;
use porter_trunk::TrunkItem;

/// A setting as it is to be on the desktop.
pub(super) struct Coming<'i> {
    id: &'i str,
    facts: Facts,
    known: KnownKeys,
    /// The facts that mean nothing there.
    unknown: Vec<String>,
}

impl<'i> Coming<'i> {
    /// None unless it comes from a Windows onto a Linux with a desktop that has such a setting.
    pub(super) fn of(item: &'i TrunkItem, ground: &Ground<'_>) -> Option<Self> {
        let (from, to) = (&ground.label().machine.system.family, ground.machine.layout.family);
        if *from != Family::Windows.name() || to != Family::Linux {
            return None;
        }
        let (_, id) = item.id.split_once("/setting/")?;
        let account = ground.account_of(item)?;
        let old = ground.label().accounts.iter().find(|old| Some(&old.id) == item.account.as_ref())?;
        let paths = OldPaths::of_person(ground.label(), old, ground.machine, account);
        let facts = meaning(id, &item.facts, |path| paths.follow(path));
        if facts.is_empty() {
            return None;
        }
        let known = KnownKeys::of(&*ground.machine.volume);
        let one_for_all = ["keyboard", "wallpaper"].contains(&id);
        let unknown = item.facts.keys().filter(|name| !one_for_all && !facts.contains_key(*name));
        let unknown = unknown.cloned().collect();
        known.has(id, &facts).then_some(Self { id, facts, known, unknown })
    }

    /// True if the person has it so.
    pub(super) fn is_met(&self, now: Option<&Setting>) -> bool {
        now.is_some_and(|now| self.facts.iter().all(|(name, then)| now.facts.get(name) == Some(then)))
    }

    /// Names what of it means nothing on a desktop.
    pub(super) fn tell_of_unknown(&self, row: &mut ItemReceipt) {
        tell_of_unknown(&self.unknown, row);
    }
}

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let Some(coming) = Coming::of(item, ground) else { return };
    if !coming.is_met(same_on(item, ground.machine, ground.accounts)) {
        edit(item, ground, changes, FILE, &|file| {
            with_setting(file, coming.id, &coming.facts, &coming.known)
        });
    }
}
