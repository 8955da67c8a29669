//! The capture itself.

use super::CaptureError;
use crate::attributes::{attributes_of, is_cloud_only, is_encrypted};
use crate::catalogue::{Catalogue, Fate};
use crate::check::prove_trunk;
use crate::events::{Conduct, Event, Stage};
use crate::in_order::in_order;
use crate::item::{Item, Part, What};
use crate::kinds::browser::database::{BESIDE, NoSnapshot, Snapshot, snapshot};
use crate::machine::Machine;
use crate::meaning::Meaning;
use crate::packing::Unchosen;
use crate::survey::Survey;
use crate::walk::{Grounds, Sight, Spot, walk};
use porter_names::RelativePath;
use porter_source::{Details, EntryKind, Metadata, ReadTrouble, Sequential};
use porter_trunk::{
    Content, Depth, Entry, EntryAddress, Extents, Inventory, LeftBehind, LeftReason, MeaningCount,
    NamedStream, StoreError, Stored, Tally, TrunkError, TrunkItem, TrunkPart, TrunkProgram, TrunkWriter,
};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// What a capture did.
#[derive(Debug)]
pub struct CaptureReport {
    /// Every item that was on the machine.
    pub items: Vec<TrunkItem>,
    /// What was seen in the chosen items.
    pub seen: Tally,
    /// What of that is in the trunk.
    pub captured: Tally,
    /// What of that is not.
    pub left: Tally,
    /// What was left behind, each with its reason; also what no item covers.
    pub left_behind: Vec<LeftBehind>,
    /// Packs that were to have spare data, and for which there was no room.
    pub packs_without_spare: Vec<String>,
}

/// What is to be captured.
#[derive(Clone, Copy)]
pub struct Job<'a> {
    /// From this machine.
    pub machine: &'a Machine,
    /// By these rules.
    pub catalogue: &'a Catalogue,
    /// These items, as far as they are chosen.
    pub survey: &'a Survey,
    /// Without these files.
    pub unchosen: &'a Unchosen,
    /// Publish the trunk without reading it back: whoever asks for that checks it before relying on it.
    pub prove_later: bool,
    /// What a trunk that is topped up holds may be in it no more.
    pub may_leave_out: bool,
    /// What may still be written to the trunk's volume.
    pub free_in_bytes: u64,
}

/// The items that a trunk holds files of, and that this capture does not choose, or does not find any more.
fn left_out(survey: &Survey, trunk: &dyn TrunkWriter) -> Vec<String> {
    let is_captured = |id: &str| survey.items.iter().any(|row| row.chosen && row.item.id == id);
    let held = trunk.held_items().iter().filter(|item| item.chosen && item.captured.entries() > 0);
    held.filter(|item| !is_captured(&item.id)).map(|item| item.id.clone()).collect()
}

