//! Which letters are taken, of those that an item has.

use super::mailboxes::{MailFolder, MailLetter};
use crate::catalogue::patterns::{Candidate, Patterns, in_lower_case};
use porter_formats::mail::role::Role;
use porter_names::RelativePath;
use time::OffsetDateTime;

/// See the module. The default is all of them.
#[derive(Debug, Clone, Default)]
pub struct LetterChoice {
    /// Only of folders whose path fits, unless there are none.
    pub folders: Patterns,
    /// None of folders for these.
    pub skip_roles: Vec<Role>,
    /// No letter that is older. One without a date is taken.
    pub since_utc: Option<OffsetDateTime>,
    /// No letter that is newer, or as new.
    pub before_utc: Option<OffsetDateTime>,
}

impl LetterChoice {
    /// True for a folder whose letters are asked for.
    pub fn takes_folder(&self, folder: &MailFolder) -> bool {
        let path = RelativePath::from_bytes(folder.path.join("/").as_bytes());
        let fits = |path: &RelativePath| self.folders.fit(&Candidate::new(&in_lower_case(path)));
        let is_named = self.folders.is_empty() || path.is_ok_and(|path| fits(&path));
        is_named && !self.skip_roles.contains(&folder.role)
    }

    /// True for a letter of such a folder that is asked for.
    pub fn takes(&self, letter: &dyn MailLetter) -> bool {
        let Self { since_utc, before_utc, .. } = self;
        if since_utc.is_none() && before_utc.is_none() {
            return true;
        }
        letter.summary().at_utc.is_none_or(|at| {
            since_utc.is_none_or(|since| at >= since) && before_utc.is_none_or(|before| at < before)
        })
    }
}
