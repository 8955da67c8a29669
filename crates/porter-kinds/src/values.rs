//! Items that are values and no files: settings, and printers. How they are found, and looked for on another
//! machine.

use crate::caution::Caution;
use crate::crossing::accounts::AccountMap;
use crate::item::Item;
use crate::kind::owner_id;
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use porter_machine::account::unused_id;
use porter_machine::cups::queue::queue_name;
use porter_machine::linux::account_service::DISPLAY_LANGUAGE;
use porter_machine::{Account, Machine, Setting, SettingKind};
use porter_names::{Facts, RelativePath};
use porter_trunk::TrunkItem;

/// The end of the id of a usual printer.
pub(crate) const USUAL_PRINTER: &str = "/setting/default-printer";

/// All settings, or printers, of a machine as items.
pub(crate) fn items_of(machine: &Machine, kind: SettingKind) -> Vec<Item> {
    let mut items: Vec<Item> = Vec::new();
    for owner in machine.accounts.iter().map(Some).chain([None]) {
        for setting in settings_of(machine, owner).iter().filter(|setting| setting.kind == kind) {
            let id = id_of(owner, setting);
            let id = unused_id(&id, |id| items.iter().any(|item| item.id == id));
            let owner = owner.map(|account| account.id.clone());
            let wrong = Some(setting.wrong.clone()).filter(|values| !values.is_empty());
            items.push(Item {
                facts: setting.facts.clone(),
                cautions: wrong.map(|values| Caution::WrongType { values }).into_iter().collect(),
                ..Item::new(id, setting.kind.name(), owner, setting.title.clone())
            });
        }
    }
    items
}

fn settings_of<'m>(machine: &'m Machine, owner: Option<&'m Account>) -> &'m [Setting] {
    owner.map_or(&machine.settings, |account| &account.settings)
}

fn id_of(owner: Option<&Account>, setting: &Setting) -> String {
    format!("{}/{}/{}", owner_id(owner), setting.kind.name(), setting.id)
}

/// The same setting on another machine: of the account that `accounts` gives for the owner.
pub fn same_on<'m>(item: &TrunkItem, machine: &'m Machine, accounts: &AccountMap<'m>) -> Option<&'m Setting> {
    let owner = match &item.account {
        Some(id) => Some((*accounts.get(id)?)?),
        None => None,
    };
    let below_owner = item.id.split_once('/')?.1;
    let settings = settings_of(machine, owner).iter();
    settings.into_iter().find(|setting| format!("{}/{}", setting.kind.name(), setting.id) == below_owner)
}

/// True if the new machine has the setting as it was.
pub fn is_met(item: &TrunkItem, now: &Setting) -> bool {
    // Print systems differ in the letters that they take.
    if item.id.ends_with(USUAL_PRINTER) {
        let name = |facts: &Facts| facts.get("name").map(|name| queue_name(name).to_lowercase());
        return name(&item.facts) == name(&now.facts);
    }
    // Windows has one name for many time zones of the other systems, so its name decides where both have one.
    let decisive: &[&str] = match now.id.as_str() {
        "time-zone" if item.facts.contains_key("windows") => &["windows"],
        "locale" if item.facts.contains_key("name") => &["name", DISPLAY_LANGUAGE],
        // For its password see `wifi_networks.rs`.
        wifi if wifi.starts_with("wifi/") => &["name", "security"],
        // Who signs in there is asked when somebody opens it.
        drive if drive.starts_with("drive/") => &["server-folder"],
        _ => &[],
    };
    let mut both = item
        .facts
        .iter()
        .filter(|(name, _)| decisive.is_empty() || decisive.contains(&name.as_str()))
        .map(|(name, then)| (then, now.facts.get(name)))
        .peekable();
    both.peek().is_some()
        && both.all(|(then, now)| now.is_some_and(|now| in_one_spelling(then) == in_one_spelling(now)))
}

/// `en_GB.UTF-8` is `en-GB`.
fn in_one_spelling(value: &str) -> String {
    let value = value.strip_suffix(".UTF-8").or(value.strip_suffix(".utf8")).unwrap_or(value);
    value.replace('_', "-").to_lowercase()
}

/// Marks a setting as one that a person sets up: that is the plan, and no alarm.
pub(crate) fn set_by_hand(row: &mut ItemReceipt, now: Facts) {
    note(row, Reason::SetByHand { now });
}

/// Marks a setting as one that stays in the trunk.
pub(crate) fn note(row: &mut ItemReceipt, reason: Reason) {
    row.verdict = Verdict::KeptInTrunk;
    row.find(Finding {
        path: RelativePath::root(),
        verdict: Verdict::KeptInTrunk,
        reason,
        needs_attention: false,
        expected_at: None,
    });
}

/// Says something of an item that landed, and that needs no attention.
pub(crate) fn tell_of_landed(row: &mut ItemReceipt, reason: Reason) {
    row.find(Finding {
        path: RelativePath::root(),
        verdict: Verdict::Landed,
        reason,
        needs_attention: false,
        expected_at: None,
    });
}

/// Names the facts of a setting that the new system does not know.
pub(crate) fn tell_of_unknown(names: &[String], row: &mut ItemReceipt) {
    if !names.is_empty() {
        row.find(Finding {
            path: RelativePath::root(),
            verdict: Verdict::KeptInTrunk,
            reason: Reason::NotKnownThere { names: names.to_vec() },
            needs_attention: false,
            expected_at: None,
        });
    }
}
