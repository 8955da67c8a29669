//! Which account of a trunk is which on the machine, and so where its places are.

use crate::receipt::Reason;
use porter_machine::{Account, FoundPlace, Machine, Place, PlaceState};
use porter_names::fold;
use porter_trunk::{AccountLabel, EntryAddress, Label};
use std::collections::BTreeMap;

/// For each account id of the trunk, the machine's account; none if it has none.
pub type AccountMap<'m> = BTreeMap<String, Option<&'m Account>>;

/// A mapping that names accounts which do not exist.
#[derive(Debug, thiserror::Error)]
pub enum AccountsError {
    /// Not in the trunk.
    #[error("the trunk has no account `{name}`; it has {}", has.join(", "))]
    NotInTrunk {
        /// The name asked for.
        name: String,
        /// The accounts that exist.
        has: Vec<String>,
    },
    /// Not on the machine.
    #[error("the new machine has no account `{name}`; it has {}", has.join(", "))]
    NotOnMachine {
        /// The name asked for.
        name: String,
        /// The accounts that exist.
        has: Vec<String>,
    },
    /// Two accounts of the trunk would land in one of the machine.
    #[error("`{first}` and `{second}` would both land in the account `{on_machine}`")]
    TwoIntoOne {
        /// One of them.
        first: String,
        /// The other.
        second: String,
        /// Where both would land.
        on_machine: String,
    },
    /// Accounts whose items were chosen have no account to land in.
    #[error("the new machine has no account for {}; it has {}", without.join(", "), has.join(", "))]
    NoneFor {
        /// Ids of the accounts.
        without: Vec<String>,
        /// The accounts that exist.
        has: Vec<String>,
    },
}

/// Matches by what is `given` (old to new), else by what was done `before`, else by the same id or name. Two
/// whose things are `wanted` never come into one; of others the account is as good as absent.
pub fn match_accounts<'m>(
    label: &Label,
    machine: &'m Machine,
    given: &BTreeMap<String, String>,
    before: &BTreeMap<String, String>,
    wanted: &dyn Fn(&str) -> bool,
) -> Result<AccountMap<'m>, AccountsError> {
    let mut by_hand: BTreeMap<&str, &str> = BTreeMap::new();
    for (old, new) in given {
        let account = label
            .accounts
            .iter()
            .find(|account| is_called(account, old))
            .ok_or_else(|| AccountsError::NotInTrunk { name: old.clone(), has: ids_in(label) })?;
        if machine.account(new).is_none() {
            return Err(AccountsError::NotOnMachine { name: new.clone(), has: names_on(machine) });
        }
        by_hand.insert(&account.id, new);
    }
    let mut map = AccountMap::new();
    for account in &label.accounts {
        let named = by_hand.get(account.id.as_str()).copied().or(before.get(&account.id).map(String::as_str));
        let found = match named {
            Some(name) => machine.account(name),
            None => machine.account(&account.name).or_else(|| machine.account(&account.id)),
        };
        if let Some(found) = found
            && let Some((other, into)) =
                map.iter_mut().find(|(_, there)| there.is_some_and(|there| there.id == found.id))
        {
            if !wanted(&account.id) {
                map.insert(account.id.clone(), None);
                continue;
            }
            if wanted(other) {
                return Err(AccountsError::TwoIntoOne {
                    first: other.clone(),
                    second: account.id.clone(),
                    on_machine: found.shown_name(),
                });
            }
            *into = None;
        }
        map.insert(account.id.clone(), found);
    }
    Ok(map)
}

/// The place of an entry on the machine, if it is there or could be made. A link is not followed: what it
/// leads to is another place.
pub fn place_of<'m>(
    machine: &'m Machine,
    accounts: &AccountMap<'m>,
    address: &EntryAddress,
) -> Result<&'m FoundPlace, Reason> {
    let no_place = || Reason::NoPlace { place: address.place.clone() };
    let place = Place::from_name(&address.place).ok_or_else(no_place)?;
    let owner = match &address.owner {
        None => None,
        Some(id) => match accounts.get(id) {
            Some(Some(account)) => Some(*account),
            _ => return Err(Reason::NoAccount { account: id.clone() }),
        },
    };
    if place.is_personal() != owner.is_some() {
        return Err(no_place());
    }
    let found = machine.place(owner, place).ok_or_else(no_place)?;
    let in_the_way = |what: &str| Reason::InTheWay { what: what.to_owned(), path: found.path.to_string() };
    match found.state {
        PlaceState::Present | PlaceState::Absent => Ok(found),
        PlaceState::IsLink => Err(in_the_way("a link")),
        PlaceState::IsFile => Err(in_the_way("a file")),
        PlaceState::Shut => Err(in_the_way("something that this system's driver cannot enter")),
        PlaceState::Unreadable => Err(in_the_way("something unreadable")),
    }
}

/// True if a person may mean this account of the trunk by `text`.
pub fn is_called(account: &AccountLabel, text: &str) -> bool {
    account.id == text || fold::same_name(account.name.as_bytes(), text.as_bytes())
}

/// The trunk's accounts, for a message.
pub fn ids_in(label: &Label) -> Vec<String> {
    label.accounts.iter().map(|account| account.id.clone()).collect()
}

/// The machine's accounts, for a message.
pub fn names_on(machine: &Machine) -> Vec<String> {
    machine.accounts.iter().map(Account::shown_name).collect()
}
