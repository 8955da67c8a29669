//! The capture itself.

use super::CaptureError;
use super::balance::{Account, Rows, balance};
use super::carrier::{Carrier, Done};
use super::drive_order::DriveOrder;
use super::listed::listed;
use super::outlook::Outlook;
use crate::check::prove_trunk;
use crate::events::{Conduct, Event, Stage};
use crate::in_order::{in_order, workers};
use crate::meaning::Meaning;
use crate::survey::Survey;
use crate::walk::{Grounds, walk};
use porter_kinds::Kinds;
use porter_kinds::choice::Unchosen;
use porter_kinds::item::Item;
use porter_machine::Machine;
use porter_machine::facts::VolumeFlaw;
use porter_trunk::{
    Damage, Depth, Entry, Inventory, LeftBehind, LeftReason, Tally, TrunkItem, TrunkProgram, TrunkWriter,
};
use std::sync::atomic::Ordering;
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;

/// The outcome of a capture.
#[derive(Debug)]
pub struct CaptureReport {
    /// Every item that was on the machine.
    pub items: Vec<TrunkItem>,
    /// All entries seen in the chosen items.
    pub seen: Tally,
    /// The entries among them that are in the trunk.
    pub captured: Tally,
    /// The entries among them that are not.
    pub left: Tally,
    /// Entries left behind, each with its reason; also places that no item covers.
    pub left_behind: Vec<LeftBehind>,
    /// Packs that were to have spare data, and for which there was no room.
    pub packs_without_spare: Vec<String>,
}

/// The choice of what to capture.
#[derive(Clone, Copy)]
pub struct Job<'a> {
    /// From this machine.
    pub machine: &'a Machine,
    /// By these rules.
    pub kinds: &'a Kinds,
    /// The chosen ones of these items.
    pub survey: &'a Survey,
    /// Without these files.
    pub unchosen: &'a Unchosen,
    /// Publishes the trunk without reading it back: the person who asks for that checks it before relying on
    /// it.
    pub prove_later: bool,
    /// A top-up may drop entries that the trunk holds.
    pub may_leave_out: bool,
    /// Bytes that may still be written to the trunk's volume.
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
/// A file that cannot be read is listed with its reason and the run goes on; a trunk that cannot be written
/// ends it. After any end but the good one the trunk keeps what it has for the next run.
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
    let mut report = filled?;
    if !job.prove_later {
        let damage = prove_trunk(&*trunk.read_back()?, Depth::Full, Stage::ReadBack, conduct)?.damage;
        if conduct.is_stopped() {
            return Err(CaptureError::Cancelled);
        }
        let was_written_to = |(entry, _): &(Option<Entry>, Damage)| {
            entry.as_ref().is_some_and(|entry| trunk.was_written_to(entry))
        };
        let (written_to, damage): (Vec<_>, Vec<_>) = damage.into_iter().partition(was_written_to);
        let written_to = written_to.into_iter().filter_map(|(entry, _)| entry);
        report.left_behind.extend(written_to.map(|entry| changed_while_read(job, entry)));
        if !damage.is_empty() {
            // If a damaged file cannot be renamed, it stays a damaged file.
            let set_aside = trunk.distrust().unwrap_or_default();
            let damage = damage.into_iter().map(|(_, damage)| damage).collect();
            return Err(CaptureError::ReadBack { damage, set_aside });
        }
    }
    trunk.publish()?;
    Ok(report)
}

/// A file that the trunk shares with the machine, and that somebody has written to since it was captured.
fn changed_while_read(job: &Job<'_>, entry: Entry) -> LeftBehind {
    let item = job.survey.items.iter().map(|row| &row.item).find(|item| item.id == entry.item);
    let place = item.and_then(|item| {
        let part = item.parts.iter().find(|part| part.place.name() == entry.address.place)?;
        item.place_of(part, job.machine)
    });
    let on_volume = place.and_then(|place| place.path.join_path(&entry.address.path).ok());
    LeftBehind {
        item: Some(entry.item),
        volume_path: on_volume.unwrap_or(entry.address.path),
        reason: LeftReason::ChangedWhileRead,
        tally: Some(Tally::default()),
        kept: None,
    }
}

