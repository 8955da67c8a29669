//! The lines of a journal: one JSON object each. Described in `docs/journal-format.md`.

use porter_kinds::receipt::Reason;
use porter_kinds::receipt::letters_brought::LettersBrought;
use porter_machine::control::Control;
use porter_machine::control::registry_key::{self, RegistryKeys};
use porter_machine::control::registry_value::{self, RegistryValues};
use porter_names::{Facts, RelativePath};
use porter_trunk::{ContentHash, RegistryValue, TrunkId, written_path};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use time::OffsetDateTime;

/// The format's name and version.
pub const FORMAT: &str = "porter-journal/3";
/// The one before: values of registries have lines of their own there.
pub const SECOND_FORMAT: &str = "porter-journal/2";
/// The first: it holds all that a check needs, and too little for an undo.
pub const FIRST_FORMAT: &str = "porter-journal/1";
/// A path as a JSON object: readable, and exact where that differs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct PathField(#[serde(with = "written_path")] pub RelativePath);

/// An entry of the trunk, by its address.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct EntryKey {
    /// The account's id in the trunk.
    pub owner: Option<String>,
    /// The place.
    pub place: String,
    /// Below the place.
    #[serde(flatten, with = "written_path")]
    pub path: RelativePath,
}

impl EntryKey {
    /// The key of an entry.
    pub fn of(address: &porter_trunk::EntryAddress) -> Self {
        Self { owner: address.owner.clone(), place: address.place.clone(), path: address.path.clone() }
    }
}

/// One line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "step", rename_all = "kebab-case")]
pub enum JournalLine {
    /// The first line.
    Begin {
        /// [`FORMAT`].
        format: String,
        /// Which trunk.
        trunk_id: TrunkId,
        /// The name of the machine that it was captured from.
        #[serde(default)]
        from: String,
        /// Stands in the names of the files that wait for their own.
        #[serde(default)]
        mark: String,
        /// When.
        #[serde(with = "time::serde::rfc3339")]
        started_utc: OffsetDateTime,
        /// Which account of the trunk goes into which of the machine.
        accounts: BTreeMap<String, String>,
        /// Ids of the chosen items.
        items: BTreeSet<String>,
        /// Patterns of entries that land although the rules hold them back.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        land_held: Vec<String>,
    },
    /// A run that was cut off goes on: with the mark of the first.
    GoOn {
        /// When.
        #[serde(with = "time::serde::rfc3339")]
        started_utc: OffsetDateTime,
        /// Which account of the trunk goes into which of the machine.
        accounts: BTreeMap<String, String>,
        /// Ids of the chosen items.
        items: BTreeSet<String>,
        /// Patterns of entries that land although the rules hold them back.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        land_held: Vec<String>,
    },
    /// Entries of an address of the trunk go to another place.
    Moved {
        /// Whose part it is.
        item: String,
        /// The place it was in.
        place: String,
        /// Below that.
        path: PathField,
        /// The place it goes to.
        to_place: String,
        /// Below that.
        to: PathField,
    },
    /// A file of the machine is about to get another content.
    Edit {
        /// For which item.
        item: String,
        /// Below the machine's root.
        at: PathField,
        /// The present file gets this name first.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        aside: Option<PathField>,
        /// Proof of the new content.
        blake3: ContentHash,
    },
    /// Files of the machine are about to be made in a folder that waits in this one.
    Bring {
        /// For which item.
        item: String,
        /// Below the machine's root.
        at: PathField,
    },
    /// Letters of a folder came into a mail program; a folder with many of them has several lines.
    Letters {
        /// The item that they are of.
        item: String,
        /// Which.
        letters: LettersBrought,
    },
    /// Something of the running system is about to be set.
    Set {
        /// For which item.
        #[serde(default)]
        item: String,
        /// Which control.
        control: String,
        /// Whose it is.
        owner: String,
        /// Its value before; none if it did not exist.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        was: Option<Facts>,
        /// Its value after.
        becomes: Facts,
    },
    /// Until the second version: a key of the running system's registry is about to be made.
    RegistryKey {
        /// Whose registry: the SID.
        sid: String,
        /// Below the person's own, with `\\` between the names.
        key: String,
    },
    /// Until the second version: a value of the running system's registry is about to be set.
    RegistryValue {
        /// For which item.
        item: String,
        /// Whose registry: the SID.
        sid: String,
        /// Which key of it.
        key: String,
        /// Its value before; none if it did not exist.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        was: Option<RegistryValue>,
        /// Its value after.
        becomes: RegistryValue,
    },
    /// Values in the registry that differ from an item's stay as they are.
    RegistryKept {
        /// Which item.
        item: String,
    },
    /// Something is about to be made or renamed in a folder that was there before.
    FolderWas {
        /// Below the machine's root.
        at: PathField,
        /// When it last changed, until now.
        #[serde(with = "time::serde::rfc3339")]
        modified_utc: OffsetDateTime,
    },
    /// A folder is about to be made.
    Folder {
        /// Below the machine's root.
        at: PathField,
    },
    /// The present file is about to be renamed.
    SetAside {
        /// The path of the present file.
        at: PathField,
        /// Its dated name.
        to: PathField,
    },
    /// A file or link is about to get its name.
    Land {
        /// Which entry.
        entry: EntryKey,
        /// Below the machine's root.
        at: PathField,
        /// The present file gets this name first.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        aside: Option<PathField>,
        /// True if it gets another name than its own.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        renamed: bool,
        /// True if it gets another name because what is there stays.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        kept_existing: bool,
        /// True for a link.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        link: bool,
        /// True if its content is not the trunk's: paths in it follow to this machine.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        adapted: bool,
        /// Proof of the content; of where it leads to, for a link.
        blake3: Option<ContentHash>,
    },
    /// An entry is there under another name than its own: a file that was there already, byte for byte, or a
    /// folder.
    FoundAs {
        /// Which entry.
        entry: EntryKey,
        /// Below the machine's root.
        at: PathField,
    },
    /// An entry is there with its paths as they are on this machine.
    FoundAdapted {
        /// Which entry.
        entry: EntryKey,
        /// Proof of the content.
        blake3: ContentHash,
    },
    /// An entry does not land.
    Refused {
        /// Which entry.
        entry: EntryKey,
        /// Why.
        reason: Reason,
    },
    /// The last line.
    End {
        /// When.
        #[serde(with = "time::serde::rfc3339")]
        finished_utc: OffsetDateTime,
    },
}

