//! Facts about earlier restores of a trunk on a machine.

use super::line::{EntryKey, FIRST_FORMAT, FORMAT, JournalLine, SECOND_FORMAT};
use super::lines::next_line;
use super::runs::{Record, records_in};
use foldhash::quality::FixedState;
use porter_kinds::changes::Moved;
use porter_kinds::choice::LandHeld;
use porter_kinds::ground::Earlier;
use porter_kinds::receipt::Reason;
use porter_kinds::receipt::letters_brought::LettersBrought;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::{ContentHash, Entry, TrunkId};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::fs::File;
use std::hash::BuildHasher;
use std::io::BufReader;
use std::path::Path;
use time::OffsetDateTime;

/// Earlier restores' steps, later restores before earlier ones.
#[derive(Debug, Default)]
pub struct History {
    /// Which account of the trunk went into which of the machine.
    pub accounts: BTreeMap<String, String>,
    items: Option<BTreeSet<String>>,
    landed_as: HashMap<EntryKey, RelativePath>,
    /// Hashes of what a restore put where it belongs: of the entry's key, as a journal spells it.
    put: HashSet<u64>,
    refused: HashMap<EntryKey, Reason>,
    /// Places that were moved elsewhere, by item.
    moved: HashMap<String, Vec<Moved>>,
    /// The same by restores of other trunks from the same machine.
    moved_before: HashMap<String, Moved>,
    /// The content of what landed with its paths changed.
    adapted: HashMap<EntryKey, ContentHash>,
    /// Entries that landed beside a file that stayed.
    kept_existing: HashSet<EntryKey>,
    /// Patterns that were asked for although the rules hold them back.
    land_held: LandHeld,
    /// Items whose differing values in the registry were to stay.
    registry_kept: HashSet<String>,
    /// The letters that were brought into mail programs, by item.
    letters: HashMap<String, Vec<LettersBrought>>,
    /// When the latest restore began, if it never came to its end.
    pub cut_off_utc: Option<OffsetDateTime>,
    /// The name of a journal that cannot be read, or not all of it, if no later restore came to its end.
    pub damaged_journal: Option<String>,
    /// For each item, when a restore of it last came to its end.
    finished_utc: HashMap<String, OffsetDateTime>,
    /// Hashes of the folders that were made, and of those that runs made which were cut off.
    made: HashSet<u64>,
    half_made: HashSet<u64>,
}

impl History {
    /// Reads the machine's journals of this trunk; of other trunks that were captured from a machine of the
    /// name `from`, where its items went.
    pub fn load(machine: &Machine, trunk_id: &TrunkId, from: &str) -> Self {
        let mut history = Self::default();
        let Some(folder) = machine.records_on_host() else { return history };
        let its_end = format!("-{}.jsonl", trunk_id.short());
        for record in records_in(&folder) {
            let name_of = |path: &Path| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let damaged = match record {
                // A restore that was taken back no longer counts.
                Record::Run(run) if run.undone.is_some() => continue,
                Record::Run(run) if run.trunk_id != *trunk_id => {
                    history.moved_before.extend(moved_by(&run.journal, from).unwrap_or_default());
                    continue;
                }
                Record::Run(run) => history.read(&run.journal).is_none().then(|| name_of(&run.journal)),
                Record::Unreadable(journal) => {
                    Some(name_of(&journal)).filter(|name| name.ends_with(&its_end))
                }
            };
            if damaged.is_some() {
                history.damaged_journal = damaged;
            }
        }
        history
    }

