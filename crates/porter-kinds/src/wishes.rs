//! A person's decisions about the items of a kind: a field for each kind that leaves something to decide.

use crate::catalogue::{CarryRule, Catalogue, EngineName};
use crate::mail::into::programs;
use crate::mail::letter_choice::LetterChoice;
use porter_machine::Place;
use porter_names::RelativePath;

/// All of it for one restore.
#[derive(Debug, Clone, Default)]
pub struct KindWishes {
    /// About browsers.
    pub browser: BrowserWishes,
    /// About what was at the root of the drive.
    pub drive: DriveWishes,
    /// About mail.
    pub mail: MailWishes,
    /// About settings.
    pub setting: SettingWishes,
    /// About accounts.
    pub account: AccountWishes,
    /// About printers.
    pub printer: PrinterWishes,
}

/// A person's decisions about printers.
#[derive(Debug, Clone, Default)]
pub struct PrinterWishes {
    /// True if drivers from the trunk are installed, with all the rights that a driver has.
    pub install_drivers: bool,
}

/// Decisions about accounts, carried out before the restore was planned.
#[derive(Debug, Clone, Default)]
pub struct AccountWishes {
    /// The people of the old machine for whom an account was made, by their ids.
    pub made: Vec<String>,
}

/// A person's decisions about settings.
#[derive(Debug, Clone, Default)]
pub struct SettingWishes {
    /// True if the new machine's settings stay as they are.
    pub keep: bool,
    /// True if the new machine gets the old one's name.
    pub rename_machine: bool,
}

/// A person's decisions about browsers.
#[derive(Debug, Clone, Default)]
pub struct BrowserWishes {
    /// True if the profiles that come open by default, instead of what does now.
    pub opens: bool,
    /// See [`NewerProfiles`].
    pub newer: NewerProfiles,
    /// The browser that all bookmarks are added to, if any: the last step of its rule's id, or `favourites`.
    pub bookmarks_into: Option<String>,
}

/// A person's decisions about mail.
#[derive(Debug, Clone, Default)]
pub struct MailWishes {
    /// The mail program that all letters are brought into, if any: the last step of its rule's id.
    pub into: Option<String>,
    /// Which of them.
    pub letters: LetterChoice,
}

/// The choice for a profile last used by a newer version of its browser than the one here.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum NewerProfiles {
    /// It stays in the trunk: the older browser would refuse it.
    #[default]
    Leave,
    /// It stays, and its bookmarks are added to the profile that opens by default.
    BookmarksOnly,
    /// It lands, for the day the browser is brought up to date.
    Carry,
}

/// A person's decisions about entries at the root of the drive.
#[derive(Debug, Clone, Default)]
pub struct DriveWishes {
    /// Where it goes: a place of the machine, and a folder in it. Where it was, if none is given.
    pub root: Option<(Place, RelativePath)>,
}

/// The word for favourites where a browser is named.
pub const FAVOURITES: &str = "favourites";

impl BrowserWishes {
    /// True unless bookmarks are to go into a browser that no rule knows.
    pub fn is_known(&self, catalogue: &Catalogue) -> bool {
        let known = |name: &String| name == FAVOURITES || rule_called(catalogue, name).is_some();
        self.bookmarks_into.as_ref().is_none_or(known)
    }
}

impl MailWishes {
    /// True unless letters are to go into a program whose profiles nobody here knows.
    pub fn is_known(&self, catalogue: &Catalogue) -> bool {
        let is_one = |rule: &CarryRule| {
            rule.profiles.as_ref().is_some_and(|profiles| profiles.engine == EngineName::Thunderbird)
        };
        self.into.as_ref().is_none_or(|name| {
            rule_called(catalogue, name).is_some_and(is_one) || programs::called(name).is_some()
        })
    }
}

/// The rule of a program with profiles, by the last step of its id.
pub fn rule_called<'c>(catalogue: &'c Catalogue, name: &str) -> Option<&'c CarryRule> {
    let is_it = |rule: &CarryRule| rule.profiles.is_some() && rule.id.rsplit('/').next() == Some(name);
    catalogue.rules.iter().map(|rule| &**rule).find(|rule| is_it(rule))
}
