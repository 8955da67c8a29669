//! Failures in words, each with advice and the exit status.

use crate::paths;
use crate::screen::{BAD, BOLD, styled, tell};
use porter_core::capture::CaptureError;
use porter_core::check::CheckError;
use porter_core::restore::RestoreError;
use porter_core::undo::UndoError;
use porter_kinds::choice::BadPattern;
use porter_kinds::crossing::accounts::AccountsError;
use porter_machine::NotRecognised;
use porter_machine::here::HereError;
use porter_machine::new_account::NotMade;
use porter_source::VolumeKind;
use porter_trunk::packed_form::lacks_label;
use porter_trunk::sealing::NotOpened;
use porter_trunk::{Damage, TrunkError};
use std::path::Path;
use std::process::ExitCode;

use crate::views::numbers::{counted, size};

/// How a command ended that did what it could.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// All done and all well.
    Well,
    /// Done, but something needs a person's attention.
    Attention,
}

impl Outcome {
    pub(crate) fn attention_if(needed: bool) -> Self {
        if needed { Self::Attention } else { Self::Well }
    }

    pub(crate) fn exit_code(self) -> ExitCode {
        ExitCode::from(if self == Self::Well { 0 } else { 3 })
    }
}

/// Why a command could not do what it was asked to.
#[derive(Debug)]
pub(crate) struct Failure {
    what: String,
    advice: String,
    status: u8,
}

/// Could not be done, wrong use, and stopped by Ctrl-C.
const NOT_DONE: u8 = 1;
const WRONG_USE: u8 = 2;
pub(crate) const STOPPED_STATUS: u8 = 130;

impl Failure {
    pub(crate) fn new(what: impl Into<String>, advice: impl Into<String>) -> Self {
        Self { what: paths::without_marks(&what.into()), advice: advice.into(), status: NOT_DONE }
    }

    pub(crate) fn wrong_use(what: impl Into<String>, advice: impl Into<String>) -> Self {
        Self { status: WRONG_USE, ..Self::new(what, advice) }
    }

    /// A failure about a file or folder that was named: a missing one is a mistake in the name.
    pub(crate) fn about_name(cause: &std::io::Error, what: String, advice: &str) -> Self {
        match cause.kind() {
            std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory => Self::wrong_use(what, advice),
            _ => Self::new(what, advice),
        }
    }

    pub(crate) fn with_advice(self, advice: impl Into<String>) -> Self {
        Self { advice: advice.into(), ..self }
    }

    /// Somebody asked to stop.
    pub(crate) fn stopped(advice: impl Into<String>) -> Self {
        Self { status: STOPPED_STATUS, ..Self::new(STOPPED, advice) }
    }

    pub(crate) fn show(&self) {
        tell(format_args!("{} {}", styled(BAD, "porter:"), self.what));
        for line in self.advice.lines() {
            tell(format_args!("{} {line}", styled(BOLD, "  ->")));
        }
    }

    pub(crate) fn exit_code(&self) -> ExitCode {
        ExitCode::from(self.status)
    }
}

impl From<NotMade> for Failure {
    fn from(error: NotMade) -> Self {
        let advice = match &error {
            NotMade::OnlyThere => {
                "Nothing was restored. Start the new machine, make the account in its settings, sign in with it once, and restore then;\n\
                 or say into which account its things go: --account OLD=NEW."
            }
            NotMade::ReadOnlyMachine => "Mount its drive for writing, and name that folder.",
            NotMade::Refused { .. } => {
                "Nothing was restored. Run porter as root or administrator, or make the account by hand and name it: --account OLD=NEW."
            }
        };
        Self::new(error.to_string(), advice)
    }
}

