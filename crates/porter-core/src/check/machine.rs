//! A machine against a trunk.

use super::CheckError;
use super::finder::{Finder, Found};
use super::listed::Listed;
use crate::attributes::attributes_of;
use crate::catalogue::{Catalogue, PROFILE_PART};
use crate::events::{Conduct, Event, Stage};
use crate::in_order::in_order;
use crate::item::Facts;
use crate::kinds::browser::proof::prove;
use crate::kinds::setting::{is_met, same_on};
use crate::machine::Machine;
use crate::meaning::Meaning;
use crate::packing::Selection;
use crate::receipt::{CountReceipt, Finding, ItemReceipt, Reason, Receipt, Verdict};
use crate::registry_part::proof::RegistryProof;
use crate::restore::accounts::{AccountMap, match_accounts, place_of};
use crate::restore::history::History;
use crate::restore::links::leads_out;
use crate::restore::relocate::Relocation;
use porter_names::RelativePath;
use porter_source::{EntryKind, Metadata, ReadError, ReadTrouble, Sequential, VolumeFile};
use porter_trunk::{
    Content, ContentHash, Entry, EntryAddress, EntryRefused, LongContent, MachineLabel, Tally, Trunk,
    TrunkError, TrunkItem, TrunkPart,
};
use std::collections::{BTreeMap, HashMap};
use std::io::{self, Read};
use time::OffsetDateTime;

/// Permissions of a Unix, without those that lend the owner's rights to others.
const PERMISSIONS: u32 = 0o777;
/// Times that differ by no more count as the same: FAT keeps them to 2 s.
const TIME_TOLERANCE_IN_SECONDS: i64 = 2;

/// Files from this length on are read by two threads.
const LONG_IN_BYTES: u64 = 64 << 20;
/// From this length on it is worth the trouble to look at files where the system keeps them, instead of reading them.
const SEEN_FROM_IN_BYTES: u64 = 256 << 10;

