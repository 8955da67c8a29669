//! Settings as items: the system's facts about them go into the trunk.

mod account_pictures;
mod data_sources;
mod host_names;
mod on_account_service;
mod on_desktop;
mod on_linux_home;
mod on_running;
pub(crate) mod on_windows;
mod shared_folders;
mod wifi_networks;

use crate::catalogue::Catalogue;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{ItemReceipt, Reason, Verdict};
use crate::values::{USUAL_PRINTER, is_met, items_of, note, same_on, set_by_hand};
use porter_machine::{Machine, SettingKind};
use porter_trunk::TrunkItem;

/// The name of the machine.
const COMPUTER_NAME: &str = "machine/setting/computer-name";

/// The end of the id of a list of programs that start with the session: a trunk brings nothing that runs.
const AUTOSTART: &str = "/setting/autostart";

/// See the module.
pub struct Settings;

impl Kind for Settings {
    fn name(&self) -> &'static str {
        SettingKind::Setting.name()
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        if ground.wishes.setting.keep {
            // A check does not call them left to be done.
            items.iter().for_each(|item| changes.keep_registry(&item.id));
            return;
        }
        for item in items {
            if item.id.ends_with(USUAL_PRINTER) {
                crate::printer::land_usual(item, ground, changes);
                // Windows would take another one in place of a printer that is not there.
                if !crate::printer::may_be_usual(item, ground, changes) {
                    continue;
                }
            }
            on_windows::land(item, ground, changes);
            on_running::land(item, ground, changes);
            on_linux_home::land(item, ground, changes);
            on_account_service::land(item, ground, changes);
            on_desktop::land(item, ground, changes);
            host_names::land(item, ground, changes);
            shared_folders::land(item, ground, changes);
            account_pictures::land(item, ground, changes);
            data_sources::land(item, ground, changes);
        }
        wifi_networks::land(items, ground, changes);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if !item.parts.is_empty() || item.facts.is_empty() {
            return;
        }
        let now = same_on(item, ground.machine, ground.accounts);
        let is_met = if let Some(coming) = on_windows::Coming::of(item, ground) {
            coming.tell_of_unknown(row);
            coming.is_met(now)
        } else if let Some(coming) = on_desktop::Coming::of(item, ground) {
            let is_met = coming.is_met(now);
            if is_met {
                coming.tell_of_unknown(row);
            }
            is_met
        } else if let Some(coming) = shared_folders::Coming::of(item, ground) {
            coming.is_met(now)
        } else {
            now.is_some_and(|now| is_met(item, now))
        };
        if !is_met && item.id.ends_with(AUTOSTART) {
            note(row, Reason::ComesWithItsProgram);
        } else if !is_met && item.id == COMPUTER_NAME {
            note(row, Reason::KeepsItsName { name: ground.machine.name.clone() });
        } else if !is_met && ground.earlier.registry_kept(&item.id) {
            note(row, Reason::SettingStays { now: now.map(|now| now.facts.clone()).unwrap_or_default() });
            row.verdict = Verdict::KeptExisting;
        } else if !is_met {
            set_by_hand(row, now.map(|now| now.facts.clone()).unwrap_or_default());
        } else {
            wifi_networks::tell_of_password(item, now, row);
        }
    }

    fn find(&self, machine: &Machine, _: &Catalogue) -> Vec<Item> {
        items_of(machine, SettingKind::Setting)
    }
}