    /// Returns none if a part cannot be read. The readable part counts.
    fn read(&mut self, journal: &Path) -> Option<()> {
        let mut from = BufReader::new(File::open(journal).ok()?);
        let mut line = Vec::new();
        next_line(&mut from, &mut line).ok()??;
        let mut restored = match serde_json::from_slice(&line) {
            Ok(JournalLine::Begin { format, accounts, items, started_utc, land_held, .. })
                if [FORMAT, SECOND_FORMAT, FIRST_FORMAT].contains(&format.as_str()) =>
            {
                self.cut_off_utc = Some(started_utc);
                self.accounts.extend(accounts);
                self.items.get_or_insert_default().extend(items.iter().cloned());
                self.land_held.add(land_held);
                items
            }
            _ => return None,
        };
        let mut is_whole = true;
        while next_line(&mut from, &mut line).ok()?.is_some() {
            self.put.extend(key_of_landed(&line).map(hash_of_key));
            let knows_nothing =
                self.landed_as.is_empty() && self.refused.is_empty() && self.adapted.is_empty();
            if knows_nothing && tells_nothing_new(&line) {
                continue;
            }
            let Ok(line) = serde_json::from_slice(&line) else {
                is_whole = false;
                continue;
            };
            match line {
                JournalLine::Land { entry, at, renamed, kept_existing, adapted, blake3, .. } => {
                    self.refused.remove(&entry);
                    match blake3.filter(|_| adapted) {
                        Some(hash) => self.adapted.insert(entry.clone(), hash),
                        None => self.adapted.remove(&entry),
                    };
                    if kept_existing {
                        self.kept_existing.insert(entry.clone());
                    } else {
                        self.kept_existing.remove(&entry);
                    }
                    if renamed {
                        self.landed_as.insert(entry, at.0);
                    } else {
                        self.landed_as.remove(&entry);
                    }
                }
                JournalLine::GoOn { started_utc, accounts, items, land_held } => {
                    self.land_held.add(land_held);
                    self.cut_off_utc = Some(started_utc);
                    self.accounts.extend(accounts);
                    self.items.get_or_insert_default().extend(items.iter().cloned());
                    restored.extend(items);
                }
                JournalLine::Folder { at } => {
                    self.made.insert(hash_of(&at.0));
                    self.half_made.insert(hash_of(&at.0));
                }
                JournalLine::End { finished_utc } => {
                    self.half_made.clear();
                    self.cut_off_utc = None;
                    self.damaged_journal = None;
                    self.finished_utc.extend(restored.iter().map(|item| (item.clone(), finished_utc)));
                }
                JournalLine::FoundAdapted { entry, blake3 } => {
                    self.adapted.insert(entry, blake3);
                }
                JournalLine::Moved { item, place, path, to_place, to } => {
                    let moved =
                        Moved { item: item.clone(), from_place: place, from: path.0, to_place, to: to.0 };
                    let parts = self.moved.entry(item).or_default();
                    parts
                        .retain(|known| (&known.from_place, &known.from) != (&moved.from_place, &moved.from));
                    parts.push(moved);
                }
                JournalLine::FoundAs { entry, at } => {
                    self.landed_as.insert(entry, at.0);
                }
                JournalLine::Refused { entry, reason } => {
                    self.refused.insert(entry, reason);
                }
                JournalLine::RegistryKept { item } => {
                    self.registry_kept.insert(item);
                }
                JournalLine::Letters { item, letters } => {
                    letters.gather(self.letters.entry(item).or_default());
                }
                _ => {}
            }
        }
        is_whole.then_some(())
    }

    /// True for a folder that a restore made.
    pub fn made(&self, at: &RelativePath) -> bool {
        self.made.contains(&hash_of(at))
    }

    /// True for one that a restore made which then was cut off.
    pub fn is_half_made(&self, at: &RelativePath) -> bool {
        !self.half_made.is_empty() && self.half_made.contains(&hash_of(at))
    }

    /// True if an item was restored before, or if nothing ever was.
    pub fn includes(&self, item: &str) -> bool {
        self.items.as_ref().is_none_or(|items| items.contains(item))
    }

    /// Where an entry landed, if under another name than its own.
    pub fn landed_as(&self, entry: &Entry) -> Option<&RelativePath> {
        if self.landed_as.is_empty() { None } else { self.landed_as.get(&EntryKey::of(&entry.address)) }
    }

    /// True for an entry that a restore put there, or found half done by one that was cut off.
    pub fn put(&self, entry: &Entry) -> bool {
        let key = || serde_json::to_vec(&EntryKey::of(&entry.address)).ok();
        !self.put.is_empty() && key().is_some_and(|key| self.put.contains(&hash_of_key(&key)))
    }