/// Reads every byte that landed and compares it with what was captured.
///
/// `given` names the accounts that are called otherwise on the new machine; what was restored on this machine before is
/// known from its records, together with safe names and what was refused. `selection` narrows the check down further.
pub fn check_machine(
    trunk: &dyn Trunk,
    machine: &Machine,
    catalogue: &Catalogue,
    given: &BTreeMap<String, String>,
    selection: &Selection,
    checked_utc: OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<Receipt, CheckError> {
    let history = History::load(machine, &trunk.label().trunk_id);
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts)?;
    let finder = Finder::new(&*machine.volume, machine.layout.name_rules(255));
    let mut checker = Checker {
        machine,
        accounts: &accounts,
        history: &history,
        finder,
        relocation: Relocation::new(trunk.label(), trunk.items(), machine.layout.family, catalogue)
            .with(history.all_moved()),
        keeps_modes: machine.has_permissions_of(&trunk.label().machine.system),
        folders: HashMap::new(),
        conduct,
    };
    let folders = trunk.items().iter().map(|item| {
        let folders = item.parts.iter().filter_map(|part| checker.folder_of(item, part));
        (item.id.clone(), folders.collect())
    });
    checker.folders = folders.collect();
    let mut without_creation_time = vec![0_u64; trunk.items().len()];

    let mut items: Vec<ItemReceipt> = trunk.items().iter().map(ItemReceipt::new).collect();
    let mut chosen: HashMap<&str, (usize, bool)> = HashMap::new();
    let mut expected = Tally::default();
    for (at, item) in trunk.items().iter().enumerate() {
        let is_chosen = selection.chooses(&item.id, item.account.as_deref()) && history.includes(&item.id);
        chosen.insert(&item.id, (at, is_chosen && item.chosen));
        if is_chosen && item.chosen {
            expected += item.captured;
        } else {
            leave_out(&mut items[at], item);
        }
    }
    conduct.send(&Event::StageBegan { stage: Stage::Check, expected });
    let mut meanings: Vec<Option<Landed>> = trunk.items().iter().map(Landed::of).collect();
    let cut_off = history.cut_off_utc.map(|started_utc| Reason::RestoreCutOff { started_utc });
    let damaged = history.damaged_journal.clone().map(|journal| Reason::JournalDamaged { journal });
    let flaws = trunk.flaws().iter().map(|flaw| Reason::TrunkDamaged { detail: flaw.to_string() });
    let mut general: Vec<Finding> =
        cut_off.into_iter().chain(damaged).chain(flaws).map(of_the_whole).collect();
    let mut listed = Listed::default();
    let entries = trunk.entries()?;
    in_order(
        |hand_over| {
            for entry in entries {
                let size = entry.as_ref().map_or(0, Entry::size_in_bytes);
                let wanted = match &entry {
                    Ok(entry) => chosen.get(entry.item.as_str()).is_none_or(|(_, chosen)| *chosen),
                    Err(_) => true,
                };
                if conduct.is_stopped() || (wanted && !hand_over(entry, size)) {
                    return;
                }
            }
        },
        |entry| match entry {
            Ok(entry) => {
                let outcome = checker.check(&entry);
                Ok((entry, outcome))
            }
            Err(refused) => Err(refused),
        },
        |checked| {
            match checked {
                Ok((entry, outcome)) => match chosen.get(entry.item.as_str()) {
                    Some((at, _)) => {
                        listed.see(&entry);
                        without_creation_time[*at] += u64::from(outcome.creation_time_differs);
                        if let Some(meaning) = &mut meanings[*at] {
                            meaning.see(&entry, outcome.verdict);
                        }
                        note(&mut items[*at], &entry, outcome, conduct);
                    }
                    None => general.extend(outcome.findings),
                },
                Err(refused) => {
                    listed.see_refused(&refused);
                    let row = refused.item.as_deref().and_then(|item| chosen.get(item));
                    let finding = refused_entry(&refused);
                    match row {
                        Some((at, _)) => items[*at].find(finding),
                        None => general.push(finding),
                    }
                }
            }
            true
        },
    );
    if conduct.is_stopped() {
        return Err(CheckError::Cancelled);
    }
    for (row, files) in items.iter_mut().zip(without_creation_time).filter(|(_, files)| *files > 0) {
        row.find(Finding {
            path: RelativePath::root(),
            verdict: Verdict::Landed,
            reason: Reason::CreationTimesDiffer { files },
            needs_attention: false,
            expected_at: None,
        });
    }
    let mut registry_proof =
        RegistryProof { label: trunk.label(), machine, history: &history, opened: HashMap::new() };
    for (at_row, item) in trunk.items().iter().enumerate() {
        if !chosen.get(item.id.as_str()).is_some_and(|(_, chosen)| *chosen) {
            continue;
        }
        listed.note_missing(item, &mut items[at_row]);
        if let Some(meaning) = meanings[at_row].take() {
            meaning.note(item, &mut items[at_row]);
        }
        if let Some(rule) = catalogue.rule_of(item)
            && let Some(account) = item.account.as_ref().and_then(|id| *accounts.get(id)?)
        {
            let row = &mut items[at_row];
            if let Some(at) = checker.profile_folder(item) {
                prove(item, rule, machine, account, &at, row);
            }
            registry_proof.prove(item, rule, account, row);
        }
        if item.parts.is_empty() && !item.facts.is_empty() {
            let now = same_on(item, machine, &accounts);
            if !now.is_some_and(|now| is_met(item, now)) {
                set_by_hand(&mut items[at_row], now.map(|now| now.facts.clone()).unwrap_or_default());
            }
        }
    }
    items.iter_mut().for_each(call_left_behind_if_nothing_landed);
    note_left_behind(trunk, &mut items, &mut general)?;
    conduct.send(&Event::StageEnded { stage: Stage::Check });
    Ok(Receipt {
        trunk: trunk.label().clone(),
        machine: Some(MachineLabel { name: machine.name.clone(), system: machine.system.clone() }),
        accounts: accounts
            .iter()
            .filter_map(|(old, new)| Some((old.clone(), new.as_ref()?.shown_name())))
            .collect(),
        checked_utc,
        files_not_read: 0,
        items,
        general,
        programs: super::programs::compared(trunk.programs(), Some(machine)),
    })
}

/// The restore that the machine was last given is not done, or not known: whatever the rest says, that is to be looked at.
fn of_the_whole(reason: Reason) -> Finding {
    Finding {
        path: RelativePath::root(),
        verdict: Verdict::Changed,
        reason,
        needs_attention: true,
        expected_at: None,
    }
}

/// What landed of an item's meaning.
struct Landed {
    in_trunk: Meaning,
    on_machine: Meaning,
    is_held: bool,
}

impl Landed {
    fn of(item: &TrunkItem) -> Option<Self> {
        let meaning = Meaning::of_trunk(item)?;
        Some(Self { in_trunk: meaning.clone(), on_machine: meaning, is_held: false })
    }

