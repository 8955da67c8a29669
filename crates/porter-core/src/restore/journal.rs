//! What a restore does, written down before it does it.
//!
//! JSON Lines in the machine's records folder, one file per restore, named by when it began. Described in
//! `docs/journal-format.md`. What is written here is all that an undo has.

use super::journal_name::JournalName;
use super::records::new_file;
use crate::receipt::Reason;
use porter_names::RelativePath;
use porter_trunk::{ContentHash, RegistryValue, TrunkId, written_path};
use serde::{Deserialize, Serialize};
use std::borrow::Borrow;
use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// The format's name and version.
pub const FORMAT: &str = "porter-journal/2";
/// The one before: it tells a check all it needs, and an undo too little.
pub const FIRST_FORMAT: &str = "porter-journal/1";
/// So much is handed to the system at once.
const BUFFER_IN_BYTES: usize = 64 << 10;
/// More restores than that do not begin at one moment.
const MOST_AT_ONE_TIME: u32 = 99;

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
        /// What lands although the rules hold it back: patterns.
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
        /// What lands although the rules hold it back: patterns.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        land_held: Vec<String>,
    },
    /// What was at an address of the trunk goes to another place.
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
        /// What is there gets this name before.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        aside: Option<PathField>,
        /// Proof of the new content.
        blake3: ContentHash,
    },
    /// A key of the running system's registry is about to be made.
    RegistryKey {
        /// Whose registry: the SID.
        sid: String,
        /// Below the person's own, with `\` between the names.
        key: String,
    },
    /// A value of the running system's registry is about to be set.
    RegistryValue {
        /// For which item.
        item: String,
        /// Whose registry: the SID.
        sid: String,
        /// Which key of it.
        key: String,
        /// What it was; none if there was none.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        was: Option<RegistryValue>,
        /// What it becomes.
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
    /// What is there is about to be renamed.
    SetAside {
        /// What was there.
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
        /// What is there gets this name before.
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
    /// An entry is there under another name than its own: a file that was there already, byte for byte, or a folder.
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

/// A journal that is being kept.
pub struct Journal {
    path: PathBuf,
    to: Mutex<BufWriter<File>>,
}

impl Journal {
    /// Begins a journal in `records`, which is made if it is not there.
    pub fn begin(records: &Path, first: &JournalLine) -> io::Result<Self> {
        let JournalLine::Begin { started_utc, trunk_id, .. } = first else {
            return Err(io::Error::other("a journal begins with its beginning"));
        };
        let there = fs::read_dir(records)?.flatten().filter_map(|row| JournalName::of(&row.path()));
        let mut name = JournalName::after(there, *started_utc);
        for _ in 0..MOST_AT_ONE_TIME {
            let path = records.join(name.file_name(trunk_id));
            match new_file(&path) {
                Ok(file) => {
                    let journal =
                        Self { path, to: Mutex::new(BufWriter::with_capacity(BUFFER_IN_BYTES, file)) };
                    journal.write([first])?;
                    return Ok(journal);
                }
                Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => name = name.next(),
                Err(cause) => return Err(cause),
            }
        }
        Err(io::ErrorKind::AlreadyExists.into())
    }

    /// Goes on with the journal of a run that was cut off, behind its last whole line.
    pub fn go_on(path: &Path, line: &JournalLine) -> io::Result<Self> {
        let mut file = File::options().read(true).write(true).open(path)?;
        let end = whole_lines_in_bytes(&mut file)?;
        file.set_len(end)?;
        file.seek(SeekFrom::Start(end))?;
        let to = Mutex::new(BufWriter::with_capacity(BUFFER_IN_BYTES, file));
        let journal = Self { path: path.to_path_buf(), to };
        journal.write([line])?;
        Ok(journal)
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Writes lines and hands them to the system, before the steps they tell of are taken.
    pub fn write(&self, lines: impl IntoIterator<Item = impl Borrow<JournalLine>>) -> io::Result<()> {
        let mut to = self.to.lock().unwrap_or_else(PoisonError::into_inner);
        let mut text = Vec::new();
        for line in lines {
            text.clear();
            serde_json::to_writer(&mut text, line.borrow())?;
            text.push(b'\n');
            to.write_all(&text)?;
        }
        to.flush()
    }

    /// Sees all that was written onto the medium: no power failure then hides what was done.
    pub fn flush(&self) -> io::Result<()> {
        self.to.lock().unwrap_or_else(PoisonError::into_inner).get_ref().sync_data()
    }

    /// Writes the last line and sees the journal onto the medium.
    pub fn end(&self, finished_utc: OffsetDateTime) -> io::Result<()> {
        self.write([JournalLine::End { finished_utc }])?;
        self.to.lock().unwrap_or_else(PoisonError::into_inner).get_ref().sync_all()
    }
}

/// Where the last whole line ends: a line without its end was cut off by a power failure.
fn whole_lines_in_bytes(file: &mut File) -> io::Result<u64> {
    const STRETCH_IN_BYTES: u64 = 64 << 10;
    let mut end = file.metadata()?.len();
    while end > 0 {
        let begin = end.saturating_sub(STRETCH_IN_BYTES);
        file.seek(SeekFrom::Start(begin))?;
        let mut stretch = Vec::new();
        (&*file).take(end - begin).read_to_end(&mut stretch)?;
        if let Some(last) = stretch.iter().rposition(|byte| *byte == b'\n') {
            return Ok(begin + last as u64 + 1);
        }
        end = begin;
    }
    Ok(0)
}
