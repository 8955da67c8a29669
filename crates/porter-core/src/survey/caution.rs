//! What to beware of, as data. What to say and to advise is the caller's.

use super::AccountSurvey;
use super::count::Count;
use crate::item::Item;
use crate::machine::{Account, Machine, Place, PlaceState};
use porter_names::{fold, screen::on_screen};
use serde::Serialize;
use time::OffsetDateTime;

/// Longer than this without a session, and somebody should ask whether the account is still wanted.
const UNUSED_AFTER_DAYS: i64 = 365;

/// Something a technician should know before deciding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "code", rename_all = "kebab-case")]
pub enum Caution {
    /// Nobody used the account for a year or more before the machine was last used.
    UnusedAccount {
        /// Days between the account's last use and the machine's.
        days: i64,
    },
    /// The profile folder holds no registry.
    NoRegistry,
    /// A place is a link; what it leads to is not followed.
    PlaceIsLink {
        /// The place's name.
        place: &'static str,
    },
    /// Files or folders that could not be looked at.
    Unreadable {
        /// How many.
        count: u64,
    },
    /// Links whose targets are not carried.
    Links {
        /// How many.
        count: u64,
    },
    /// Files that do not fit on a FAT32 stick.
    TooLargeForFat32 {
        /// How many.
        count: u64,
    },
    /// Names that Windows cannot hold; they get safe ones.
    NamesWindowsCannotHold {
        /// How many.
        count: u64,
    },
    /// Paths longer than most Windows programs can open.
    LongPaths {
        /// How many.
        count: u64,
    },
    /// What programs keep: it lands, but programs may look elsewhere.
    ProgramData,
    /// An earlier Windows with people's folders in it.
    EarlierWindows {
        /// Where.
        path: String,
    },
}

pub(super) fn of_item(item: &Item, count: &Count) -> Vec<Caution> {
    let mut cautions = Vec::new();
    let mut if_any = |count: u64, caution: fn(u64) -> Caution| {
        if count > 0 {
            cautions.push(caution(count));
        }
    };
    if_any(count.unreadable, |count| Caution::Unreadable { count });
    if_any(count.links, |count| Caution::Links { count });
    if_any(count.too_large_for_fat32, |count| Caution::TooLargeForFat32 { count });
    if_any(count.names_windows_cannot_hold, |count| Caution::NamesWindowsCannotHold { count });
    if_any(count.long_paths, |count| Caution::LongPaths { count });
    if matches!(item.extent.place, Place::RoamingData | Place::LocalData) && count.to_capture.files > 0 {
        cautions.push(Caution::ProgramData);
    }
    cautions
}

pub(super) fn of_account(account: &Account) -> Vec<Caution> {
    let links = account
        .places
        .iter()
        .filter(|(_, found)| found.state == PlaceState::IsLink)
        .map(|(place, _)| Caution::PlaceIsLink { place: place.name() });
    let no_registry = (!account.has_registry).then_some(Caution::NoRegistry);
    no_registry.into_iter().chain(links).collect()
}

/// Compared with the machine's own last use, not with today: a drive may have lain in a drawer for years.
pub(super) fn about_unused_accounts(accounts: &mut [AccountSurvey]) {
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

pub(super) fn of_machine(machine: &Machine) -> Vec<Caution> {
    let is_earlier = |name: &[u8]| fold::folded(name).starts_with(b"windows.old");
    machine
        .at_root
        .iter()
        .filter(|row| is_earlier(&row.name))
        .map(|row| Caution::EarlierWindows { path: on_screen(&row.name) })
        .collect()
}