    fn see(&mut self, entry: &Entry, verdict: Verdict) {
        self.in_trunk.see(entry);
        self.is_held |= entry.held.is_some();
        if verdict == Verdict::Landed {
            self.on_machine.see(entry);
        }
    }

    fn note(self, item: &TrunkItem, row: &mut ItemReceipt) {
        if self.is_held {
            return;
        }
        let by_files = item.counts.iter().filter(|count| !count.files.is_empty());
        let counts = by_files.zip(&self.on_machine.counts);
        row.counts = counts
            .map(|(then, now)| CountReceipt {
                name: then.name.clone(),
                captured: then.captured,
                landed: now.captured,
            })
            .collect();
        if !self.on_machine.has_what_it_needs {
            let was_so = !self.in_trunk.has_what_it_needs;
            row.find(Finding {
                path: RelativePath::root(),
                verdict: Verdict::Changed,
                reason: Reason::LacksWhatItNeeds { needs: item.needs.clone(), was_so },
                needs_attention: true,
                expected_at: None,
            });
        }
    }
}

/// What a program keeps, and all of which stays in the trunk on purpose, has not landed. Of a folder in which there is nothing but
/// an old registry nobody misses anything.
fn call_left_behind_if_nothing_landed(row: &mut ItemReceipt) {
    let is_held = row.counts.iter().all(|count| count.landed == 0)
        && row.findings.iter().any(|finding| matches!(finding.reason, Reason::Held { .. }));
    if is_held && row.kind != "folder" && row.files.landed == 0 && row.verdict == Verdict::Landed {
        row.verdict = Verdict::LeftBehind;
    }
}

/// Marks a setting as one that a person sets up: that is the plan, and no alarm.
fn set_by_hand(row: &mut ItemReceipt, now: Facts) {
    row.verdict = Verdict::LeftBehind;
    row.find(Finding {
        path: RelativePath::root(),
        verdict: Verdict::LeftBehind,
        reason: Reason::SetByHand { now },
        needs_attention: false,
        expected_at: None,
    });
}

/// Marks an item as left out on purpose: at the capture, or else now.
pub(super) fn leave_out(row: &mut ItemReceipt, item: &TrunkItem) {
    let (left, reason) = if item.chosen {
        (item.captured, Reason::NotChosenNow)
    } else {
        (item.seen, Reason::NotChosenAtCapture)
    };
    row.count(Verdict::LeftBehind, left.files, left.size_in_bytes);
    row.verdict = Verdict::LeftBehind;
    row.find(Finding {
        path: RelativePath::root(),
        verdict: Verdict::LeftBehind,
        reason,
        needs_attention: false,
        expected_at: None,
    });
}

/// A line of the trunk's list that must not be used, as a finding.
pub(crate) fn refused_entry(refused: &EntryRefused) -> Finding {
    Finding {
        path: RelativePath::from_bytes(&refused.path).unwrap_or_default(),
        verdict: Verdict::LeftBehind,
        reason: Reason::EntryRefused { line: refused.line, problem: refused.problem.clone() },
        needs_attention: true,
        expected_at: None,
    }
}

/// Adds what the capture left behind: it is part of the truth, whichever way the trunk is checked.
pub(super) fn note_left_behind(
    trunk: &dyn Trunk,
    items: &mut [ItemReceipt],
    general: &mut Vec<Finding>,
) -> Result<(), TrunkError> {
    let at: HashMap<String, usize> = items.iter().enumerate().map(|(at, row)| (row.id.clone(), at)).collect();
    for left in trunk.left()? {
        let left = match left {
            Ok(left) => left,
            Err(refused) => {
                general.push(refused_entry(&refused));
                continue;
            }
        };
        let Some(at) = left.item.as_ref().and_then(|item| at.get(item)) else { continue };
        let tally = left.tally.unwrap_or_default();
        items[*at].count(Verdict::LeftBehind, tally.files, tally.size_in_bytes);
        items[*at].find(Finding {
            path: left.volume_path,
            verdict: Verdict::LeftBehind,
            needs_attention: left.reason.needs_attention(),
            reason: Reason::LeftAtCapture { left: left.reason },
            expected_at: None,
        });
    }
    Ok(())
}