impl From<UndoError> for Failure {
    fn from(error: UndoError) -> Self {
        let advice = match &error {
            UndoError::ReadOnlyMachine => "Mount its drive for writing, and name that folder.",
            UndoError::NothingToUndo => "`porter undo MACHINE --list` shows the restores that it has seen.",
            UndoError::TooEarly(_) => {
                "Nothing was changed. It was written by an earlier porter; what that restore set aside still has its dated names."
            }
            UndoError::TooLate(_) => "Nothing was changed. It was written by a later porter: take that one.",
            UndoError::Unreadable(_) => {
                "Nothing was changed. What that restore set aside still has its dated names. To take back the one before it, move the file elsewhere."
            }
            UndoError::Records(_) => RECORDS_REFUSED,
            UndoError::MachineInUse { .. } => MACHINE_IN_USE,
            UndoError::Journal { .. } => {
                "What was done until then stays done. Run the same command again when the drive can be read and written."
            }
            UndoError::Volume { .. } => {
                "What was done until then stays done. Mount the drive for writing, and run the same command again."
            }
            UndoError::Cancelled => {
                return Self::stopped("Run the same command again: it goes on where it was.");
            }
        };
        Self::new(error.to_string(), advice)
    }
}

pub(crate) const LABEL: &str = "label.json";
const SEAL: &str = "seal.json";
const WITHOUT_SEAL: &str =
    "Without `seal.json` nothing can open the trunk. Is there another copy of that file?";
/// Advice for a trunk that has lost its label.
const REBUILDS: &str = "`porter look TRUNK --mend` rebuilds its label and the list: of a packed trunk from the packs, of a parked one from its second copy.";
/// Advice for a damaged list. Spare data also covers the parts of a list that no pack repeats.
pub(crate) const MENDS_THE_LIST: &str = "Made with --recovery, `porter check TRUNK --mend` repairs it as it was. If not, `porter look TRUNK --mend` rebuilds it:\nof a packed trunk from the packs, of a parked one from its second copy.";
const RECORDS_REFUSED: &str = "Nothing was changed. A person who can write there decides what an undo does. Look at its contents, and at who put them there;\n\
     if porter wrote none of them, move it away. Porter makes a new one.";
const MACHINE_IN_USE: &str = "Nothing was changed. Wait until it is done, and run the same command again.";
const STOPPED: &str = "stopped before it was done";

