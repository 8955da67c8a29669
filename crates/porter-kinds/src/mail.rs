//! Mail. A program that lists profiles has an item for each, found by its list and entered in the new
//! machine's; carry rules find the others, whose letters are counted.
//!
//! - `data_file`: Outlook's, wherever they lie; [`data_file_facts`]: each for itself;
//! - `outlook_profiles`, `express_accounts`, `sources` (Evolution's), `kmail_accounts`, `claws_accounts` and
//!   `apple_accounts`: accounts;
//! - `offered`: the addresses that Outlook offers, where the new one looks for them;
//! - [`thunderbird`]: a profile of Mozilla's mail programs;
//! - [`mail_account`]: an account as a person types it into a program;
//! - [`contacts`]: people and their addresses;
//! - [`letters`]: the letters of an item, counted;
//! - [`mailboxes`]: the letters of an item of a trunk, read; [`letters_listed`]: shown; [`letters_out`]:
//!   taken out for other programs, and [`things_out`]: the contacts, events, tasks and notes;
//! - [`letter_choice`]: which letters; [`letter_print`]: one letter, wherever it lies;
//! - `which`: the items of mail;
//! - [`people`]: contacts and calendars that are no mail program's;
//! - `into`: the letters of all programs, brought into one on the new machine.

mod apple_accounts;
mod claws_accounts;
pub mod contacts;
mod data_file;
pub mod data_file_facts;
mod express_accounts;
mod given_names;
pub(crate) mod into;
mod kmail_accounts;
pub mod letter_choice;
pub mod letter_print;
pub mod letters;
pub mod letters_listed;
pub mod letters_out;
pub mod mail_account;
pub mod mailboxes;
mod offered;
mod outlook_profiles;
pub mod people;
mod sources;
pub mod things_out;
pub mod thunderbird;
pub(crate) mod which;

pub use data_file::opener_of;
pub use porter_formats::mail::role::Role;

use crate::catalogue::{CarryRule, Catalogue, EngineName, PROFILE_PART};
use crate::caution::Caution;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::{Instead, Kind};
use crate::profiles::profiles_ini::folder_of;
use crate::profiles::{self, Keeper};
use crate::receipt::{CountReceipt, ItemReceipt, Verdict};
use crate::registry_part::source;
use crate::ruled::in_one_piece;
use data_file_facts::DataFileFacts;
use letters::{BESIDE_LETTERS, Letters};
use mail_account::MailAccount;
use outlook_profiles::{OutlookProfiles, Reading};
use porter_machine::layout::Family;
use porter_machine::{Account, Machine};
use porter_names::RelativePath;
use porter_source::Volume;
use porter_trunk::TrunkItem;
use thunderbird::Thunderbird;
use which::MAIL;

/// See the module.
pub struct Mail;

/// Who keeps the profiles of a rule.
fn keeper_of(rule: &CarryRule) -> Option<&'static dyn Keeper> {
    let profiles = rule.profiles.as_ref()?;
    (profiles.engine == EngineName::Thunderbird).then_some(&Thunderbird)
}

/// The rule of the data files, whose item tells of Outlook's accounts.
const OUTLOOK: &str = "mail/outlook-data";

/// The reader of a program's accounts, on a machine where it has an item.
type Reader = fn(&Machine, &Item) -> Vec<MailAccount>;

/// The programs that keep no profiles, by their rules.
const WITH_ACCOUNTS: [(&str, Reader); 7] = [
    ("/mail/windows-mail", express_accounts::of_files),
    ("/mail/windows-live-mail", express_accounts::of_files),
    ("/mail/outlook-express", express_accounts::of_registry),
    ("/mail/evolution", sources::of_item),
    ("/mail/kmail", kmail_accounts::of_item),
    ("/mail/claws", claws_accounts::of_item),
    ("/mail/apple-mail", apple_accounts::of_item),
];