/// Fills and closes the trunk.
fn fill(
    job: &Job<'_>,
    trunk: &dyn TrunkWriter,
    clock: &dyn Fn() -> OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<CaptureReport, CaptureError> {
    let Job { machine, kinds, survey, unchosen, .. } = *job;
    let of_machine = survey.items.iter().map(|row| &row.item);
    let grounds = Grounds::new(machine, kinds, of_machine, unchosen, trunk.name_rules());
    let chosen: Vec<&Item> = survey.items.iter().filter(|row| row.chosen).map(|row| &row.item).collect();
    let mut expected = Tally::default();
    survey.items.iter().filter(|row| row.chosen).for_each(|row| expected += row.to_capture);
    conduct.send(&Event::StageBegan { stage: Stage::Capture, expected });
    let programs: Vec<TrunkProgram> = machine.programs.iter().map(TrunkProgram::from).collect();
    // Every pack names all items to be captured: a list rebuilt from packs alone can then report how much is
    // missing from them.
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
    let mut outlook = Outlook::new(expected.size_in_bytes, job.free_in_bytes);
    let seen = Mutex::new(vec![Tally::default(); chosen.len()]);
    let carrier = Carrier::new(machine, kinds, trunk, conduct);
    let mut late = Vec::new();
    let mut enter = |at: usize, listed, done| {
        let (left_behind, counted, item) = (&mut left_behind, &mut counted[at], chosen[at]);
        accounts[at].enter(listed, done, Rows { trunk, left_behind, counted, item, conduct })
    };
    in_order(
        workers(),
        |hand_over| {
            for (at, item) in chosen.iter().enumerate() {
                let mut order = DriveOrder::new(&*machine.volume);
                let mut go_on = true;
                let mut hand_over = |(part, sight, tally): (_, _, Tally)| {
                    hand_over((at, part, sight, tally), tally.size_in_bytes) && !conduct.is_stopped()
                };
                walk(&grounds, item, |part, sight, tally| {
                    seen.lock().unwrap_or_else(PoisonError::into_inner)[at] += tally;
                    go_on = order.pass((part, sight, tally), &mut hand_over);
                    go_on
                });
                if !(go_on && order.flush(&mut hand_over)) {
                    return;
                }
            }
        },
        |(at, part, sight, tally)| (at, part, tally, carrier.carry(chosen[at], part, sight, tally)),
        |(at, part, listed, done)| {
            if matches!(done, Ok(Done { was_there: true, .. })) {
                outlook.pass_over(listed.size_in_bytes);
            }
            let read_in_bytes = carrier.read_in_bytes.load(Ordering::Relaxed);
            if let Some(short_in_bytes) = outlook.after(read_in_bytes, trunk.written_in_bytes()) {
                conduct.send(&Event::WillNotFit { short_in_bytes });
            }
            let done = match done {
                Ok(done) if done.again.is_some() => {
                    late.push((at, part, listed, done));
                    return true;
                }
                done => done,
            };
            failed = done.and_then(|done| Ok(enter(at, listed, done)?)).err();
            failed.is_none()
        },
    );
    // Files that the drive could not read are tried again when all others are safe.
    for (at, part, listed, done) in late {
        if failed.is_none() && !conduct.is_stopped() {
            let done = carrier.carry_again(chosen[at], part, done, listed);
            failed = done.and_then(|done| Ok(enter(at, listed, done)?)).err();
        }
    }
    if let Some(cause) = failed {
        return Err(cause);
    }
    if conduct.is_stopped() {
        return Err(CaptureError::Cancelled);
    }
    let seen = seen.into_inner().unwrap_or_else(PoisonError::into_inner);
    let items = balance(survey, &chosen, &seen, &accounts, &counted)?;

    let not_covered = crate::survey::not_covered(machine, kinds).into_iter();
    let not_covered = not_covered.map(|(path, why)| (path, LeftReason::NotCovered { why }));
    let lost = machine.state.volume.iter().filter_map(|flaw| match flaw {
        VolumeFlaw::RecordsLost(count) => {
            let detail = format!(
                "records of its file system that cannot be read: {count}; nothing tells which files they were"
            );
            Some((porter_names::RelativePath::root(), LeftReason::Medium { detail }))
        }
        _ => None,
    });
    for (volume_path, reason) in not_covered.chain(lost) {
        let left = LeftBehind { item: None, volume_path, reason, tally: None, kept: None };
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