impl From<TrunkError> for Failure {
    fn from(error: TrunkError) -> Self {
        let advice = match &error {
            TrunkError::HoldsSomethingElse(folder) if lacks_label(folder).is_some() => {
                "Nothing was changed. The rest of a trunk is there. `porter look TRUNK --mend` rebuilds its label, and the\n\
                 same capture then continues."
                    .to_owned()
            }
            TrunkError::HoldsSomethingElse(_) => {
                "Nothing was changed. Name a new or an empty folder for the trunk.".to_owned()
            }
            TrunkError::HoldsTrunk(_) => {
                "Nothing was changed. Name another folder; `porter look` shows what this trunk holds.".to_owned()
            }
            TrunkError::Unfinished(_) => "A capture was cut off, or the rest of it is on another stick. What it copied is still in there, but not proved.\n\
                 If it went on on another stick, plug that in and name both: `porter check LAST_FOLDER --with THIS_FOLDER`.\n\
                 Otherwise run the same capture again: a packed trunk goes on where it was. An open one has to be begun anew in\n\
                 another folder; delete this one only when that is done.\n\
                 If it was finished once and its list was lost, `porter look TRUNK --mend` rebuilds it."
                .to_owned(),
            TrunkError::NotATrunk { folder, .. } if lacks_label(folder).is_some() => {
                format!("The rest of one is there. {REBUILDS}")
            }
            TrunkError::NotATrunk { .. } => "Name the folder that a capture made.".to_owned(),
            TrunkError::Unsupported { .. } => "Use the porter that made it, or a later one.".to_owned(),
            TrunkError::Damaged(damage) => match damage {
                _ if damage.file() == SEAL => WITHOUT_SEAL.to_owned(),
                _ if damage.file().ends_with(".pack") => {
                    "Nothing was changed. `porter check TRUNK` names the damaged files, and with --mend repairs those that its recovery data can.".to_owned()
                }
                Damage::FileMissing(_) | Damage::FileUnreadable(..) => {
                    "Nothing was changed. If there is another copy of the trunk, use that one.".to_owned()
                }
                // A packed trunk's other files can be rebuilt from its packs.
                _ if damage.file() == LABEL => format!("Nothing was changed. {REBUILDS}"),
                _ if damage.file().ends_with(".list") => {
                    format!("Nothing was changed. {MENDS_THE_LIST}")
                }
                _ => "Nothing was changed. The trunk is not as it was written and must not be trusted as it is.\n\
                      If there is another copy of it, use that one; the files in its folder `data` can be looked at."
                    .to_owned(),
            },
            TrunkError::Full => {
                "What was captured is kept. Make room and run the same command again: it goes on where it was.\n\
                 Or go on on another drive, with the same command and --continue-on FOLDER there."
                    .to_owned()
            }
            TrunkError::InUse { holder, .. } => format!(
                "Nothing was changed. {}Wait until it is done.",
                if holder.is_empty() { String::new() } else { format!("It wrote: {}. ", porter_names::screen::on_screen(holder.as_bytes())) }
            ),
            TrunkError::CannotPark(_) => {
                "A parked trunk has to lie on the volume of the old system, and that must know hard links or clones: NTFS, ext4,\n\
                 APFS, btrfs and XFS do, FAT does not. On another drive make a packed one: leave --form out."
                    .to_owned()
            }
            TrunkError::OtherMachine { .. } => {
                "Nothing was changed. Name another folder: a trunk holds one machine.".to_owned()
            }
            TrunkError::Sealed(_) => "Give its passphrase with --passphrase-file, in PORTER_PASSPHRASE, or where you are asked for it.\n\
                 `porter look` shows its label without."
                .to_owned(),
            TrunkError::NotOpened { cause, .. } => match cause {
                NotOpened::WrongPassphrase => "Try again; capitals and spaces count. If it is forgotten and the workshop has a recovery key:\n\
                     --workshop-key FILE."
                    .to_owned(),
                NotOpened::WrongWorkshopKey => "`porter workshop-key show` shows for which key trunks are sealed here.".to_owned(),
                NotOpened::Damaged(_) => WITHOUT_SEAL.to_owned(),
                NotOpened::Unsupported(_) => "Use the porter that made it, or a later one.".to_owned(),
            },
            TrunkError::PartMissing { .. } => {
                "Plug in the drive with that part, and name its folder too: --with FOLDER.".to_owned()
            }
            TrunkError::Io { .. } => "Is the drive still connected, and may you write to it?".to_owned(),
        };
        // A trunk that has lost its label is damaged; where no part of one exists, another folder was meant.
        let is_none = |folder: &Path| lacks_label(folder).is_none() && !folder.join("bagit.txt").exists();
        if matches!(&error, TrunkError::NotATrunk { folder, .. } if is_none(folder)) {
            return Self::wrong_use(error.to_string(), advice);
        }
        Self::new(error.to_string(), advice)
    }
}

