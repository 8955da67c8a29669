//! What earlier restores of a trunk on a machine tell.

use super::journal::{EntryKey, FORMAT, JournalLine};
use crate::machine::Machine;
use crate::receipt::Reason;
use porter_names::RelativePath;
use porter_trunk::{Entry, TrunkId};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs::File;
use std::io::{BufRead, BufReader};
use std::path::Path;

/// What was done before, later restores before earlier ones.
#[derive(Debug, Default)]
pub struct History {
    /// Which account of the trunk went into which of the machine.
    pub accounts: BTreeMap<String, String>,
    items: Option<BTreeSet<String>>,
    landed_as: HashMap<EntryKey, RelativePath>,
    refused: HashMap<EntryKey, Reason>,
}

impl History {
    /// Reads the machine's journals of this trunk. Journals that cannot be read tell nothing.
    pub fn load(machine: &Machine, trunk_id: &TrunkId) -> Self {
        let mut history = Self::default();
        let Some(folder) = machine.records_on_host() else { return history };
        let rows = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let mut journals: Vec<_> = rows.map(|row| row.path()).collect();
        // Their names begin with the date.
        journals.sort();
        for journal in journals.iter().filter(|path| path.extension().is_some_and(|e| e == "jsonl")) {
            history.read(journal, trunk_id);
        }
        history
    }

    fn read(&mut self, journal: &Path, trunk_id: &TrunkId) {
        let Ok(file) = File::open(journal) else { return };
        let mut lines = BufReader::new(file).lines().map_while(Result::ok);
        // A line cut short by a power failure is the last one.
        match lines.next().and_then(|line| serde_json::from_str(&line).ok()) {
            Some(JournalLine::Begin { format, trunk_id: of, accounts, items, .. })
                if format == FORMAT && of == *trunk_id =>
            {
                self.accounts.extend(accounts);
                self.items.get_or_insert_default().extend(items);
            }
            _ => return,
        }
        for line in lines {
            if self.landed_as.is_empty() && self.refused.is_empty() && tells_nothing_new(&line) {
                continue;
            }
            let Ok(line) = serde_json::from_str(&line) else { return };
            match line {
                JournalLine::Land { entry, at, renamed } => {
                    self.refused.remove(&entry);
                    if renamed {
                        self.landed_as.insert(entry, at.0);
                    } else {
                        self.landed_as.remove(&entry);
                    }
                }
                JournalLine::FoundAs { entry, at } => {
                    self.landed_as.insert(entry, at.0);
                }
                JournalLine::Refused { entry, reason } => {
                    self.refused.insert(entry, reason);
                }
                _ => {}
            }
        }
    }

    /// True if an item was restored before, or if nothing ever was.
    pub fn includes(&self, item: &str) -> bool {
        self.items.as_ref().is_none_or(|items| items.contains(item))
    }

    /// Where an entry landed, if under another name than its own.
    pub fn landed_as(&self, entry: &Entry) -> Option<&RelativePath> {
        if self.landed_as.is_empty() { None } else { self.landed_as.get(&EntryKey::of(&entry.address)) }
    }

    /// Why an entry did not land.
    pub fn refused(&self, entry: &Entry) -> Option<&Reason> {
        if self.refused.is_empty() { None } else { self.refused.get(&EntryKey::of(&entry.address)) }
    }
}

/// True for an entry that landed under its own name, as almost all do. Read no further: a million such lines cost seconds.
fn tells_nothing_new(line: &str) -> bool {
    line.starts_with(r#"{"step":"land","#) && line.ends_with('}') && !line.contains(r#""renamed":true"#)
}