impl JournalLine {
    /// The same step as this version of journals writes it.
    #[must_use]
    pub fn of_today(self) -> Self {
        match self {
            Self::RegistryKey { sid, key } => Self::Set {
                item: String::new(),
                control: RegistryKeys.name().to_owned(),
                owner: sid,
                was: None,
                becomes: registry_key::facts(&key),
            },
            Self::RegistryValue { item, sid, key, was, becomes } => Self::Set {
                item,
                control: RegistryValues.name().to_owned(),
                owner: sid,
                was: was.map(|was| registry_value::facts(&key, &was)),
                becomes: registry_value::facts(&key, &becomes),
            },
            line => line,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lines_of_registries_in_earlier_journals_are_read_as_what_was_set() {
        let line = r#"{"step":"registry-value","item":"a/b","sid":"S-1-5-21-1","key":"Software\\K","was":{"name":"x","type":3,"hex":"00ff"},"becomes":{"name":"x","type":1,"text":"kites"}}"#;
        let line: JournalLine = serde_json::from_str(line).unwrap();
        let JournalLine::Set { item, control, owner, was, becomes } = line.of_today() else { panic!() };
        assert_eq!((&*item, &*control, &*owner), ("a/b", "registry-value", "S-1-5-21-1"));
        let was = was.unwrap();
        assert_eq!(
            (&*was["key"], &*was["name"], &*was["type"], &*was["data"]),
            ("Software\\K", "x", "3", "00ff")
        );
        assert_eq!((&*becomes["type"], &becomes["data"][..8]), ("1", "6b006900"), "a text is UTF-16");

        let line: JournalLine =
            serde_json::from_str(r#"{"step":"registry-key","sid":"S-1-5-21-1","key":"K"}"#).unwrap();
        let today = line.of_today();
        let JournalLine::Set { control, was, becomes, .. } = &today else { panic!() };
        assert_eq!((&**control, was, &*becomes["key"]), ("registry-key", &None, "K"));
        assert_eq!(today.clone().of_today(), today);
    }
}
