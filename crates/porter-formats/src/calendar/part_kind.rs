//! The kinds of parts that a calendar has, by their names in iCalendar (RFC 5545, 3.6).

use super::entry::{Entry, OfKind};

/// The kinds of parts.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
pub enum PartKind {
    /// An event.
    #[default]
    Event,
    /// A task.
    Task,
    /// A note of work.
    Journal,
}

impl PartKind {
    const ALL: [Self; 3] = [Self::Event, Self::Task, Self::Journal];

    /// Its name in iCalendar.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Event => "VEVENT",
            Self::Task => "VTODO",
            Self::Journal => "VJOURNAL",
        }
    }

    pub(super) fn called(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.name() == name)
    }

    /// The kind of an entry.
    pub fn of(entry: &Entry) -> Self {
        match entry.of_kind {
            OfKind::Event { .. } => Self::Event,
            OfKind::Task { .. } => Self::Task,
            OfKind::Journal { .. } => Self::Journal,
        }
    }
}