    /// True for an entry that was asked for although the rules hold it back.
    pub fn lands_held(&self, entry: &Entry) -> bool {
        self.land_held.wants(entry)
    }

    /// All that went elsewhere.
    pub fn all_moved(&self) -> impl Iterator<Item = &Moved> {
        self.moved.values().flatten()
    }

    /// The content of an entry that landed with its paths changed.
    pub fn adapted(&self, entry: &Entry) -> Option<ContentHash> {
        if self.adapted.is_empty() { None } else { self.adapted.get(&EntryKey::of(&entry.address)).copied() }
    }

    /// True if an entry landed beside another file that kept its name.
    pub fn kept_existing(&self, entry: &Entry) -> bool {
        !self.kept_existing.is_empty() && self.kept_existing.contains(&EntryKey::of(&entry.address))
    }

    /// When a restore came to its end by which an entry had landed.
    pub fn landed_utc(&self, entry: &Entry) -> Option<OffsetDateTime> {
        let finished_utc = self.finished_utc.get(&entry.item)?;
        self.refused(entry).is_none().then_some(*finished_utc)
    }

    /// Why an entry did not land.
    pub fn refused(&self, entry: &Entry) -> Option<&Reason> {
        if self.refused.is_empty() { None } else { self.refused.get(&EntryKey::of(&entry.address)) }
    }
}

impl Earlier for History {
    fn moved(&self, item: &str, from: &RelativePath) -> Option<Moved> {
        self.moved.get(item)?.iter().find(|moved| moved.from == *from).cloned()
    }

    fn moved_by_other_trunk(&self, item: &str) -> Option<Moved> {
        self.moved_before.get(item).cloned()
    }

    fn finished_utc(&self, item: &str) -> Option<OffsetDateTime> {
        self.finished_utc.get(item).copied()
    }

    fn registry_kept(&self, item: &str) -> bool {
        self.registry_kept.contains(item)
    }

    fn letters_brought(&self, item: &str) -> &[LettersBrought] {
        self.letters.get(item).map(Vec::as_slice).unwrap_or_default()
    }
}

/// Where the items of a machine went by a restore of whatever trunk; none if it is of another machine, or
/// cannot be read.
fn moved_by(journal: &Path, from: &str) -> Option<HashMap<String, Moved>> {
    let mut lines = BufReader::new(File::open(journal).ok()?);
    let mut line = Vec::new();
    next_line(&mut lines, &mut line).ok()??;
    match serde_json::from_slice(&line).ok()? {
        JournalLine::Begin { from: of, .. } if of == from && !from.is_empty() => {}
        _ => return None,
    }
    let mut moved = HashMap::new();
    while next_line(&mut lines, &mut line).ok()?.is_some() {
        if line.starts_with(br#"{"step":"moved","#)
            && let Ok(JournalLine::Moved { item, place, path, to_place, to }) = serde_json::from_slice(&line)
        {
            let place = Moved { item: item.clone(), from_place: place, from: path.0, to_place, to: to.0 };
            moved.insert(item, place);
        }
    }
    Some(moved)
}

/// There may be many, and a path more or less only has a time set or compared.
pub(crate) fn hash_of(at: &RelativePath) -> u64 {
    FixedState::default().hash_one(at.as_bytes())
}

/// The entry of a line about a landing, as it is spelled there: a million of them are not parsed. A quote
/// within a path is escaped, so the end that is found is the entry's own.
fn key_of_landed(line: &[u8]) -> Option<&[u8]> {
    let rest = line.strip_prefix(br#"{"step":"land","entry":"#)?;
    let end = memchr::memmem::find(rest, br#"},"at":"#)?;
    Some(&rest[..=end])
}

fn hash_of_key(key: &[u8]) -> u64 {
    FixedState::default().hash_one(key)
}

/// True for an entry that landed under its own name, as almost all do. Read no further: a million such lines
/// cost seconds.
fn tells_nothing_new(line: &[u8]) -> bool {
    let has = |what: &str| memchr::memmem::find(line, what.as_bytes()).is_some();
    line.starts_with(br#"{"step":"land","#)
        && line.ends_with(b"}")
        && !has(r#""renamed":true"#)
        && !has(r#""adapted":true"#)
}
