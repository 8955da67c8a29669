//! An entry of a calendar: an event, a task, or a note of work.

use super::moment::Moment;
use super::recurrence::Recurrence;
use super::zone::Zone;
use time::OffsetDateTime;

/// Somebody who comes to an event, or invites to it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Guest {
    /// The name; empty if there is none.
    pub name: String,
    /// The address of mail; empty if there is none.
    pub address: String,
    /// Must come, may come, or is a room.
    pub role: Role,
    /// The answer.
    pub answer: Answer,
}

/// The part that a guest has in an event.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Role {
    /// Must come.
    #[default]
    Required,
    /// May come.
    Optional,
    /// A room, or a thing.
    Resource,
}

/// The answer of a guest.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Answer {
    /// Nothing.
    #[default]
    None,
    /// Perhaps.
    Perhaps,
    /// Yes.
    Comes,
    /// No.
    Declined,
}

/// Who may see an entry.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Secrecy {
    /// All who may see the calendar.
    #[default]
    Public,
    /// Its owner.
    Private,
    /// Those it is meant for.
    Confidential,
}

/// An event, a task, or a note of work.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Entry {
    /// A name that nothing else has.
    pub unique_name: String,
    /// Its title or kind.
    pub summary: String,
    /// More about it.
    pub description: String,
    /// Where it is.
    pub location: String,
    /// When it begins.
    pub begin: Option<Moment>,
    /// When it ends; the day behind the last one for whole days. When a task is due.
    pub end: Option<Moment>,
    /// The zone of its clock.
    pub zone: Option<Zone>,
    /// When it comes again.
    pub recurrence: Option<Recurrence>,
    /// The days on which it is not as always.
    pub changed: Vec<Changed>,
    /// The words it is sorted by.
    pub categories: Vec<String>,
    /// Who may see it.
    pub secrecy: Secrecy,
    /// 1 for what matters, 9 for what does not.
    pub priority: Option<u8>,
    /// When to remind of it.
    pub reminder: Option<Reminder>,
    /// When it was made.
    pub created_utc: Option<OffsetDateTime>,
    /// When it was last changed.
    pub modified_utc: Option<OffsetDateTime>,
    /// Facts that only one of the kinds has.
    pub of_kind: OfKind,
    /// Files at it: the name, and the content.
    pub files: Vec<(String, Vec<u8>)>,
    /// How many files at it are too large for a calendar, or cannot be read.
    pub files_left_out: u64,
}

/// When to remind of something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reminder {
    /// Minutes before it begins.
    MinutesBefore(u32),
    /// At a point in time.
    At(OffsetDateTime),
}

/// Facts that only one of the kinds has.
#[derive(Debug, Clone, PartialEq)]
pub enum OfKind {
    /// An event.
    Event {
        /// One may do something else.
        is_free: bool,
        /// It does not take place.
        is_cancelled: bool,
        /// Who invites.
        organizer: Option<Guest>,
        /// Who is invited.
        guests: Vec<Guest>,
        /// How often the invitation was changed.
        sequence: u32,
    },
    /// A task.
    Task {
        /// How much is done.
        percent: u8,
        /// When all was done.
        done_utc: Option<OffsetDateTime>,
        /// All is done.
        is_done: bool,
        /// Somebody has begun.
        is_begun: bool,
    },
    /// A note of work.
    Journal {
        /// A call, a meeting…; empty if nothing says.
        kind: String,
        /// How long it took.
        minutes: Option<u32>,
    },
}

impl Default for OfKind {
    fn default() -> Self {
        Self::Event { is_free: false, is_cancelled: false, organizer: None, guests: Vec::new(), sequence: 0 }
    }
}

/// One of many times that is not as the others.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    /// When it would begin.
    pub instead_of: Moment,
    /// When it begins.
    pub begin: Moment,
    /// When it ends.
    pub end: Moment,
    /// Its title, if that differs.
    pub summary: Option<String>,
    /// Where it is, if that differs.
    pub location: Option<String>,
    /// More words about it, if they differ.
    pub description: Option<String>,
}
