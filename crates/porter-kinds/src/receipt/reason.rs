//! Why something did not simply land, as data. The words are the caller's.

use super::Verdict;
use porter_trunk::{KeptState, LeftReason};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use time::OffsetDateTime;

/// Why something did not simply land.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "kebab-case")]
pub enum Reason {
    /// The content is not what was captured.
    ContentDiffers {
        /// Length when captured.
        captured_size: u64,
        /// Length now.
        found_size: u64,
    },
    /// Nothing is there.
    NotThere,
    /// Nothing is there, but it is in a folder of the same name inside its own: somebody pasted one level too
    /// deep.
    OneFolderTooDeep {
        /// That folder.
        folder: String,
    },
    /// The latest restore onto the machine never came to its end.
    RestoreCutOff {
        /// When it began.
        #[serde(with = "time::serde::rfc3339")]
        started_utc: OffsetDateTime,
    },
    /// What the journal of an earlier restore tells cannot be read, or not all of it.
    JournalDamaged {
        /// Its file name.
        journal: String,
    },
    /// It had landed, and is not there any more.
    GoneSince {
        /// When the restore was done.
        #[serde(with = "time::serde::rfc3339")]
        landed_utc: OffsetDateTime,
    },
    /// It had landed, and somebody has worked on it since.
    ChangedSince {
        /// When the restore was done.
        #[serde(with = "time::serde::rfc3339")]
        landed_utc: OffsetDateTime,
        /// When it last changed.
        #[serde(with = "time::serde::rfc3339")]
        changed_utc: OffsetDateTime,
    },
    /// It landed under another name, because another file was there and was to keep its own.
    KeptExisting {
        /// Where.
        path: String,
    },
    /// Something of another kind is there: `a folder`, `a file`, `a link`.
    OtherKindThere {
        /// What.
        what: String,
    },
    /// A link leads elsewhere than it did.
    LinkDiffers,
    /// It is there but could not be read.
    CannotBeRead {
        /// The system's words.
        detail: String,
    },
    /// The new machine has no account for it.
    NoAccount {
        /// The account of the old machine.
        account: String,
    },
    /// The new machine has no such place, or something that is no folder stands there.
    NoPlace {
        /// The place.
        place: String,
    },
    /// A setting or printer that a person sets up on the new machine.
    SetByHand {
        /// What the new machine has instead; empty if nothing.
        now: BTreeMap<String, String>,
    },
    /// It landed, and without a file that it cannot do without.
    LacksWhatItNeeds {
        /// Patterns, one of which should fit something.
        needs: Vec<String>,
        /// True if it was so on the old machine.
        was_so: bool,
    },
    /// It landed, with the paths in it as they are on the new machine.
    PathsFollow,
    /// The new machine has nowhere for what this program keeps.
    NoSuchProgram {
        /// The program.
        title: String,
    },
    /// A later version of its program has used it than the new machine has: that one would refuse it.
    NewerThanProgram {
        /// The version that used it.
        has: String,
        /// The version on the new machine.
        installed: String,
    },
    /// A program could not be told of it.
    NotEntered {
        /// The program.
        title: String,
        /// In words.
        detail: String,
    },
    /// Its program knows of it.
    Entered {
        /// By this name.
        name: String,
    },
    /// Its program opens it by itself.
    OpensByItself,
    /// It is there, and its program does not know of it.
    NotRegistered {
        /// The program.
        title: String,
    },
    /// What it has in its owner's registry could not be entered, or looked for, on the new machine.
    RegistryNotEntered {
        /// In words.
        detail: String,
    },
    /// Values in the registry are not as they were captured.
    RegistryDiffers {
        /// How many.
        values: u64,
        /// The first of them.
        names: Vec<String>,
    },
    /// What it had in its owner's registry stays in the trunk: the new machine has none.
    RegistryStays {
        /// How many values.
        values: u64,
    },
    /// A database in it is not whole.
    DatabaseDamaged {
        /// Which.
        file: String,
        /// What SQLite says.
        detail: String,
    },
    /// The item was not to be captured.
    NotChosenAtCapture,
    /// The item was not to be restored, or not to be checked now.
    NotChosenNow,
    /// Left behind at the capture.
    LeftAtCapture {
        /// Why then.
        left: LeftReason,
        /// What the trunk keeps of it from an earlier capture.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kept: Option<KeptState>,
    },
    /// It landed, and the old machine's drive could not read all of it: zeros stand in the place of the rest.
    Incomplete {
        /// So much is missing.
        missing_in_bytes: u64,
        /// Of so much.
        size_in_bytes: u64,
    },
    /// Kept in the trunk on purpose.
    Held {
        /// In plain words.
        why: String,
    },
    /// It landed under another name, because its own cannot be held there or was taken.
    LandedAs {
        /// Where.
        path: String,
    },
    /// It landed, but its time of change is not what it was.
    TimeDiffers,
    /// It landed, but attributes such as *hidden* did not.
    AttributesDiffer,
    /// Files landed, but the dates when they were made did not: told once for an item.
    CreationTimesDiffer {
        /// How many files.
        files: u64,
    },
    /// It landed, but a named stream did not.
    StreamsDiffer,
    /// The trunk's line about it must not be used.
    EntryRefused {
        /// Line in the list of entries.
        line: u64,
        /// What is wrong with it.
        problem: String,
    },
    /// A link that would lead out of its place is not made.
    LinkLeadsOut {
        /// Where it would lead.
        target: String,
    },
    /// The system did not let a link be made. What it leads to is an entry of its own.
    LinkNotMade {
        /// Where it would lead.
        target: String,
    },
    /// Something that must not be replaced stands in its way.
    InTheWay {
        /// What: `a link`.
        what: String,
        /// Where.
        path: String,
    },
    /// The path would be longer than the system of the new machine takes.
    TooDeep {
        /// The longest that it takes.
        most_in_bytes: u64,
    },
    /// The trunk has two entries for the same thing.
    Twice,
    /// The trunk's list does not tell of all that was captured: it is damaged.
    NotListed {
        /// Entries that it does not tell of.
        missing: u64,
        /// Entries that were captured.
        captured: u64,
    },
    /// An earlier receipt tells of a later capture: the trunk was put back to what it was before.
    RolledBack {
        /// The number of the capture that the receipt tells of.
        said: u32,
        /// The number of the latest that is there.
        there: u32,
    },
    /// An earlier receipt tells of another list of the same capture.
    OtherList {
        /// The number of the capture.
        capture: u32,
    },
    /// It was altered since it was signed.
    AlteredSinceSigned,
    /// The trunk's own content is not what was captured.
    TrunkDamaged {
        /// In words.
        detail: String,
    },
    /// It could not be written.
    NotWritten {
        /// The system's words.
        detail: String,
    },
}

