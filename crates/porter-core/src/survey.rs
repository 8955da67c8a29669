//! A read-only look at a machine: who, what, how big, and what to beware of.

mod among_programs;
mod cautions;
mod count;

pub(crate) use cautions::is_hibernated;

use crate::events::{Cancelled, Conduct, Event, Stage};
use crate::walk::Grounds;
use count::{Count, Elsewhere};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Catalogue;
use porter_kinds::caution::Caution;
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use porter_kinds::item::Item;
use porter_machine::{Machine, Place, PlaceState};
use porter_names::{NameRules, RelativePath};
use porter_trunk::Tally;
use time::OffsetDateTime;

/// Longer than this without a session, and somebody should ask whether the account is still wanted.
const UNUSED_AFTER_DAYS: i64 = 365;

/// The findings of a survey.
#[derive(Debug)]
pub struct Survey {
    /// A row per account, in the machine's order.
    pub accounts: Vec<AccountSurvey>,
    /// A row per item.
    pub items: Vec<ItemSurvey>,
    /// Places that no item covers, with the reason.
    pub not_covered: Vec<(RelativePath, String)>,
    /// Cautions about the machine as a whole.
    pub cautions: Vec<Caution>,
}

impl Survey {
    /// All cautions, with the id of the account or item that they are about; empty for the machine. The
    /// gravest first.
    pub fn all_cautions(&self) -> Vec<(&str, &Caution)> {
        let of_machine = self.cautions.iter().map(|caution| ("", caution));
        let of_accounts =
            self.accounts.iter().flat_map(|row| row.cautions.iter().map(move |c| (row.id.as_str(), c)));
        let of_items =
            self.items.iter().flat_map(|row| row.cautions.iter().map(move |c| (row.item.id.as_str(), c)));
        let mut all: Vec<_> = of_machine.chain(of_accounts).chain(of_items).collect();
        all.sort_by_key(|(_, caution)| caution.gravity());
        all
    }

    /// True if something is there that could not be looked into: all totals are *at least*.
    pub fn is_incomplete(&self) -> bool {
        self.all_cautions().iter().any(|(_, caution)| caution.hides_something())
    }
}

/// An account and all its items together.
#[derive(Debug)]
pub struct AccountSurvey {
    /// Its id.
    pub id: String,
    /// When it was last used, if known.
    pub last_used_utc: Option<OffsetDateTime>,
    /// The files that would be captured.
    pub to_capture: Tally,
    /// Cautions about the account.
    pub cautions: Vec<Caution>,
}

/// An item and how much it is.
#[derive(Debug)]
pub struct ItemSurvey {
    /// The item.
    pub item: Item,
    /// True unless the selection leaves it out.
    pub chosen: bool,
    /// The files that would be captured.
    pub to_capture: Tally,
    /// The files that rules leave.
    pub to_leave: Tally,
    /// Files of 4 GiB and more.
    pub too_large_for_fat32: u64,
    /// The newest change in it.
    pub newest_utc: Option<OffsetDateTime>,
    /// Cautions about the item.
    pub cautions: Vec<Caution>,
}

impl ItemSurvey {
    /// All that is there.
    pub fn seen(&self) -> Tally {
        self.to_capture + self.to_leave
    }
}

