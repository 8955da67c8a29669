//! People's accounts as items: what the old system knew of each, and whether the new one has the same.

use crate::catalogue::Catalogue;
use crate::caution::Caution;
use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{ItemReceipt, Reason};
use crate::value_kinds::ACCOUNT;
use crate::values::set_by_hand;
use porter_machine::account::Origin;
use porter_machine::control::Control;
use porter_machine::control::account::{self, Accounts as AccountControl};
use porter_machine::layout::Family;
use porter_machine::new_account::{NewAccount, possible_name};
use porter_machine::{Account, Machine, Place};
use porter_names::{Facts, RelativePath};
use porter_trunk::{AccountLabel, TrunkItem};

/// See the module.
pub struct Accounts;

const CONTROL: &dyn Control = &AccountControl;

/// The names of the facts, and the values that they may have.
const NAME: &str = "name";
/// The person's name.
pub const FULL_NAME: &str = "full-name";
/// The rights: [`ADMINISTRATOR`], or `standard`.
pub const RIGHTS: &str = "rights";
/// May change the system.
pub const ADMINISTRATOR: &str = "administrator";
const STANDARD: &str = "standard";
const STATE: &str = "state";
const PASSWORD: &str = "password";
const NEVER_EXPIRES: &str = "never-expires";
const COMMENT: &str = "comment";
const SIGNS_IN_WITH: &str = "signs-in-with";
const ADDRESS: &str = "address";
const DOMAIN: &str = "domain";
const ROAMING: &str = "roaming-profile";
const HOME: &str = "home";
const IN_CLOUD: &str = "folders-in-cloud";

impl Kind for Accounts {
    fn name(&self) -> &'static str {
        ACCOUNT
    }

    fn find(&self, machine: &Machine, _: &Catalogue) -> Vec<Item> {
        // A drive without a system has folders and no accounts.
        if machine.layout.family == Family::Drive {
            return Vec::new();
        }
        let people = machine.accounts.iter().filter(|account| account.has_owner && account.has_registry);
        people.map(item_of).collect()
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let Some(person) = person_of(&item.id) else { return };
        let Some(Some(now)) = ground.accounts.get(person) else {
            return set_by_hand(row, Facts::new());
        };
        let now = facts_of(now);
        if !is_met(&item.facts, &now) {
            set_by_hand(row, now);
        }
    }
}

/// Writes down the accounts that were made for this restore, whichever items are chosen: an undo takes them
/// back. An account that was there is its person's, and stays as it is.
pub(crate) fn note_made(ground: &Ground<'_>, changes: &mut Changes) {
    if !ground.machine.controls.iter().any(|control| control.name() == CONTROL.name()) {
        return;
    }
    for person in &ground.wishes.account.made {
        let Some(Some(account)) = ground.accounts.get(person) else { continue };
        let becomes = account::facts(&String::from_utf8_lossy(&account.name));
        let if_not_set = |detail| Reason::SettingNotSet { detail };
        let set = SetControl::new(&id_of(person), CONTROL, becomes, if_not_set);
        changes.set(SetControl { is_made: true, ..set });
    }
}

/// `machine/account/odile`.
fn id_of(person: &str) -> String {
    format!("machine/{ACCOUNT}/{person}")
}

/// The id of the person in the id of an account.
pub fn person_of(id: &str) -> Option<&str> {
    id.strip_prefix("machine/")?.strip_prefix(ACCOUNT)?.strip_prefix('/')
}

fn item_of(account: &Account) -> Item {
    let title = match &account.full_name {
        Some(full_name) if !full_name.is_empty() => {
            format!("Account {} ({full_name})", account.shown_name())
        }
        _ => format!("Account {}", account.shown_name()),
    };
    Item {
        facts: facts_of(account),
        cautions: cautions_of(account),
        ..Item::new(id_of(&account.id), ACCOUNT, None, title)
    }
}

fn facts_of(account: &Account) -> Facts {
    let record = &account.record;
    let rights = account.is_administrator.map(|is| if is { ADMINISTRATOR } else { STANDARD });
    let (address, domain) = match &record.origin {
        Some(Origin::Microsoft { address }) => (Some(address.clone()), None),
        Some(Origin::Domain { name }) => (None, name.clone()),
        _ => (None, None),
    };
    let in_cloud: Vec<&str> = places_in_cloud(account).map(|(place, _)| place.name()).collect();
    let facts = [
        (NAME, Some(account.shown_name())),
        (FULL_NAME, account.full_name.clone()),
        (RIGHTS, rights.map(str::to_owned)),
        (STATE, (account.is_disabled == Some(true)).then(|| "disabled".to_owned())),
        (PASSWORD, (record.password_never_expires == Some(true)).then(|| NEVER_EXPIRES.to_owned())),
        (COMMENT, record.comment.clone()),
        (SIGNS_IN_WITH, record.origin.as_ref().map(|origin| origin.name().to_owned())),
        (ADDRESS, address),
        (DOMAIN, domain),
        (ROAMING, record.roaming_profile.clone()),
        (HOME, Some(account.home.to_string())),
        (IN_CLOUD, Some(in_cloud.join(" "))),
    ];
    let known = facts.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?)));
    known.filter(|(_, value)| !value.is_empty()).collect()
}

