//! Which restores a machine has seen, and what became of them.

use crate::restore::journal::{FORMAT, JournalLine};
use crate::restore::journal_name::JournalName;
use porter_trunk::TrunkId;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

/// The format of the record that an undo leaves.
const UNDO_FORMAT: &str = "porter-undo/1";

/// A restore, by its journal.
#[derive(Debug, Clone)]
pub struct Run {
    /// The journal.
    pub journal: PathBuf,
    /// Which trunk it restored.
    pub trunk_id: TrunkId,
    /// The machine that was captured; empty in journals of the first version.
    pub from: String,
    /// When it began.
    pub started_utc: OffsetDateTime,
    /// When it came to its end; none if it was cut off.
    pub finished_utc: Option<OffsetDateTime>,
    /// Which account of the trunk went into which of the machine.
    pub accounts: BTreeMap<String, String>,
    /// When it was taken back, and how far.
    pub undone: Option<Undone>,
    /// Stands in the names of files that waited for theirs.
    pub(super) mark: String,
    /// False if the journal is of a version that says too little to be undone.
    pub(super) can_be_undone: bool,
}

/// A finished undo.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Undone {
    format: String,
    /// When it was done.
    #[serde(with = "time::serde::rfc3339")]
    pub finished_utc: OffsetDateTime,
    /// How many things stayed because a person had changed them.
    pub kept: u64,
}

/// The restores in a folder for records, the earliest first. What is no journal, or cannot be read, is left out.
pub fn runs_in(records: &Path) -> Vec<Run> {
    let rows = std::fs::read_dir(records).into_iter().flatten().flatten();
    // Of a pipe that somebody calls like a journal nothing would ever come.
    let is_journal =
        |path: &PathBuf| path.extension().is_some_and(|extension| extension == "jsonl") && path.is_file();
    let mut journals: Vec<PathBuf> = rows.map(|row| row.path()).filter(is_journal).collect();
    journals.sort_by_cached_key(|path| (JournalName::of(path), path.clone()));
    journals.into_iter().filter_map(run_of).collect()
}

fn run_of(journal: PathBuf) -> Option<Run> {
    let mut file = BufReader::new(File::open(&journal).ok()?);
    let mut first = String::new();
    file.read_line(&mut first).ok()?;
    let JournalLine::Begin { format, trunk_id, from, mark, started_utc, accounts, .. } =
        serde_json::from_str(&first).ok()?
    else {
        return None;
    };
    let undone = std::fs::read(undo_record(&journal)).ok();
    let undone: Option<Undone> = undone.and_then(|bytes| serde_json::from_slice(&bytes).ok());
    Some(Run {
        finished_utc: finished_utc(file.get_mut()).ok().flatten(),
        trunk_id,
        from,
        started_utc,
        accounts,
        undone: undone.filter(|undone| undone.format == UNDO_FORMAT),
        mark,
        can_be_undone: format == FORMAT,
        journal,
    })
}

/// The last line says it.
fn finished_utc(journal: &mut File) -> io::Result<Option<OffsetDateTime>> {
    const MOST_IN_BYTES: u64 = 1024;
    let length = journal.metadata()?.len();
    journal.seek(SeekFrom::Start(length.saturating_sub(MOST_IN_BYTES)))?;
    let mut tail = Vec::new();
    journal.take(MOST_IN_BYTES).read_to_end(&mut tail)?;
    let last = tail.strip_suffix(b"\n").and_then(|tail| tail.rsplit(|byte| *byte == b'\n').next());
    Ok(match last.map(serde_json::from_slice) {
        Some(Ok(JournalLine::End { finished_utc })) => Some(finished_utc),
        _ => None,
    })
}

fn undo_record(journal: &Path) -> PathBuf {
    journal.with_extension("undone.json")
}

impl Run {
    /// Writes down that it was taken back: aside, and then under its name.
    pub(super) fn note_undone(&self, finished_utc: OffsetDateTime, kept: u64) -> io::Result<()> {
        let undone = Undone { format: UNDO_FORMAT.to_owned(), finished_utc, kept };
        let path = undo_record(&self.journal);
        let aside = path.with_extension("part");
        let mut file = File::create(&aside)?;
        file.write_all(&serde_json::to_vec_pretty(&undone)?)?;
        file.sync_all()?;
        drop(file);
        std::fs::rename(aside, path)
    }
}
