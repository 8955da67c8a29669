//! The options that several commands share; each command's own arguments stand with it.

use crate::amounts;
use crate::paths;
use clap::Args;
use porter_core::events::Event;
use porter_disk::Reading;
use std::path::PathBuf;

/// Headings in the help. They stand at each option: a heading for a group goes on behind it, and then stands
/// over what is not its.
pub(crate) const CHOOSING: &str = "Choosing what";
const SEALED: &str = "Sealed trunks";

/// How a long command behaves.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ConductArguments {
    /// Show no progress
    #[arg(long, short)]
    pub(crate) quiet: bool,
    /// Append what happens to FILE while it happens, as JSON Lines
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) events: Option<PathBuf>,
}

/// Options that open a sealed trunk, or seal a new one.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct KeyArguments {
    /// File whose first line is the passphrase; or the environment variable PORTER_PASSPHRASE
    #[arg(help_heading = SEALED, long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) passphrase_file: Option<PathBuf>,
    /// The secret half of the workshop's recovery key, if the passphrase was forgotten
    #[arg(help_heading = SEALED, long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) workshop_key: Option<PathBuf>,
}

/// A trunk that is there.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct TrunkArguments {
    /// Folder of the trunk
    #[arg(value_parser = paths::typed())]
    pub(crate) trunk: PathBuf,
    /// Folder of another part of the trunk, if it lies in several (may be given several times)
    #[arg(long = "with", value_name = "FOLDER", value_parser = paths::typed())]
    pub(crate) with: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) key: KeyArguments,
}

impl TrunkArguments {
    /// All of its folders.
    pub(crate) fn folders(&self) -> Vec<PathBuf> {
        std::iter::once(&self.trunk).chain(&self.with).cloned().collect()
    }
}

/// Drives beside the one of the system.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct DriveArguments {
    /// Where a further drive of the machine is mounted, such as D:=/mnt/d (may be given several times)
    #[arg(long = "drive", value_name = "LETTER:=FOLDER")]
    pub(crate) drives: Vec<String>,
    /// MACHINE is not a machine but a drive of things, or a copy of one: a second disk, a stick, a card of
    /// photos
    #[arg(long, conflicts_with = "drives")]
    pub(crate) as_drive: bool,
    /// The drives spin: read one file at a time. Porter finds this out where the system knows
    #[arg(long)]
    pub(crate) spinning: bool,
}

/// How a drive or an image is read.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ImageArguments {
    /// MACHINE is an image, and FILE is the map of the drive, with what could be read into it. Not needed if
    /// it is called as the image is, with .map behind
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) map: Option<PathBuf>,
    /// Deleted files too, as far as their content is still there (NTFS): in a folder of their own, as
    /// recovered
    #[arg(long)]
    pub(crate) deleted: bool,
    /// File with what opens a locked drive: a recovery key, a passphrase, or the key file itself; or the
    /// environment variable PORTER_UNLOCK
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) unlock_file: Option<PathBuf>,
}

impl ImageArguments {
    /// The same for the reader; all that is read is kept in `copy`, too.
    pub(crate) fn reading(&self, copy: Option<PathBuf>) -> Reading {
        Reading { map: self.map.clone(), copy, deleted: self.deleted, spinning: false }
    }
}

/// A technician's own rules.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct OwnRulesArguments {
    /// A further carry rule (may be given several times)
    #[arg(help_heading = CHOOSING, long = "rules", value_name = "FILE", value_parser = paths::typed())]
    pub(crate) files: Vec<PathBuf>,
}

/// Which items.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct SelectionArguments {
    /// Only items that fit: an id, the beginning of one, or a pattern such as '*/folder/music'
    #[arg(help_heading = CHOOSING, long, value_name = "PATTERN")]
    pub(crate) only: Vec<String>,
    /// No items that fit
    #[arg(help_heading = CHOOSING, long, value_name = "PATTERN")]
    pub(crate) skip: Vec<String>,
}

/// Options that choose parts of a machine beyond the ids of its items.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ChoiceArguments {
    /// A folder or file of the machine to carry, too, such as 'D:\Jobs' or 'Program Files/Kites/data' (may be
    /// given several times)
    #[arg(help_heading = CHOOSING, long, value_name = "PATH")]
    pub(crate) also: Vec<String>,
    /// Only people who used the machine within this time before it was last used at all: 90d, 12w, 6m, 2y
    #[arg(help_heading = CHOOSING, long, value_name = "TIME", value_parser = amounts::time)]
    pub(crate) used_within: Option<time::Duration>,
    /// Leave files with such names out, such as '*.iso'
    #[arg(help_heading = CHOOSING, long, value_name = "PATTERN")]
    pub(crate) leave_files: Vec<String>,
    /// Leave files out that are larger than this: 700MB, 4GB
    #[arg(help_heading = CHOOSING, long, value_name = "SIZE", value_parser = amounts::size_in_bytes)]
    pub(crate) leave_files_over: Option<u64>,
}

/// The packing list.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ListArguments {
    /// Only the items that the packing list FILE carries
    #[arg(help_heading = CHOOSING, long, value_name = "FILE", value_parser = paths::typed())]
    pub(crate) list: Option<PathBuf>,
}

/// True if an event belongs into the file of events: pieces of files come too often.
pub(crate) fn is_recorded(event: &Event<'_>) -> bool {
    !matches!(event, Event::Bytes { .. } | Event::Seen { .. })
}
