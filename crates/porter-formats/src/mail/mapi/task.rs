//! Something to do ([MS-OXOTASK]).

use super::contact::day_of;
use super::event::of_all;
use super::names::{OF_ALL, OF_TASK};
use super::recurrence::repeated;
use super::thing::Thing;
use crate::calendar::entry::{Entry, OfKind, Reminder};
use crate::calendar::moment::Moment;
use crate::calendar::recurrence::Recurrence;

/// Properties of tasks ([MS-OXPROPS]).
const STATUS: u32 = 0x8101;
const SHARE_DONE: u32 = 0x8102;
const BEGIN: u32 = 0x8104;
const DUE: u32 = 0x8105;
const DONE_ON: u32 = 0x810f;
const RECURRENCE: u32 = 0x8116;
const IS_DONE: u32 = 0x811c;
const REMINDS_AT: u32 = 0x8502;
const REMINDS: u32 = 0x8503;

const IN_PROGRESS: u32 = 1;
const COMPLETE: u32 = 2;

/// The task that a thing is.
pub fn task(thing: &Thing<'_>) -> Entry {
    let day = |id: u32| thing.named_time(OF_TASK, id).and_then(day_of).map(Moment::Day);
    let share =
        thing.named(OF_TASK, SHARE_DONE).and_then(|id| thing.properties.double(id)).unwrap_or_default();
    let status = thing.named_number(OF_TASK, STATUS).unwrap_or_default();
    let is_done = status == COMPLETE || thing.is(OF_TASK, IS_DONE);
    let percent = if is_done { 100 } else { (share.clamp(0.0, 1.0) * 100.0).round() as u8 };
    let mut entry = Entry { begin: day(BEGIN), end: day(DUE), ..of_all(thing) };
    // Nothing is due before it is begun.
    if let (Some(Moment::Day(begin)), Some(Moment::Day(due))) = (entry.begin, entry.end)
        && due < begin
    {
        entry.begin = None;
    }
    entry.of_kind = OfKind::Task {
        percent,
        done_utc: thing.named_time(OF_TASK, DONE_ON).filter(|at| is_done && day_of(*at).is_some()),
        is_done,
        is_begun: status == IN_PROGRESS || percent > 0,
    };
    if thing.is(OF_ALL, REMINDS) {
        let at = thing.named_time(OF_ALL, REMINDS_AT).filter(|at| day_of(*at).is_some());
        entry.reminder = at.map(Reminder::At);
    }
    let of_recurrence = thing.named_bytes(OF_TASK, RECURRENCE);
    if let Some(repeated) = of_recurrence.and_then(|bytes| repeated(&bytes, thing.properties.code_page)) {
        let without = repeated.moments_without(Moment::Day);
        // A rule counts from a day.
        entry.begin = entry.begin.or(entry.end).or(Some(Moment::Day(repeated.first)));
        entry.recurrence = Some(Recurrence { without, ..repeated.recurrence });
    }
    entry
}
