//! Events, tasks and notes, as a calendar that other programs take in (iCalendar, RFC 5545).

pub mod entry;
mod ical;
mod joined;
pub mod moment;
mod part;
mod part_kind;
pub mod recurrence;
mod world_zone;
pub mod zone;

pub use ical::to_calendar;
pub use joined::{joined, unique_names};
pub use part::{Part, WrittenCalendar, WrittenPart, to_calendar_of};
pub use part_kind::PartKind;
pub use world_zone::WorldZone;