impl From<CaptureError> for Failure {
    fn from(error: CaptureError) -> Self {
        let what = error.to_string();
        match error {
            CaptureError::Trunk(error) => error.into(),
            CaptureError::DriveGone => Self::new(
                "the drive is gone",
                "Plug it in and run the same command: it goes on where it was. What was captured is kept.",
            ),
            CaptureError::NothingChosen => {
                Self::wrong_use(what, "Look at `porter survey`, and at --account, --only and --skip.")
            }
            CaptureError::TrunkInItem { .. } => {
                Self::wrong_use(what, "Name a folder on another drive, or outside of what is captured.")
            }
            CaptureError::TrunkOnOldMachine(_) => {
                Self::wrong_use(what, "The old machine is only read. Name a folder on another drive.")
            }
            CaptureError::TrunkInTrunk(_) => {
                Self::wrong_use(what, "Nothing was written. Name a folder beside the other trunk, not in it.")
            }
            CaptureError::LeavesOut(items) => {
                let shown: Vec<&str> = items.iter().take(5).map(String::as_str).collect();
                let rest = match items.len() - shown.len() {
                    0 => String::new(),
                    more => format!(" and {more} more"),
                };
                Self::wrong_use(
                    format!("the trunk holds what this capture leaves out: {}{rest}", shown.join(", ")),
                    "The trunk is as it was. Choose all that it is to hold, name another folder for the rest,\n\
                     or let that go: --may-leave-out.",
                )
            }
            CaptureError::NoRoom { needed_in_bytes, free_in_bytes } => Self::new(
                format!(
                    "the trunk needs up to {}, and its volume has {} free",
                    size(needed_in_bytes),
                    size(free_in_bytes)
                ),
                "Nothing was captured. Use a larger drive, or leave items out with --skip. A packed trunk may take less, if much\n\
                 can be compressed: --may-not-fit begins all the same, and --continue-on FOLDER goes on on another drive.",
            ),
            CaptureError::ReadBack { damage, set_aside } => {
                let shown: Vec<String> = damage.iter().take(10).map(Damage::to_string).collect();
                let places = counted(damage.len() as u64, "damaged place");
                let mut advice =
                    "The drive does not give back what was written to it. Do not trust it: use another one."
                        .to_owned();
                if set_aside.is_empty() {
                    advice.push_str(
                        "\nWhat an earlier capture wrote, `porter check TRUNK --mend` repairs if it has recovery data; capture again then."
                    );
                } else {
                    let names = set_aside.join(", ");
                    advice.push_str(&format!(
                        "\nIf it is all there is, run the same command again: what was in {names} is captured again, and proved."
                    ));
                }
                Self::new(format!("{what}; {places}:\n   {}", shown.join("\n   ")), advice)
            }
            CaptureError::NotAccountedFor { .. } => {
                Self::new(what, "This is a fault of porter. The trunk was not finished; please report it.")
            }
            CaptureError::Cancelled => Self::stopped(
                "The trunk is not finished. Run the same command again: a packed trunk goes on where it was.",
            ),
        }
    }
}

impl From<RestoreError> for Failure {
    fn from(error: RestoreError) -> Self {
        let what = error.to_string();
        match error {
            RestoreError::Trunk(error) => error.into(),
            RestoreError::Accounts(error) => error.into(),
            RestoreError::NoRoom { needed_in_bytes, free_in_bytes } => Self::new(
                format!(
                    "the restore writes {}, and the volume has {} free",
                    size(needed_in_bytes),
                    size(free_in_bytes)
                ),
                "Nothing was changed. Make room, or restore less with --only or --skip.",
            ),
            RestoreError::Volume { .. } => Self::new(
                what,
                "What landed before is kept and complete. When the volume takes files again, run the same command:\n\
                 it leaves what is there already as it is.",
            ),
            RestoreError::Journal { .. } | RestoreError::RecordsInTheWay(_) | RestoreError::Mark(_) => {
                Self::new(
                    what,
                    "Without a record nothing more is changed. Is the new machine's drive writable?",
                )
            }
            RestoreError::Records(_) => Self::new(what, RECORDS_REFUSED),
            RestoreError::MachineInUse { .. } => Self::new(what, MACHINE_IN_USE),
            RestoreError::ReadOnlyMachine => Self::new(what, "Name a folder that can be written to."),
            RestoreError::Cancelled => Self::stopped(
                "What landed is complete. Run the same command again: it leaves what is there already as it is.",
            ),
        }
    }
}

impl From<AccountsError> for Failure {
    fn from(error: AccountsError) -> Self {
        let what = error.to_string();
        match &error {
            AccountsError::NoneFor { without, .. } => {
                let first = without.first().cloned().unwrap_or_default();
                Self::new(
                    what,
                    format!(
                        "Nothing was changed. Say where they go with --account {first}=NAME,\n\
                         or leave them out with --skip '{first}/*'. New accounts are made on the new machine itself."
                    ),
                )
            }
            AccountsError::TwoIntoOne { first, second, .. } => Self::wrong_use(
                what,
                format!(
                    "Restore one of them, and leave the other out: --skip '{second}/*' or --skip '{first}/*'."
                ),
            ),
            AccountsError::NotInTrunk { .. } | AccountsError::NotOnMachine { .. } => {
                Self::wrong_use(what, "It is written --account OLD=NEW.")
            }
        }
    }
}