/// Fills the trunk with the chosen items, reads it back, and publishes it.
///
/// A file that cannot be read is listed with its reason and the run goes on; a trunk that cannot be written ends it. After
/// any end but the good one the trunk keeps what it has for the next run.
pub fn capture(
    job: &Job<'_>,
    trunk: &dyn TrunkWriter,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<CaptureReport, CaptureError> {
    let left_out = left_out(job.survey, trunk);
    let filled = if left_out.is_empty() || job.may_leave_out {
        fill(job, trunk, clock, conduct)
    } else {
        Err(CaptureError::LeavesOut(left_out))
    };
    if filled.is_err() {
        trunk.pause();
    }
    let report = filled?;
    if !job.prove_later {
        let damage = prove_trunk(&*trunk.read_back()?, Depth::Full, Stage::ReadBack, conduct)?.damage;
        if conduct.is_stopped() {
            return Err(CaptureError::Cancelled);
        }
        if !damage.is_empty() {
            // That a hurt file cannot be renamed is no more than that it is hurt.
            let set_aside = trunk.distrust().unwrap_or_default();
            let damage = damage.into_iter().map(|(_, damage)| damage).collect();
            return Err(CaptureError::ReadBack { damage, set_aside });
        }
    }
    trunk.publish()?;
    Ok(report)
}

/// Fills and closes the trunk.
fn fill(
    job: &Job<'_>,
    trunk: &dyn TrunkWriter,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<CaptureReport, CaptureError> {
    let Job { machine, catalogue, survey, unchosen, .. } = *job;
    let of_machine = survey.items.iter().map(|row| &row.item);
    let grounds = Grounds::new(machine, catalogue, of_machine, unchosen, trunk.name_rules());
    let chosen: Vec<&Item> = survey.items.iter().filter(|row| row.chosen).map(|row| &row.item).collect();
    let mut expected = Tally::default();
    survey.items.iter().filter(|row| row.chosen).for_each(|row| expected += row.to_capture);
    conduct.send(&Event::StageBegan { stage: Stage::Capture, expected });
    let programs: Vec<TrunkProgram> = machine.programs.iter().map(TrunkProgram::from).collect();
    // What is to be captured stands in every pack: whoever makes a list from packs alone can tell how much is not in them.
    let beforehand = survey.items.iter().map(|row| {
        let expected = if row.chosen { row.to_capture } else { Tally::default() };
        TrunkItem { seen: expected, captured: expected, ..listed(&row.item, row.chosen) }
    });
    let beforehand: Vec<TrunkItem> = beforehand.collect();
    trunk.announce(&Inventory { items: &beforehand, programs: &programs })?;

    let mut accounts = vec![Account::default(); chosen.len()];
    let mut counted: Vec<Option<Meaning>> = chosen.iter().map(|item| Meaning::of(item)).collect();
    let mut left_behind = Vec::new();
    let mut failed = None;
    let mut outlook = Outlook {
        expected_in_bytes: expected.size_in_bytes,
        free_in_bytes: job.free_in_bytes,
        done_in_bytes: 0,
        told: false,
    };
    let seen = Mutex::new(vec![Tally::default(); chosen.len()]);
    let linked = Mutex::default();
    in_order(
        |hand_over| {
            for (at, item) in chosen.iter().enumerate() {
                let mut go_on = true;
                walk(&grounds, item, |part, sight, tally| {
                    seen.lock().unwrap_or_else(PoisonError::into_inner)[at] += tally;
                    go_on = hand_over((at, part, sight, tally), tally.size_in_bytes) && !conduct.is_stopped();
                    go_on
                });
                if !go_on {
                    return;
                }
            }
        },
        |(at, part, sight, tally)| {
            (
                at,
                tally,
                Carrier { machine, trunk, linked: &linked, conduct }.carry(chosen[at], part, sight, tally),
            )
        },
        |(at, listed, done)| {
            if let Some(short_in_bytes) = outlook.after(listed.size_in_bytes, trunk.written_in_bytes()) {
                conduct.send(&Event::WillNotFit { short_in_bytes });
            }
            if let (Some(counted), Ok(Done { entry: Some(entry), .. })) = (&mut counted[at], &done) {
                counted.see(entry);
            }
            let kept = match done {
                Ok(done) => accounts[at].enter(listed, done, trunk, &mut left_behind, chosen[at], conduct),
                Err(cause) => Err(cause),
            };
            failed = kept.err();
            failed.is_none()
        },
    );
    if let Some(cause) = failed {
        return Err(cause.into());
    }
    if conduct.is_stopped() {
        return Err(CaptureError::Cancelled);
    }
    let seen = seen.into_inner().unwrap_or_else(PoisonError::into_inner);
    let items = balance(survey, &chosen, &seen, &accounts, &counted)?;

    for (path, why) in crate::survey::not_covered(machine, catalogue) {
        let reason = LeftReason::NotCovered { why };
        let left = LeftBehind { item: None, volume_path: path, reason, tally: None };
        trunk.record_left(&left)?;
        left_behind.push(left);
    }
    conduct.send(&Event::StageEnded { stage: Stage::Capture });

    conduct.send(&Event::StageBegan { stage: Stage::Flush, expected: Tally::default() });
    trunk.close(&Inventory { items: &items, programs: &programs }, clock())?;
    conduct.send(&Event::StageEnded { stage: Stage::Flush });

    let mut report = CaptureReport {
        seen: Tally::default(),
        captured: Tally::default(),
        left: Tally::default(),
        items,
        left_behind,
        packs_without_spare: trunk.packs_without_spare(),
    };
    for item in report.items.iter().filter(|item| item.chosen) {
        report.seen += item.seen;
        report.captured += item.captured;
        report.left += item.left;
    }
    Ok(report)
}

/// Whether the trunk will fit, by how much room what is in it already took.
struct Outlook {
    expected_in_bytes: u64,
    free_in_bytes: u64,
    done_in_bytes: u64,
    told: bool,
}

impl Outlook {
    /// How much room will be missing, told once, as soon as that is likely.
    fn after(&mut self, done_in_bytes: u64, written_in_bytes: Option<u64>) -> Option<u64> {
        /// Less says nothing of the rest.
        const ENOUGH_IN_BYTES: u64 = 64 << 20;
        self.done_in_bytes += done_in_bytes;
        let written_in_bytes = written_in_bytes?;
        if self.told || self.done_in_bytes < ENOUGH_IN_BYTES {
            return None;
        }
        let ratio = written_in_bytes as f64 / self.done_in_bytes as f64;
        let whole_in_bytes = (ratio * self.expected_in_bytes as f64) as u64;
        // A little beyond is still within what cannot be told beforehand.
        let short_in_bytes = whole_in_bytes.checked_sub(self.free_in_bytes / 50 * 51)?;
        self.told = true;
        Some(short_in_bytes)
    }
}

/// What became of the entries of one item, counted where they arrive: apart from the count of what was seen.
#[derive(Debug, Clone, Default)]
struct Account {
    captured: Tally,
    left: Tally,
    /// Files may grow or shrink between being listed and being read.
    grown_in_bytes: i128,
}

/// What became of one thing that was seen.
struct Done {
    entry: Option<Entry>,
    left: Vec<LeftBehind>,
}

impl Account {
    fn enter(
        &mut self,
        listed: Tally,
        done: Done,
        trunk: &dyn TrunkWriter,
        left_behind: &mut Vec<LeftBehind>,
        item: &Item,
        conduct: Conduct<'_>,
    ) -> Result<(), TrunkError> {
        if let Some(entry) = &done.entry {
            trunk.record(entry)?;
            self.captured += listed;
            if let Content::File { size_in_bytes, .. } = entry.content {
                self.captured.size_in_bytes += size_in_bytes;
                self.captured.size_in_bytes -= listed.size_in_bytes;
                self.grown_in_bytes += i128::from(size_in_bytes) - i128::from(listed.size_in_bytes);
                conduct.send(&Event::File { item: &item.id, path: &entry.address.path, size_in_bytes });
            }
        }
        for left in done.left {
            trunk.record_left(&left)?;
            self.left += left.tally.unwrap_or_default();
            if left.reason.needs_attention() {
                conduct.send(&Event::Trouble {
                    item: &item.id,
                    path: &left.volume_path,
                    code: left.reason.code(),
                });
            }
            left_behind.push(left);
        }
        Ok(())
    }
}

/// `seen = captured + left`, item by item, or the capture does not count.
fn balance(
    survey: &Survey,
    chosen: &[&Item],
    seen: &[Tally],
    accounts: &[Account],
    counted: &[Option<Meaning>],
) -> Result<Vec<TrunkItem>, CaptureError> {
    let mut rows = chosen.iter().zip(seen).zip(accounts.iter().zip(counted));
    let mut items = Vec::with_capacity(survey.items.len());
    for row in &survey.items {
        let item = &row.item;
        let (seen, captured, left, meaning) = if row.chosen {
            let Some(((_, seen), (account, counted))) = rows.next() else { continue };
            let mut seen = *seen;
            let size = i128::from(seen.size_in_bytes) + account.grown_in_bytes;
            seen.size_in_bytes = u64::try_from(size).unwrap_or(u64::MAX);
            if seen != account.captured + account.left {
                return Err(CaptureError::NotAccountedFor { item: item.id.clone() });
            }
            (seen, account.captured, account.left, counted.clone())
        } else {
            (row.seen(), Tally::default(), row.seen(), Meaning::of(item))
        };
        let mut counts = meaning.map(|meaning| meaning.counts).unwrap_or_default();
        counts.extend(item.counts.iter().map(|(name, captured)| MeaningCount {
            name: name.clone(),
            files: Vec::new(),
            captured: *captured,
        }));
        items.push(TrunkItem { seen, captured, left, counts, ..listed(item, row.chosen) });
    }
    Ok(items)
}

/// An item, as a trunk lists it before anything of it was counted.
fn listed(item: &Item, chosen: bool) -> TrunkItem {
    TrunkItem {
        id: item.id.clone(),
        kind: item.kind.clone(),
        account: item.owner.clone(),
        title: item.title.clone(),
        chosen,
        seen: Tally::default(),
        captured: Tally::default(),
        left: Tally::default(),
        rule: item.rule.as_ref().map(|rule| rule.id.clone()),
        parts: item.parts.iter().map(trunk_part).collect(),
        facts: item.facts.clone(),
        registry: item.registry.clone(),
        needs: item.rule.as_ref().map(|rule| rule.proof.needs.texts().to_vec()).unwrap_or_default(),
        counts: Vec::new(),
    }
}

/// A part, as a trunk lists it.
pub(crate) fn trunk_part(part: &Part) -> TrunkPart {
    let path = match &part.what {
        What::At(path) => path.to_string(),
        What::Whole | What::LooseFiles => String::new(),
    };
    TrunkPart { name: part.name.clone(), place: part.place.name().to_owned(), path }
}

/// Carries one thing into the trunk.
struct Carrier<'a> {
    machine: &'a Machine,
    trunk: &'a dyn TrunkWriter,
    /// Files with several names that were stored already, by their numbers.
    linked: &'a Mutex<HashMap<u64, Stored>>,
    conduct: Conduct<'a>,
}

impl Carrier<'_> {
    /// Fails only if the trunk cannot be written.
    fn carry(&self, item: &Item, part: &Part, sight: Sight<'_>, tally: Tally) -> Result<Done, TrunkError> {
        let left = |path: &RelativePath, reason, tally| LeftBehind {
            item: Some(item.id.clone()),
            volume_path: path.clone(),
            reason,
            tally: Some(tally),
        };
        let nothing_but = |row| Ok(Done { entry: None, left: vec![row] });
        let (spot, metadata, held) = match sight {
            Sight::Unreadable { spot, trouble, .. } => {
                return nothing_but(left(&spot.on_volume, reason_for(trouble), tally));
            }
            Sight::Entry { spot, fate: Fate::Leave(why), .. } => {
                return nothing_but(left(&spot.on_volume, LeftReason::Rule { why: why.to_owned() }, tally));
            }
            Sight::Entry { spot, fate: Fate::Unchosen(why), .. } => {
                return nothing_but(left(
                    &spot.on_volume,
                    LeftReason::NotChosen { why: why.to_owned() },
                    tally,
                ));
            }
            Sight::Entry { spot, metadata, fate } => {
                let held = if let Fate::Hold(why) = fate { Some(why.to_owned()) } else { None };
                (spot, metadata, held)
            }
        };
        let mut rows = Vec::new();
        let volume = &*self.machine.volume;
        let address = EntryAddress {
            owner: item.owner.clone(),
            place: part.place.name().to_owned(),
            path: spot.below_place.clone(),
            safe_path: spot.safe.clone(),
        };
        let (details, unread) = match volume.details(&spot.on_volume) {
            Ok(details) => (details, None),
            Err(error) => (Details::default(), Some(error.trouble)),
        };
        let mut extents = Extents::None;
        let content = match metadata.kind {
            EntryKind::Folder => Content::Folder,
            EntryKind::Other => return nothing_but(left(&spot.on_volume, LeftReason::NotAFile, tally)),
            // A driver that does not know clouds shows the stand-in of a file as a link to nowhere.
            EntryKind::Link | EntryKind::File if is_cloud_only(&metadata, &details) => {
                return nothing_but(left(&spot.on_volume, LeftReason::CloudOnly, tally));
            }
            EntryKind::Link => match volume.link_target(&spot.on_volume) {
                Ok(target) => Content::Link { target },
                Err(error) => return nothing_but(left(&spot.on_volume, reason_for(error.trouble), tally)),
            },
            EntryKind::File if item.is_open && is_beside_database(volume, &spot.on_volume) => {
                let why = "its changes are in the copy of the database that it stands beside".to_owned();
                return nothing_but(left(&spot.on_volume, LeftReason::Rule { why }, tally));
            }
            EntryKind::File => match self.store(item, &spot, &metadata, &address)? {
                Ok(stored) => {
                    extents = stored.extents;
                    Content::File { size_in_bytes: stored.size_in_bytes, hash: stored.hash }
                }
                // Only the account that it was encrypted for is let in.
                Err(LeftReason::PermissionDenied) if is_encrypted(&metadata) => {
                    return nothing_but(left(&spot.on_volume, LeftReason::Encrypted, tally));
                }
                Err(reason) => return nothing_but(left(&spot.on_volume, reason, tally)),
            },
        };
        if let Some(trouble) = unread {
            rows.push(left(&spot.on_volume, reason_for(trouble), Tally::default()));
        }
        for stream in &details.unreadable_streams {
            let name = [spot.on_volume.name().unwrap_or_default(), b":", stream.as_bytes()].concat();
            let path = spot.on_volume.parent().and_then(|folder| folder.join(&name).ok());
            let path = path.unwrap_or_else(|| spot.on_volume.clone());
            rows.push(left(&path, LeftReason::StreamNotRead, Tally::default()));
        }
        let attributes = attributes_of(&metadata, &details);
        let streams = details.streams.into_iter();
        let entry = Entry {
            item: item.id.clone(),
            address,
            content,
            modified_utc: metadata.modified_utc,
            created_utc: details.created_utc,
            attributes,
            unix_mode: metadata.unix_mode,
            streams: streams.map(|s| NamedStream { name: s.name, content: s.content }).collect(),
            held,
            extents,
            same_file: metadata.same_file,
            sparse: metadata.sparse,
        };
        Ok(Done { entry: Some(entry), left: rows })
    }

    fn store(
        &self,
        item: &Item,
        spot: &Spot,
        metadata: &Metadata,
        address: &EntryAddress,
    ) -> Result<Result<Stored, LeftReason>, TrunkError> {
        // A database that is open may have changed though its file has not: the changes stand in a log.
        let taken = item.is_open.then(|| snapshot(&*self.machine.volume, &spot.on_volume));
        match taken {
            None | Some(Err(NoSnapshot::NotADatabase)) => {}
            Some(Ok(Snapshot { mut file, .. })) => {
                let progress = |size_in_bytes| self.conduct.send(&Event::Bytes { size_in_bytes });
                return sorted(self.trunk.store(address, metadata.modified_utc, &mut file, &progress));
            }
            Some(Err(NoSnapshot::AlwaysBusy)) => return Ok(Err(LeftReason::InUse)),
            Some(Err(NoSnapshot::Unreadable(error))) => return Ok(Err(reason_for(error.trouble))),
        }
        let linked = || self.linked.lock().unwrap_or_else(PoisonError::into_inner);
        let under_other_name = metadata.same_file.and_then(|number| linked().get(&number).cloned());
        let known = || self.trunk.already(address, metadata.size_in_bytes, metadata.modified_utc);
        if let Some(stored) = under_other_name.filter(|_| self.trunk.keeps_contents_once()).or_else(known) {
            self.conduct.send(&Event::Bytes { size_in_bytes: stored.size_in_bytes });
            return Ok(Ok(stored));
        }
        let file = match self.machine.volume.open(&spot.on_volume) {
            Ok(file) => file,
            Err(error) => return Ok(Err(reason_for(error.trouble))),
        };
        let shown = || self.machine.volume.host_tree()?.host_path(&spot.on_volume).ok();
        let progress = |size_in_bytes| self.conduct.send(&Event::Bytes { size_in_bytes });
        let copied = || {
            let mut content = Sequential::of_listed_size(file, metadata.size_in_bytes);
            self.trunk.store(address, metadata.modified_utc, &mut content, &progress)
        };
        let stored = self.trunk.store_file(&shown, &progress).unwrap_or_else(copied);
        if let (Ok(stored), Some(number)) = (&stored, metadata.same_file) {
            linked().insert(number, stored.clone());
        }
        sorted(stored)
    }
}