/// The accounts of programs that keep no profiles, each with the letters of its program.
fn tell_accounts(machine: &Machine, items: &mut [Item]) {
    for item in items {
        let reader = WITH_ACCOUNTS.iter().find(|(program, _)| item.id.ends_with(program));
        if let Some((_, accounts)) = reader {
            MailAccount::tell_all(&accounts(machine, item), &mut item.facts);
        }
    }
}

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
        MAIL
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        profiles::find::find(MAIL, keeper_of, machine, catalogue)
    }

    fn complete(&self, machine: &Machine, catalogue: &Catalogue, items: &mut Vec<Item>) {
        tell_accounts(machine, items);
        for account in &machine.accounts {
            let Some(profiles) = profiles_of_outlook(machine, account) else { continue };
            let id = format!("{}/{OUTLOOK}", account.id);
            let known = items.iter().position(|item| item.id == id);
            let at_item = known.unwrap_or_else(|| {
                let title = "Outlook: accounts".to_owned();
                items.push(Item::new(id, MAIL, Some(account.id.clone()), title));
                items.len() - 1
            });
            MailAccount::tell_all(&profiles.accounts, &mut items[at_item].facts);
            let mut looker = machine.looker();
            for (path, opened_by) in profiles.data_files {
                let there = folder_of(machine, &RelativePath::root(), &path, false)
                    .map(|at| looker.find_path(&at).path)
                    .filter(|at| machine.volume.metadata(at).is_ok());
                // Nobody looks for a person's things in the system's folders.
                let is_looked_for = |at: &RelativePath| {
                    let first = at.steps().next().unwrap_or_default();
                    catalogue.not_covered_by_name(first).is_none()
                        || machine
                            .all_places()
                            .any(|place| !place.path.is_root() && at.is_within(&place.path))
                };
                if let Some(at) = &there {
                    DataFileFacts::tell_profiles(at, &opened_by, &mut items[at_item].facts);
                }
                if !there.as_ref().is_some_and(is_looked_for) {
                    items[at_item].cautions.push(Caution::MailElsewhere { path });
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
        let parts = item.parts.iter().filter_map(|part| item.path_of(part, machine));
        let (counts, letters) = numbers_of(parts, &*machine.volume, go_on);
        item.counts.extend(counts);
        item.cautions.extend(letters.cautions);
        DataFileFacts::tell_all(&letters.data_files, &mut item.facts);
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        profiles::landing::land(ground, items, keeper_of, changes);
        data_file::land(items, ground, changes);
        offered::land(items, ground, changes);
        into::land(items, ground, changes);
    }

    fn prove_brought(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        into::prove(item, ground, row);
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if item.parts.iter().any(|part| part.name == PROFILE_PART) {
            return profiles::proof::prove(item, ground, keeper_of, row);
        }
        if item.parts.is_empty() {
            // Accounts alone: somebody types them.
            row.verdict = Verdict::KeptInTrunk;
            return;
        }
        data_file::tell(item, ground, row);
        let mut then = item.counts.iter().filter(|count| count.files.is_empty()).peekable();
        if then.peek().is_none() {
            return;
        }
        let parts = item.parts.iter().filter_map(|part| ground.found_of(item, part));
        let (mut now, _) = numbers_of(parts, &*ground.machine.volume, &|| true);
        if !item.counts.iter().any(|count| BESIDE_LETTERS.contains(&count.name.as_str())) {
            as_earlier_versions_counted(&mut now);
        }
        for then in then {
            row.counts.push(CountReceipt {
                name: then.name.clone(),
                captured: then.captured,
                // Letters that came since the restore are the person's.
                landed: now
                    .iter()
                    .find(|(name, _)| *name == then.name)
                    .map_or(0, |(_, now)| (*now).min(then.captured)),
            });
        }
    }
}

/// Earlier versions called all that is in a data file messages.
fn as_earlier_versions_counted(now: &mut [(String, u64)]) {
    let beside = now.iter().filter(|(name, _)| BESIDE_LETTERS.contains(&name.as_str()));
    let beside: u64 = beside.map(|(_, number)| *number).sum();
    let messages =
        now.iter_mut().find(|(name, _)| matches!(name.as_str(), letters::MESSAGES | letters::ON_A_SERVER));
    if let Some((_, messages)) = messages {
        *messages += beside;
    }
}

/// The letters and addresses in files and folders, and what could not be counted.
fn numbers_of(
    parts: impl Iterator<Item = RelativePath>,
    volume: &dyn Volume,
    go_on: &dyn Fn() -> bool,
) -> (Vec<(String, u64)>, Letters) {
    let (mut letters, mut offered) = (Letters::default(), 0);
    let mut cautions = Vec::new();
    for at in parts {
        letters.add(volume, &at, go_on);
        offered += contacts::count_offered(volume, &at, &mut cautions);
    }
    let mut counts = letters.counts();
    counts.extend((offered > 0).then(|| (contacts::OFFERED.to_owned(), offered)));
    letters.cautions.append(&mut cautions);
    (counts, letters)
}