impl Reason {
    /// The verdict on something that a restore refused for this reason.
    pub fn verdict(&self) -> Verdict {
        match self {
            Self::InTheWay { .. } => Verdict::KeptExisting,
            Self::Held { .. } | Self::NoSuchProgram { .. } | Self::LinkNotMade { .. } => Verdict::KeptInTrunk,
            Self::NewerThanProgram { .. }
            | Self::LinkLeadsOut { .. }
            | Self::EntryRefused { .. }
            | Self::TooDeep { .. }
            | Self::Twice => Verdict::LeftBehind,
            _ => Verdict::Missing,
        }
    }

    /// True for what is said once of an item, and not of each file in it.
    pub fn is_of_whole_item(&self) -> bool {
        matches!(self, Self::NoSuchProgram { .. } | Self::NewerThanProgram { .. })
    }

    /// False if nobody has to do anything about what was refused for this reason.
    pub fn needs_attention(&self) -> bool {
        !matches!(
            self,
            Self::Held { .. }
                | Self::LinkNotMade { .. }
                | Self::SetByHand { .. }
                | Self::ChangedSince { .. }
                | Self::PathsFollow
                | Self::NoSuchProgram { .. }
                | Self::Entered { .. }
                | Self::OpensByItself
                | Self::RegistryStays { .. }
        )
    }
}