/// Tells what concerns one file from what ends the capture.
fn sorted(stored: Result<Stored, StoreError>) -> Result<Result<Stored, LeftReason>, TrunkError> {
    match stored {
        Ok(stored) => Ok(Ok(stored)),
        Err(StoreError::Source(cause)) => Ok(Err(reason_for(ReadTrouble::from(cause)))),
        Err(StoreError::TooLarge) => Ok(Err(LeftReason::TooLargeForTrunk)),
        Err(StoreError::Trunk(cause)) => Err(cause),
    }
}

/// True for the log of a database that is there.
fn is_beside_database(volume: &dyn porter_source::Volume, path: &RelativePath) -> bool {
    let name = path.name().unwrap_or_default();
    let database = BESIDE.iter().find_map(|suffix| name.strip_suffix(suffix.as_bytes()));
    let database = database.and_then(|name| path.parent()?.join(name).ok());
    database.is_some_and(|database| volume.metadata(&database).is_ok())
}

fn reason_for(trouble: ReadTrouble) -> LeftReason {
    match trouble {
        ReadTrouble::PermissionDenied => LeftReason::PermissionDenied,
        ReadTrouble::Gone => LeftReason::Gone,
        ReadTrouble::InUse => LeftReason::InUse,
        ReadTrouble::CloudOnly => LeftReason::CloudOnly,
        ReadTrouble::OtherVolume => LeftReason::OtherVolume,
        ReadTrouble::Medium(cause) => LeftReason::Medium { detail: cause.to_string() },
        ReadTrouble::NameNotHeld => LeftReason::NameNotHeld,
        ReadTrouble::IsLink => LeftReason::IsLink,
        ReadTrouble::Other(cause) => LeftReason::Unreadable { detail: cause.to_string() },
    }
}
