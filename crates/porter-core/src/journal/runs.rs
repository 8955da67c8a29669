//! The restores that a machine has seen, and their fates.

use super::line::{FORMAT, JournalLine};
use crate::journal::lines::next_line;
use crate::journal::name::JournalName;
use crate::journal::records::new_file;
use porter_trunk::TrunkId;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom, Write};
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
    pub(crate) mark: String,
    /// The journal's format.
    format: String,
}

/// A file that is called as a journal is.
#[derive(Debug)]
pub enum Record {
    /// It can be read.
    Run(Box<Run>),
    /// It cannot, and nobody knows what was restored then.
    Unreadable(PathBuf),
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

/// The restores recorded in a folder, the earliest first. Files that are no journals are left out, and so are
/// empty ones: the power failed before the first step.
pub fn records_in(folder: &Path) -> Vec<Record> {
    let rows = std::fs::read_dir(folder).into_iter().flatten().flatten();
    // A pipe with the name of a journal would block its reader for ever.
    let is_journal =
        |path: &PathBuf| path.extension().is_some_and(|extension| extension == "jsonl") && path.is_file();
    let mut journals: Vec<PathBuf> = rows.map(|row| row.path()).filter(is_journal).collect();
    journals.sort_by_cached_key(|path| (JournalName::of(path), path.clone()));
    journals.into_iter().filter_map(record_of).collect()
}

/// Those of them that can be read.
pub fn runs_in(folder: &Path) -> Vec<Run> {
    let run = |record| match record {
        Record::Run(run) => Some(*run),
        Record::Unreadable(_) => None,
    };
    records_in(folder).into_iter().filter_map(run).collect()
}

fn record_of(journal: PathBuf) -> Option<Record> {
    if let Some(run) = run_of(&journal) {
        return Some(Record::Run(Box::new(run)));
    }
    let is_told =
        JournalName::of(&journal).is_some() && journal.metadata().is_ok_and(|found| found.len() > 0);
    (is_told && undone_by(&journal).is_none()).then_some(Record::Unreadable(journal))
}

fn run_of(journal: &Path) -> Option<Run> {
    let mut file = BufReader::new(File::open(journal).ok()?);
    let mut first = Vec::new();
    next_line(&mut file, &mut first).ok()??;
    let JournalLine::Begin { format, trunk_id, from, mark, started_utc, accounts, .. } =
        serde_json::from_slice(&first).ok()?
    else {
        return None;
    };
    Some(Run {
        finished_utc: finished_utc(file.get_mut()).ok().flatten(),
        trunk_id,
        from,
        started_utc,
        accounts,
        undone: undone_by(journal),
        mark,
        format,
        journal: journal.to_path_buf(),
    })
}

fn undone_by(journal: &Path) -> Option<Undone> {
    let record = std::fs::read(undo_record(journal)).ok()?;
    let undone: Undone = serde_json::from_slice(&record).ok()?;
    (undone.format == UNDO_FORMAT).then_some(undone)
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
    /// True for one that a further restore of a trunk can go on with.
    pub(crate) fn can_go_on(&self, trunk_id: &TrunkId) -> bool {
        self.finished_utc.is_none()
            && self.undone.is_none()
            && self.trunk_id == *trunk_id
            && self.format == FORMAT
            && !self.mark.is_empty()
    }

    /// Stands in the names of files that waited for theirs.
    pub(crate) fn mark(&self) -> &str {
        &self.mark
    }

    /// The journal's format.
    pub(crate) fn format(&self) -> &str {
        &self.format
    }

    /// Writes down that it was taken back: aside, and then under its name.
    pub(crate) fn note_undone(&self, finished_utc: OffsetDateTime, kept: u64) -> io::Result<()> {
        let undone = Undone { format: UNDO_FORMAT.to_owned(), finished_utc, kept };
        let path = undo_record(&self.journal);
        let aside = path.with_extension("part");
        let _ = std::fs::remove_file(&aside);
        let mut file = new_file(&aside)?;
        file.write_all(&serde_json::to_vec_pretty(&undone)?)?;
        file.sync_all()?;
        drop(file);
        std::fs::rename(aside, path)
    }
}