/// Counts every item of a machine.
pub fn survey(
    machine: &Machine,
    kinds: &Kinds,
    selection: &Selection,
    unchosen: &Unchosen,
    conduct: Conduct<'_>,
) -> Result<Survey, Cancelled> {
    conduct.send(&Event::StageBegan { stage: Stage::Survey, expected: Tally::default() });
    let found = kinds.find_items(machine);
    let grounds = Grounds::new(machine, kinds, found.iter(), unchosen, NameRules::TRUNK);
    let (counts, elsewhere) = count::count(&grounds, kinds, &found, conduct)?;
    let elsewhere = items_elsewhere(machine, elsewhere);
    let (mut found, counts): (Vec<Item>, Vec<Count>) = found.into_iter().zip(counts).chain(elsewhere).unzip();
    for item in &mut found {
        if conduct.is_stopped() {
            return Err(Cancelled);
        }
        if selection.chooses(&item.id, item.owner.as_deref()) {
            kinds.of(item).count(item, machine, &|| !conduct.is_stopped());
        }
    }
    let compressed: u64 = counts.iter().map(|count| count.compressed).sum();
    let mut items: Vec<ItemSurvey> = found
        .into_iter()
        .zip(counts)
        .map(|(item, count)| ItemSurvey {
            chosen: selection.chooses(&item.id, item.owner.as_deref()),
            cautions: cautions::of_item(machine, &item, &count),
            to_capture: count.to_capture,
            to_leave: count.to_leave,
            newest_utc: count.newest_utc,
            too_large_for_fat32: count.too_large_for_fat32,
            item,
        })
        .collect();
    items.sort_by_key(|row| machine.rank_of(row.item.owner.as_deref()));
    // An empty item is not shown, but it must not lose its cautions.
    items.retain(|row| row.seen().entries() > 0 || !row.cautions.is_empty() || !row.item.facts.is_empty());

    let mut accounts: Vec<AccountSurvey> =
        machine.accounts.iter().map(|account| of_account(machine, account, &items)).collect();
    about_unused_accounts(&mut accounts);
    conduct.send(&Event::StageEnded { stage: Stage::Survey });
    Ok(Survey {
        accounts,
        items,
        not_covered: not_covered(machine, kinds),
        cautions: cautions::of_machine(machine)
            .into_iter()
            .chain((compressed > 0).then_some(Caution::Compressed { count: compressed }))
            .collect(),
    })
}

/// The items of files that lie where nobody looks for them, an item for each person.
fn items_elsewhere(machine: &Machine, files: Vec<Elsewhere<'_>>) -> Vec<(Item, Count)> {
    let mut items: Vec<(Item, Count)> = Vec::new();
    for Elsewhere { kind, owner, part, count } in files {
        let owner = owner.and_then(|id| machine.account(id));
        let Some(item) = kind.item_elsewhere(owner) else { continue };
        let known = items.iter().position(|(known, _)| known.id == item.id);
        let at = known.unwrap_or_else(|| {
            items.push((item, Count::default()));
            items.len() - 1
        });
        items[at].0.parts.push(part);
        items[at].1.add(&count);
    }
    items
}

fn of_account(machine: &Machine, account: &porter_machine::Account, items: &[ItemSurvey]) -> AccountSurvey {
    let own = items.iter().filter(|row| row.item.owner.as_deref() == Some(&account.id));
    let mut to_capture = Tally::default();
    own.clone().for_each(|row| to_capture += row.to_capture);
    AccountSurvey {
        id: account.id.clone(),
        last_used_utc: account.last_used_utc.or_else(|| own.filter_map(|row| row.newest_utc).max()),
        to_capture,
        cautions: cautions::of_account(machine, account),
    }
}

/// The entries at the root of the drive and beside the profile folders that belong to no item.
pub fn not_covered(machine: &Machine, catalogue: &Catalogue) -> Vec<(RelativePath, String)> {
    let mut rows = Vec::new();
    let root = RelativePath::root();
    for row in &machine.at_root {
        let is_profiles = row.name.eq_ignore_ascii_case(machine.layout.profiles.as_bytes());
        if let (false, Some(why), Ok(path)) =
            (is_profiles, catalogue.not_covered_at_root(machine, row), root.join(&row.name))
        {
            rows.push((path, why.to_owned()));
        }
    }
    let shared = machine.place(None, Place::SharedHome).filter(|found| found.state == PlaceState::Present);
    let profiles = RelativePath::from_bytes(machine.layout.profiles.as_bytes()).unwrap_or_default();
    for name in &machine.not_people {
        let Ok(path) = profiles.join(name) else { continue };
        if shared.is_none_or(|shared| shared.path.name() != Some(name)) {
            rows.push((path, "not a person's: the system makes it".to_owned()));
        }
    }
    rows.sort();
    rows
}

/// Compared with the machine's own last use, not with today: a drive may have lain in a drawer for years.
fn about_unused_accounts(accounts: &mut [AccountSurvey]) {
    let Some(last): Option<OffsetDateTime> = accounts.iter().filter_map(|a| a.last_used_utc).max() else {
        return;
    };
    for account in accounts {
        let days = account.last_used_utc.map_or(0, |used| (last - used).whole_days());
        if days >= UNUSED_AFTER_DAYS {
            account.cautions.push(Caution::UnusedAccount { days });
        }
    }
}
