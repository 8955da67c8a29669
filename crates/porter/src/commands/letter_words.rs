//! How a person says which letters: used by all commands that choose among them.

use super::look::patterns;
use crate::failure::Failure;
use clap::ValueEnum;
use porter_kinds::mail::Role;
use porter_kinds::mail::letter_choice::LetterChoice;
use time::Date;
use time::macros::format_description;

/// The role of a folder of letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum RoleWord {
    Inbox,
    Sent,
    Outbox,
    Drafts,
    Deleted,
    Junk,
}

impl From<RoleWord> for Role {
    fn from(word: RoleWord) -> Self {
        match word {
            RoleWord::Inbox => Self::Inbox,
            RoleWord::Sent => Self::Sent,
            RoleWord::Outbox => Self::Outbox,
            RoleWord::Drafts => Self::Drafts,
            RoleWord::Deleted => Self::Deleted,
            RoleWord::Junk => Self::Junk,
        }
    }
}

/// A day as a person types it.
pub(crate) fn day(text: &str) -> Result<Date, String> {
    let form = format_description!("[year]-[month]-[day]");
    Date::parse(text, &form).map_err(|_| "a day is written as 2024-12-31".to_owned())
}

/// The letters of folders that fit one of the patterns `option` gave, and of none for these roles, that came
/// from the first of two days to the second.
pub(crate) fn letter_choice(
    option: &str,
    folders: &[String],
    skip_roles: &[RoleWord],
    (since, until): (Option<Date>, Option<Date>),
) -> Result<LetterChoice, Failure> {
    let midnight = |day: Date| day.midnight().assume_utc();
    Ok(LetterChoice {
        folders: patterns(option, folders)?,
        skip_roles: skip_roles.iter().map(|word| (*word).into()).collect(),
        since_utc: since.map(midnight),
        before_utc: until.and_then(Date::next_day).map(midnight),
    })
}
