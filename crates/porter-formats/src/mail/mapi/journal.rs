//! A note of somebody's work: a call, a meeting, an hour at a document ([MS-OXOJRNL]).

use super::event::of_all;
use super::names::OF_LOG;
use super::thing::Thing;
use crate::calendar::entry::{Entry, OfKind};
use crate::calendar::moment::Moment;

/// Properties of notes of work ([MS-OXPROPS]).
const KIND: u32 = 0x8700;
const BEGIN: u32 = 0x8706;
const MINUTES: u32 = 0x8707;
const END: u32 = 0x8708;

/// The note of work that a thing is.
pub fn journal(thing: &Thing<'_>) -> Entry {
    let at = |id: u32| thing.named_time(OF_LOG, id).map(Moment::Utc);
    Entry {
        begin: at(BEGIN),
        end: at(END),
        of_kind: OfKind::Journal {
            kind: thing.named_text(OF_LOG, KIND).unwrap_or_default(),
            minutes: thing.named_number(OF_LOG, MINUTES).filter(|minutes| *minutes > 0),
        },
        ..of_all(thing)
    }
}