fn note(row: &mut ItemReceipt, entry: &Entry, outcome: Outcome, conduct: Conduct<'_>) {
    let path = &entry.address.path;
    if let Content::File { size_in_bytes, .. } = entry.content {
        row.count(outcome.verdict, 1, size_in_bytes);
        conduct.send(&Event::File { item: &entry.item, path, size_in_bytes });
    }
    for finding in outcome.findings {
        if finding.needs_attention {
            let code = finding.verdict.words();
            conduct.send(&Event::Trouble { item: &entry.item, path, code });
        }
        row.find(finding);
    }
}

/// What became of one entry.
struct Outcome {
    verdict: Verdict,
    findings: Vec<Finding>,
    /// Told once for an item: some drives keep no such times at all.
    creation_time_differs: bool,
}

struct Checker<'a> {
    machine: &'a Machine,
    accounts: &'a AccountMap<'a>,
    history: &'a History,
    finder: Finder<'a>,
    relocation: Relocation,
    keeps_modes: bool,
    /// Where the parts of each item are.
    folders: HashMap<String, Vec<RelativePath>>,
    conduct: Conduct<'a>,
}

impl Checker<'_> {
    fn check(&self, entry: &Entry) -> Outcome {
        if let Some(why) = &entry.held {
            return self.outcome(entry, Verdict::LeftBehind, Reason::Held { why: why.clone() }, false, None);
        }
        if let Content::Link { target } = &entry.content
            && leads_out(&entry.address.path, target)
        {
            let target = porter_names::screen::on_screen(target);
            let reason = Reason::LinkLeadsOut { target };
            return self.outcome(entry, Verdict::LeftBehind, reason, true, None);
        }
        let expected_at = match self.expected_at(entry) {
            Ok(path) => path,
            Err(reason) => return self.outcome(entry, verdict_on_refused(&reason), reason, true, None),
        };
        let is_file = matches!(entry.content, Content::File { .. });
        let found = match self.finder.find(&expected_at, is_file) {
            Ok(found) => found,
            Err(error) => {
                let (verdict, reason) = match (self.history.refused(entry), error.trouble) {
                    (Some(reason), _) => (verdict_on_refused(reason), reason.clone()),
                    (None, ReadTrouble::Gone) => {
                        let reason = match self.history.landed_utc(entry) {
                            Some(landed_utc) => Reason::GoneSince { landed_utc },
                            None => match self.one_folder_too_deep(entry, &expected_at) {
                                Some(folder) => Reason::OneFolderTooDeep { folder: folder.to_string() },
                                None => Reason::NotThere,
                            },
                        };
                        (Verdict::Missing, reason)
                    }
                    (None, trouble) => {
                        (Verdict::Missing, Reason::CannotBeRead { detail: trouble.to_string() })
                    }
                };
                let needs_attention = reason.needs_attention();
                return self.outcome(entry, verdict, reason, needs_attention, Some(expected_at));
            }
        };
        let Found { path, metadata, opened } = found;
        if let Some(adapted) = self.history.adapted(entry)
            && let Content::File { .. } = entry.content
        {
            let followed = Entry {
                content: Content::File { size_in_bytes: metadata.size_in_bytes, hash: adapted },
                ..entry.clone()
            };
            if let Ok(None) = self.compare(&followed, &path, &metadata, None) {
                return self.outcome(entry, Verdict::Landed, Reason::PathsFollow, false, Some(path));
            }
        }
        let reason = match self.compare(entry, &path, &metadata, opened) {
            Ok(reason) => reason,
            Err(error) => Some(Reason::CannotBeRead { detail: error.trouble.to_string() }),
        };
        if let Some(reason) = reason {
            // What was refused at the restore is told as that, not as somebody's change.
            return match self.history.refused(entry) {
                Some(known) => {
                    let needs_attention = known.needs_attention();
                    self.outcome(entry, verdict_on_refused(known), known.clone(), needs_attention, Some(path))
                }
                None => {
                    let reason = self.since_it_landed(entry, &metadata, reason);
                    let needs_attention = reason.needs_attention();
                    self.outcome(entry, Verdict::Changed, reason, needs_attention, Some(path))
                }
            };
        }
        let (mut findings, creation_time_differs) = self.remarks(entry, &path, &metadata);
        if let Some(landed_as) = self.history.landed_as(entry) {
            let path = landed_as.to_string();
            let (verdict, reason) = if self.history.kept_existing(entry) {
                (Verdict::KeptExisting, Reason::KeptExisting { path })
            } else {
                (Verdict::Landed, Reason::LandedAs { path })
            };
            findings.push(self.finding(entry, verdict, reason, false, Some(landed_as.clone())));
        }
        Outcome { verdict: Verdict::Landed, findings, creation_time_differs }
    }

    /// What had landed whole, and has changed after that, is somebody's work and no fault.
    fn since_it_landed(&self, entry: &Entry, metadata: &Metadata, reason: Reason) -> Reason {
        match (self.history.landed_utc(entry), metadata.modified_utc, &reason) {
            (Some(landed_utc), Some(changed_utc), Reason::ContentDiffers { .. })
                if changed_utc > landed_utc =>
            {
                Reason::ChangedSince { landed_utc, changed_utc }
            }
            _ => reason,
        }
    }

    /// Where the profile that an item is should be, below the machine's root.
    fn profile_folder(&self, item: &TrunkItem) -> Option<RelativePath> {
        let part = item.parts.iter().find(|part| part.name == PROFILE_PART)?;
        self.folder_of(item, part)
    }

    /// Where a part of an item is on the machine.
    fn folder_of(&self, item: &TrunkItem, part: &TrunkPart) -> Option<RelativePath> {
        let address = EntryAddress {
            owner: item.account.clone(),
            place: part.place.clone(),
            path: RelativePath::from_bytes(part.path.as_bytes()).ok()?,
            safe_path: None,
        };
        let address = self.relocation.address_of(&item.id, &address);
        let found = place_of(self.machine, self.accounts, &address).ok()?;
        found.path.join_path(&address.path).ok()
    }

    /// Where an entry belongs on this machine.
    fn expected_at(&self, entry: &Entry) -> Result<RelativePath, Reason> {
        if let Some(landed_as) = self.history.landed_as(entry) {
            return Ok(landed_as.clone());
        }
        let address = self.relocation.address(entry);
        let found = place_of(self.machine, self.accounts, &address)?;
        let path = found.path.join_path(&address.path);
        path.map_err(|refused| Reason::NotWritten { detail: refused.to_string() })
    }

    /// The folder inside an item's own, of the same name, in which a missing file is; none if it is not there either.
    fn one_folder_too_deep(&self, entry: &Entry, expected_at: &RelativePath) -> Option<RelativePath> {
        if entry.content == Content::Folder {
            return None;
        }
        let own = self.folders.get(&entry.item)?.iter().find(|own| expected_at.is_within(own))?;
        let inside = own.join(own.name()?).ok()?;
        let path = inside.join_path(&expected_at.below(own)?).ok()?;
        let metadata = self.machine.volume.metadata(&path).ok()?;
        matches!(self.compare(entry, &path, &metadata, None), Ok(None)).then_some(inside)
    }

    /// None if it is what was captured.
    fn compare(
        &self,
        entry: &Entry,
        path: &RelativePath,
        metadata: &Metadata,
        opened: Option<Box<dyn VolumeFile>>,
    ) -> Result<Option<Reason>, ReadError> {
        let volume = &*self.machine.volume;
        let other_kind = |what: &str| Ok(Some(Reason::OtherKindThere { what: what.to_owned() }));
        match (&entry.content, metadata.kind) {
            (Content::Folder, EntryKind::Folder) => Ok(None),
            (Content::Link { target }, EntryKind::Link) => {
                let same = volume.link_target(path)? == *target;
                Ok(if same { None } else { Some(Reason::LinkDiffers) })
            }
            (Content::File { size_in_bytes, hash }, EntryKind::File) => {
                let differs = Reason::ContentDiffers {
                    captured_size: *size_in_bytes,
                    found_size: metadata.size_in_bytes,
                };
                if metadata.size_in_bytes != *size_in_bytes {
                    return Ok(Some(differs));
                }
                let opened = opened.map_or_else(|| volume.open(path), Ok)?;
                let found = if *size_in_bytes >= SEEN_FROM_IN_BYTES {
                    let threads = if *size_in_bytes >= LONG_IN_BYTES { 2 } else { 1 };
                    let seen = |size_in_bytes| self.conduct.send(&Event::Bytes { size_in_bytes });
                    ContentHash::of_long(*size_in_bytes, &Opened(&*opened), threads, &seen)
                } else {
                    let content = Sequential::of_known_size(opened, *size_in_bytes);
                    ContentHash::of_reader(&mut Counted { from: content, conduct: self.conduct })
                };
                match found {
                    Ok(found) => Ok((found != *hash).then_some(differs)),
                    // It became shorter meanwhile.
                    Err(cause) if cause.kind() == io::ErrorKind::UnexpectedEof => Ok(Some(differs)),
                    Err(cause) => Err(ReadError::new(path, cause)),
                }
            }
            (_, EntryKind::Folder) => other_kind("a folder"),
            (_, EntryKind::Link) => other_kind("a link"),
            (_, EntryKind::File) => other_kind("a file"),
            (_, EntryKind::Other) => other_kind("a device"),
        }
    }

    /// What is not as it was, though the content is; and whether the time of creation is another.
    fn remarks(&self, entry: &Entry, path: &RelativePath, metadata: &Metadata) -> (Vec<Finding>, bool) {
        let mut reasons = Vec::new();
        let mut creation_time_differs = false;
        let is_file = matches!(entry.content, Content::File { .. });
        let differ = |captured: OffsetDateTime, now: OffsetDateTime| {
            (captured - now).whole_seconds().abs() > TIME_TOLERANCE_IN_SECONDS
        };
        if let (true, Some(captured), Some(now)) = (is_file, entry.modified_utc, metadata.modified_utc)
            && differ(captured, now)
        {
            reasons.push(Reason::TimeDiffers);
        }
        let permissions = |mode: Option<u32>| mode.map(|mode| mode & PERMISSIONS);
        let modes_differ = is_file
            && self.keeps_modes
            && metadata.unix_mode.is_some()
            && permissions(entry.unix_mode) != permissions(metadata.unix_mode);
        let has_details =
            !entry.attributes.is_empty() || !entry.streams.is_empty() || entry.created_utc.is_some();
        if modes_differ {
            reasons.push(Reason::AttributesDiffer);
        }
        if is_file && has_details {
            // Unreadable details are as good as none.
            let details = self.machine.volume.details(path).unwrap_or_default();
            let wanted = entry.attributes.without_archive();
            if let Some(captured) = entry.created_utc {
                creation_time_differs = details.created_utc.is_none_or(|now| differ(captured, now));
            }
            if !modes_differ && attributes_of(metadata, &details).without_archive() != wanted {
                reasons.push(Reason::AttributesDiffer);
            }
            let landed = |wanted: &porter_trunk::NamedStream| {
                details.streams.iter().any(|s| s.name == wanted.name && s.content == wanted.content)
            };
            if !entry.streams.iter().all(landed) {
                reasons.push(Reason::StreamsDiffer);
            }
        }
        let finding = |reason| self.finding(entry, Verdict::Landed, reason, false, Some(path.clone()));
        (reasons.into_iter().map(finding).collect(), creation_time_differs)
    }

    fn outcome(
        &self,
        entry: &Entry,
        verdict: Verdict,
        reason: Reason,
        needs_attention: bool,
        at: Option<RelativePath>,
    ) -> Outcome {
        let findings = vec![self.finding(entry, verdict, reason, needs_attention, at)];
        Outcome { verdict, findings, creation_time_differs: false }
    }

    fn finding(
        &self,
        entry: &Entry,
        verdict: Verdict,
        reason: Reason,
        needs_attention: bool,
        expected_at: Option<RelativePath>,
    ) -> Finding {
        Finding { path: entry.address.path.clone(), verdict, reason, needs_attention, expected_at }
    }
}

/// A file whose hash is taken.
struct Opened<'f>(&'f dyn VolumeFile);

impl LongContent for Opened<'_> {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        self.0.read_at(offset_in_bytes, buffer)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        self.0.look_at(offset_in_bytes, length_in_bytes, look)
    }
}

/// Tells of every piece that is read.
struct Counted<'a, R> {
    from: R,
    conduct: Conduct<'a>,
}

impl<R: Read> Read for Counted<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.from.read(buffer)?;
        self.conduct.send(&Event::Bytes { size_in_bytes: read as u64 });
        Ok(read)
    }
}

/// How a receipt counts what the restore refused.
pub(crate) fn verdict_on_refused(reason: &Reason) -> Verdict {
    match reason {
        Reason::InTheWay { .. } => Verdict::KeptExisting,
        Reason::Held { .. }
        | Reason::NewerThanProgram { .. }
        | Reason::NoSuchProgram { .. }
        | Reason::LinkLeadsOut { .. }
        | Reason::LinkNotMade { .. }
        | Reason::EntryRefused { .. }
        | Reason::TooDeep { .. }
        | Reason::Twice => Verdict::LeftBehind,
        _ => Verdict::Missing,
    }
}