impl From<CheckError> for Failure {
    fn from(error: CheckError) -> Self {
        match error {
            CheckError::Trunk(error) => error.into(),
            CheckError::Accounts(error) => error.into(),
            CheckError::Pattern(error) => error.into(),
            CheckError::Cancelled => Self::stopped("There is no receipt. Run the same command again."),
        }
    }
}

impl From<BadPattern> for Failure {
    fn from(error: BadPattern) -> Self {
        Self::wrong_use(error.to_string(), "`*` stands for any text; `porter survey` shows the ids.")
    }
}

impl Failure {
    /// The result did not reach its reader.
    pub(crate) fn of_output(cause: &std::io::Error) -> Self {
        Self::new(
            format!("standard output did not take all of the result: {cause}"),
            "What the command did is done. Is there room where its result goes?",
        )
    }

    /// The running machine cannot be used.
    pub(crate) fn not_here(error: &HereError) -> Self {
        match error {
            HereError::NotRecognised(error) => Self::not_recognised("here", error),
            HereError::Unreadable { .. } => {
                Self::new(error.to_string(), "Run porter as administrator (Windows) or with sudo (Linux).")
            }
        }
    }

    /// A volume of a kind that porter does not read itself: what it is, and what it takes to get at it.
    pub(crate) fn not_mounted(shown: &str, kind: VolumeKind) -> Self {
        let (what, advice) = match kind {
            VolumeKind::Luks => (
                "is encrypted by LUKS",
                "It takes the owner's passphrase: cryptsetup open --readonly DEVICE NAME.\n\
                 Mount what that gives, read-only, and name the folder.",
            ),
            VolumeKind::CoreStorage => (
                "is a Core Storage volume of macOS, which FileVault most likely encrypts",
                "It takes the owner's password or the recovery key. Unlock and mount it on a Mac, or with a tool that\n\
                 reads Core Storage, read-only, and name the folder.",
            ),
            VolumeKind::Apfs => (
                "is an APFS container of macOS, which FileVault may encrypt",
                "Mount the half of it that is called Data on a Mac, or with a driver that reads APFS, read-only,\n\
                 and name the folder. If it is encrypted, it takes the owner's password or the recovery key.",
            ),
            VolumeKind::HfsPlus => (
                "is an HFS+ volume of macOS",
                "Mount it read-only (Linux: mount -t hfsplus -o ro), and name the folder.",
            ),
            _ => ("is a volume that porter does not read itself", "Mount it read-only, and name the folder."),
        };
        Self::new(format!("`{shown}` {what}"), advice)
    }

    /// A folder that is not a machine.
    pub(crate) fn not_recognised(folder: &str, error: &NotRecognised) -> Self {
        match error {
            NotRecognised::Unreadable(cause) => Self::new(
                format!("`{folder}` cannot be looked at: {}", cause.trouble),
                "Is the drive mounted, and may you read it?",
            ),
            NotRecognised::TooOld { .. } => Self::new(
                format!("`{folder}` {error}"),
                "Nothing on it is one person's alone. Capture it as a drive of things, with --as-drive, and leave the system out: \
                 --skip machine/folder/drive/windows",
            ),
            NotRecognised::NoSystem { looked_for, found } => {
                let mut names: Vec<String> =
                    found.iter().take(8).map(|name| porter_names::screen::on_screen(name)).collect();
                names.sort();
                let found = if names.is_empty() { "nothing".to_owned() } else { names.join(", ") };
                Self::wrong_use(
                    format!(
                        "`{folder}` {error}.\n   Looked for\n   - {}\n   Found {found}",
                        looked_for.join("\n   - ")
                    ),
                    "Name the folder where the system drive is mounted: the one that holds Windows and Users.\n\
                     A drive of things, a stick or a card is taken with --as-drive, one person's folder with --as-person NAME.",
                )
            }
        }
    }
}
