//! The facts of each of Outlook's data files: its layout, its letters, its last change, and the profiles that
//! open it.

use porter_formats::mail::pst::{Layout, Letters};
use porter_names::{Facts, RelativePath};
use std::collections::BTreeSet;
use time::OffsetDateTime;

/// See the module.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DataFileFacts {
    /// Below the root of the volume.
    pub path: String,
    /// `ansi`, `unicode` or `large-pages`.
    pub layout: String,
    /// Its letters.
    pub messages: u64,
    /// The folders that they are in.
    pub folders: u64,
    /// The day, in UTC, of the last change: `2026-02-10`; empty if it is not known.
    pub written: String,
    /// The names of the profiles that open it, with commas between them; empty if none is known.
    pub opened_by: String,
}

/// How the facts of files are called, before their number.
const PREFIX: &str = "data-file-";
/// How the facts of files in profiles are called, before their number.
const PROFILE: &str = "profile-file-";

impl DataFileFacts {
    /// The facts of one file.
    pub(super) fn of(at: &RelativePath, letters: &Letters, modified_utc: Option<OffsetDateTime>) -> Self {
        Self {
            path: at.to_string(),
            layout: match letters.layout {
                Layout::Ansi => "ansi",
                Layout::Unicode => "unicode",
                Layout::LargePages => "large-pages",
            }
            .to_owned(),
            messages: letters.messages,
            folders: letters.folders,
            written: modified_utc.map(|at| at.date().to_string()).unwrap_or_default(),
            opened_by: String::new(),
        }
    }

    /// Writes files among the facts of an item: `data-file-1-path`.
    pub(super) fn tell_all(files: &[Self], facts: &mut Facts) {
        for (number, file) in (1..).zip(files) {
            let rows = [
                ("path", file.path.clone()),
                ("layout", file.layout.clone()),
                ("messages", file.messages.to_string()),
                ("folders", file.folders.to_string()),
                ("written", file.written.clone()),
            ];
            for (name, value) in rows.into_iter().filter(|(_, value)| !value.is_empty()) {
                facts.insert(format!("{PREFIX}{number}-{name}"), value);
            }
        }
    }

    /// Writes the profiles that open a file among the facts of an item.
    pub(super) fn tell_profiles(at: &RelativePath, opened_by: &BTreeSet<String>, facts: &mut Facts) {
        if opened_by.is_empty() {
            return;
        }
        let number =
            1 + (1..).take_while(|number| facts.contains_key(&format!("{PROFILE}{number}-path"))).count();
        let names: Vec<&str> = opened_by.iter().map(String::as_str).collect();
        facts.insert(format!("{PROFILE}{number}-path"), at.to_string());
        facts.insert(format!("{PROFILE}{number}-opened-by"), names.join(", "));
    }

    /// Those that the facts of an item tell of.
    pub fn all_in(facts: &Facts) -> Vec<Self> {
        let text = |prefix: &str, number: usize, name: &str| {
            facts.get(&format!("{prefix}{number}-{name}")).cloned().unwrap_or_default()
        };
        let opened_by = |path: &str| {
            let mut numbers = 1..=facts.len();
            let number = numbers.find(|number| text(PROFILE, *number, "path") == path);
            number.map(|number| text(PROFILE, number, "opened-by")).unwrap_or_default()
        };
        let file = |number: usize| Self {
            path: text(PREFIX, number, "path"),
            layout: text(PREFIX, number, "layout"),
            messages: text(PREFIX, number, "messages").parse().unwrap_or_default(),
            folders: text(PREFIX, number, "folders").parse().unwrap_or_default(),
            written: text(PREFIX, number, "written"),
            opened_by: opened_by(&text(PREFIX, number, "path")),
        };
        // A trunk may name any number.
        (1..=facts.len()).map(file).take_while(|file| !file.path.is_empty()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_formats::mail::pst::BesideLetters;

    #[test]
    fn facts_say_again_what_was_told_and_junk_ends_them() {
        let at = |path: &str| RelativePath::from_bytes(path.as_bytes()).unwrap();
        let letters = |layout, messages| Letters {
            layout,
            is_copy: false,
            folders: 2,
            messages,
            beside: BesideLetters::default(),
            damaged_pages: 0,
        };
        let files = [
            DataFileFacts::of(
                &at("Users/tamsin/a.pst"),
                &letters(Layout::Ansi, 7),
                Some(OffsetDateTime::UNIX_EPOCH),
            ),
            DataFileFacts::of(&at("Mail/b.bak"), &letters(Layout::LargePages, 0), None),
        ];
        let mut facts = Facts::new();
        DataFileFacts::tell_all(&files, &mut facts);
        DataFileFacts::tell_profiles(&at("elsewhere.pst"), &["Old".to_owned()].into(), &mut facts);
        let both = ["Outlook".to_owned(), "Work".to_owned()];
        DataFileFacts::tell_profiles(&at("Mail/b.bak"), &both.into(), &mut facts);
        let told = DataFileFacts::all_in(&facts);
        assert_eq!(told[0], files[0]);
        assert_eq!((&*told[0].written, &*told[1].opened_by), ("1970-01-01", "Outlook, Work"));
        facts.insert("data-file-2-messages".to_owned(), "many".to_owned());
        facts.remove("data-file-1-path");
        assert_eq!(DataFileFacts::all_in(&facts), []);
    }
}
