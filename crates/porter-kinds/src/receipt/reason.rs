//! Why something did not simply land, as data. The words are the caller's.

use super::{DriverUnfit, Verdict};
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
    /// A file that landed, and that its program opens once somebody says where it is.
    ToOpen {
        /// As the new system writes it.
        path: String,
        /// How many messages are in it.
        messages: u64,
        /// True for the copy of a mailbox on a server, which opens with its own account alone.
        is_copy: bool,
    },
    /// A file that its program opens several others by.
    OpensAll {
        /// As the new system writes it.
        path: String,
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
    /// The journal of an earlier restore cannot be read, or only in part.
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
        /// The thing that is missing.
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
    /// The new machine has no such place, or a file stands there.
    NoPlace {
        /// The place.
        place: String,
    },
    /// A setting or printer that a person sets up on the new machine.
    SetByHand {
        /// The new machine's facts; empty if it has none.
        now: BTreeMap<String, String>,
    },
    /// A setting of the system could not be set.
    SettingNotSet {
        /// In words.
        detail: String,
    },
    /// A printer could not be set up.
    PrinterNotSet {
        /// The print system's words.
        detail: String,
    },
    /// Fonts lie in the folder of fonts, and the system does not list them yet.
    FontsNotListed {
        /// Their files.
        fonts: Vec<String>,
    },
    /// A scheduled task is on the new machine.
    TaskThere {
        /// Its name there, with the folders that it is in.
        name: String,
        /// False as long as it is switched off.
        is_enabled: bool,
    },
    /// The driver of a printer is not installed from the trunk.
    DriverNotInstalled {
        /// Why.
        #[serde(flatten)]
        why: DriverUnfit,
    },
    /// A printer is there, and prints only documents in its own language: no driver could be had.
    PrinterWithoutDriver {
        /// The old one.
        driver: String,
    },
    /// Letters, people or days lie where a person has a program import them.
    LettersWait {
        /// The program.
        into: String,
    },
    /// A printer is there, and does with a page of itself what the new machine says.
    PrinterDefaultsStay {
        /// The old one's, where they differ: paper, sides, direction, colour, copies.
        then: BTreeMap<String, String>,
    },
    /// A network is known, and somebody types its password when it is first joined.
    WifiWithoutPassword,
    /// The new machine keeps its own name: two PCs of one name disturb each other on a network.
    KeepsItsName {
        /// The new machine's.
        name: String,
    },
    /// The new machine's system is older, or lacks something, and does not know these values of a setting.
    NotKnownThere {
        /// Their names.
        names: Vec<String>,
    },
    /// It landed, and without a file that it cannot do without.
    LacksWhatItNeeds {
        /// Patterns; one of them should fit something.
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
    /// It could not be entered in its program's list.
    NotEntered {
        /// The program.
        title: String,
        /// In words.
        detail: String,
    },
    /// Letters of it could not be brought into a mail program.
    LettersNotBrought {
        /// The program.
        into: String,
        /// In words.
        detail: String,
    },
    /// Letters that were brought into a mail program are not there any more.
    LettersGone {
        /// The program and its profile.
        into: String,
        /// How many.
        letters: u64,
    },
    /// Letters, people or days that lay ready for an import are not there any more. Whether the program has
    /// them, nobody but the person can see.
    LettersTakenAway {
        /// The program.
        into: String,
        /// How many.
        letters: u64,
    },
    /// The mail of a program that letters were brought into cannot be read.
    LettersNotRead {
        /// The program and its profile.
        into: String,
        /// In words.
        detail: String,
    },
    /// Its program knows of it.
    Entered {
        /// By this name.
        name: String,
    },
    /// Its program opens it by default.
    OpensByItself,
    /// It is there, and its program does not know of it.
    NotRegistered {
        /// The program.
        title: String,
    },
    /// The item's keys could not be entered into its owner's registry on the new machine, or not looked for
    /// there.
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
    /// A program sets it up itself, once it is installed.
    ComesWithItsProgram,
    /// The new machine's own setting stays, as somebody wished.
    SettingStays {
        /// Its value there.
        #[serde(default)]
        now: BTreeMap<String, String>,
    },
    /// The item's registry keys stay in the trunk: the new machine has no registry.
    RegistryStays {
        /// How many values.
        values: u64,
    },
    /// A database in it is not whole.
    DatabaseDamaged {
        /// Which.
        file: String,
        /// SQLite's words.
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
        /// The trunk's state of it from an earlier capture.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kept: Option<KeptState>,
    },
    /// It landed, and the old machine's drive could not read all of it: zeros stand in the place of the rest.
    Incomplete {
        /// So much is missing.
        missing_in_bytes: u64,
        /// Its full size.
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
    /// Files landed, but their creation dates did not: reported once for an item.
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
        /// The problem.
        problem: String,
    },
    /// A link that would lead out of its place is not made.
    LinkLeadsOut {
        /// Where it would lead.
        target: String,
    },
    /// The system did not let a link be made. Its target is an entry of its own.
    LinkNotMade {
        /// Where it would lead.
        target: String,
    },
    /// Something that must not be replaced stands in its way.
    InTheWay {
        /// The thing that is missing: `a link`.
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
    /// The trunk's list does not name all captured entries: it is damaged.
    NotListed {
        /// The number of entries that it does not name.
        missing: u64,
        /// Entries that were captured.
        captured: u64,
    },
    /// An earlier receipt names a later capture: the trunk was put back to an earlier state.
    RolledBack {
        /// The number of the capture that the receipt names.
        said: u32,
        /// The number of the latest that is there.
        there: u32,
    },
    /// An earlier receipt names another list of the same capture.
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
            Self::Held { .. }
            | Self::NoSuchProgram { .. }
            | Self::LinkNotMade { .. }
            | Self::DriverNotInstalled { .. } => Verdict::KeptInTrunk,
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
        matches!(
            self,
            Self::NoSuchProgram { .. } | Self::NewerThanProgram { .. } | Self::DriverNotInstalled { .. }
        )
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
                | Self::ToOpen { .. }
                | Self::OpensAll { .. }
                | Self::RegistryStays { .. }
                | Self::SettingStays { .. }
                | Self::ComesWithItsProgram
                | Self::NotKnownThere { .. }
                | Self::KeepsItsName { .. }
                | Self::PrinterWithoutDriver { .. }
                | Self::TaskThere { .. }
                | Self::FontsNotListed { .. }
                | Self::DriverNotInstalled { why: DriverUnfit::NotWished }
                | Self::PrinterDefaultsStay { .. }
                | Self::LettersWait { .. }
                | Self::WifiWithoutPassword
        )
    }
}