fn cautions_of(account: &Account) -> Vec<Caution> {
    let mut cautions = Vec::new();
    match &account.record.origin {
        Some(Origin::Domain { name }) => {
            cautions.push(Caution::AccountOfDomain { domain: name.clone().unwrap_or_default() });
        }
        Some(Origin::Microsoft { address }) => {
            cautions.push(Caution::AccountOfMicrosoft { address: address.clone() });
        }
        Some(Origin::WorkOrSchool) => cautions.push(Caution::AccountOfWorkOrSchool),
        Some(Origin::Local) | None => {}
    }
    if let Some(path) = &account.record.roaming_profile {
        cautions.push(Caution::RoamingProfile { path: path.clone() });
    }
    let in_cloud: Vec<(Place, &RelativePath)> = places_in_cloud(account).collect();
    if let Some((_, first)) = in_cloud.first() {
        let folder = first.steps().map(|step| String::from_utf8_lossy(step).into_owned());
        let folder = folder.into_iter().find(|step| is_of_cloud(step)).unwrap_or_default();
        let places = in_cloud.iter().map(|(place, _)| place.name()).collect();
        cautions.push(Caution::PlacesInCloud { folder, places });
    }
    cautions
}

/// The person's places that are in a folder which OneDrive keeps in step with its cloud.
fn places_in_cloud(account: &Account) -> impl Iterator<Item = (Place, &RelativePath)> {
    let steps_in_cloud = |path: &RelativePath| {
        path.is_within(&account.home) && path.steps().any(|step| is_of_cloud(&String::from_utf8_lossy(step)))
    };
    let moved = account
        .places
        .iter()
        .filter(move |(place, found)| **place != Place::Home && steps_in_cloud(&found.path));
    moved.map(|(place, found)| (*place, &found.path))
}

/// `OneDrive`, `OneDrive - Saltmarsh Kiteworks`.
fn is_of_cloud(step: &str) -> bool {
    step == "OneDrive" || step.starts_with("OneDrive - ")
}

/// True if an account of the new machine does for its person what the old one did. Its name may be another
/// one, as somebody decided; a comment, and whether it is disabled, are an administrator's affair there.
fn is_met(then: &Facts, now: &Facts) -> bool {
    let had_rights = then.get(RIGHTS).is_some_and(|rights| rights == ADMINISTRATOR);
    let has_rights = now.get(RIGHTS).is_none_or(|rights| rights == ADMINISTRATOR);
    // A person whom others vouch for is called as they say.
    let is_own = then.get(SIGNS_IN_WITH).is_none_or(|with| with == Origin::Local.name());
    let same_name = match (then.get(FULL_NAME), now.get(FULL_NAME)) {
        (Some(then), now) if is_own => now.is_some_and(|now| now.trim() == then.trim()),
        _ => true,
    };
    (!had_rights || has_rights) && same_name
}

/// The account to make for a person of a trunk, as the old one was as far as a system of that family has it.
/// An account of a domain or of Microsoft becomes one of the machine's own.
pub fn new_account(person: &AccountLabel, items: &[TrunkItem], family: Family) -> NewAccount {
    let id = id_of(&person.id);
    let facts = items.iter().find(|item| item.id == id).map(|item| &item.facts);
    let fact = |name: &str| facts?.get(name).cloned();
    // Longer texts would be cut, and others could not be shown.
    let in_one_line = |text: &String| text.len() <= 256 && !text.chars().any(char::is_control);
    NewAccount {
        name: possible_name(&person.name, family),
        full_name: fact(FULL_NAME).filter(in_one_line),
        comment: fact(COMMENT).filter(in_one_line).filter(|_| family == Family::Windows),
        is_administrator: fact(RIGHTS).as_deref() == Some(ADMINISTRATOR),
        password_never_expires: fact(PASSWORD).as_deref() == Some(NEVER_EXPIRES),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn facts(rows: &[(&str, &str)]) -> Facts {
        rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
    }

    #[test]
    fn an_account_does_what_the_old_one_did() {
        let (admin, standard) = ((RIGHTS, ADMINISTRATOR), (RIGHTS, STANDARD));
        let (odile, other) = ((FULL_NAME, "Odile Marchetti"), (FULL_NAME, "O. M."));
        let microsoft = (SIGNS_IN_WITH, "microsoft");
        for (then, now, expected) in [
            (&[admin, odile][..], &[admin, odile][..], true),
            (&[admin, odile], &[standard, odile], false),
            (&[standard, odile], &[admin, odile], true),
            (&[odile], &[other], false),
            (&[odile], &[], false),
            (&[odile, microsoft], &[other], true),
            (&[standard], &[other], true),
            // A system that does not say.
            (&[admin], &[], true),
        ] {
            assert_eq!(is_met(&facts(then), &facts(now)), expected, "{then:?} {now:?}");
        }
    }
}
