//! Files of the machine that a kind makes while the restore runs: too much to be held in a plan.

use crate::receipt::letters_brought::LettersBrought;
use porter_names::RelativePath;
use porter_trunk::{ContentHash, Trunk};
use std::path::{Path, PathBuf};

/// Something that is made while the restore runs, and lands behind everything else.
pub struct Bring {
    /// For which item.
    pub item: String,
    /// The account on the machine.
    pub account: String,
    /// The program, and its profile.
    pub into: String,
    /// How many letters the trunk has of it, as they were counted at the capture.
    pub letters: u64,
    /// The folder that all of it goes into, below the machine's root.
    pub at: RelativePath,
    /// At most so much room is needed.
    pub needed_in_bytes: u64,
    /// Makes the files.
    pub make: Box<MakeFiles>,
}

/// Makes files in a folder that waits, beside those that they are to be; an error is in words. `go_on` ends
/// it early.
pub type MakeFiles = dyn Fn(&dyn Trunk, &Path, &dyn Fn() -> bool) -> Result<Brought, String> + Send + Sync;

/// All that was made.
#[derive(Debug, Default)]
pub struct Brought {
    /// The files that get their names now, in this order.
    pub files: Vec<BroughtFile>,
    /// The letters in them, folder by folder.
    pub letters: Vec<LettersBrought>,
    /// Parts that could not be read, in words.
    pub flaws: Vec<String>,
}

/// A file that was made.
#[derive(Debug)]
pub struct BroughtFile {
    /// Where it goes, below the machine's root. A present file is set aside.
    pub at: RelativePath,
    /// Where it waits.
    pub made: PathBuf,
    /// Its content.
    pub blake3: ContentHash,
    /// Files that belong to what is there.
    pub set_aside_too: Vec<RelativePath>,
}
