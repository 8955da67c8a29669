//! Mail. A program that lists profiles has an item for each, found by its list and entered in the new
//! machine's; carry rules find the others, whose letters are counted.
//!
//! - `data_file`: Outlook's, wherever they lie; `outlook_profiles`: its accounts;
//! - [`thunderbird`]: a profile of Mozilla's mail programs;
//! - [`mail_account`]: an account as a person types it into a program;
//! - [`letters`]: the letters of an item, counted.

mod data_file;
pub mod letters;
pub mod mail_account;
mod outlook_profiles;
pub mod thunderbird;

use crate::catalogue::{CarryRule, Catalogue, EngineName, PROFILE_PART};
use crate::caution::Caution;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::profiles::profiles_ini::folder_of;
use crate::profiles::{self, Keeper};
use crate::receipt::{CountReceipt, ItemReceipt};
use crate::registry_part::source;
use crate::ruled::in_one_piece;
use letters::Letters;
use mail_account::MailAccount;
use outlook_profiles::{OutlookProfiles, Reading};
use porter_machine::layout::Family;
use porter_machine::{Account, Machine};
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

/// The rule of the data files, whose item tells of Outlook's accounts.
const OUTLOOK: &str = "mail/outlook-data";

/// None if the person has no Outlook, or a registry that cannot be read: its own caution says so.
fn profiles_of_outlook(machine: &Machine, account: &Account) -> Option<OutlookProfiles> {
    if machine.layout.family != Family::Windows {
        return None;
    }
    let profiles = source::open(machine, account).ok()?.read(Reading)?;
    (profiles != OutlookProfiles::default()).then_some(profiles)
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

    fn complete(&self, machine: &Machine, items: &mut Vec<Item>) {
        for account in &machine.accounts {
            let Some(profiles) = profiles_of_outlook(machine, account) else { continue };
            let id = format!("{}/{OUTLOOK}", account.id);
            let known = items.iter().position(|item| item.id == id);
            let at = known.unwrap_or_else(|| {
                let title = "Outlook: accounts".to_owned();
                items.push(Item::new(id, KIND, Some(account.id.clone()), title));
                items.len() - 1
            });
            MailAccount::tell_all(&profiles.accounts, &mut items[at].facts);
            for path in profiles.data_files {
                let is_there = folder_of(machine, &RelativePath::root(), &path, false)
                    .is_some_and(|at| machine.volume.metadata(&at).is_ok());
                if !is_there {
                    items[at].cautions.push(Caution::MailElsewhere { path });
                }
            }
        }
    }

    fn knows(&self, name: &[u8], size_in_bytes: u64, begins: &dyn Fn(&mut [u8]) -> usize) -> bool {
        data_file::is_one(name, size_in_bytes, begins)
    }

    fn item_elsewhere(&self, owner: Option<&Account>) -> Option<Item> {
        Some(data_file::item_elsewhere(owner))
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
        data_file::land(items, ground, changes);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if item.parts.iter().any(|part| part.name == PROFILE_PART) {
            return profiles::proof::prove(item, ground, keeper_of, row);
        }
        data_file::tell(item, ground, row);
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
