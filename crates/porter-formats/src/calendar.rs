//! Events, tasks and notes, as a calendar that other programs take in (iCalendar, RFC 5545).

pub mod entry;
mod ical;
mod joined;
pub mod moment;
pub mod recurrence;
pub mod zone;

pub use ical::to_calendar;
pub use joined::{joined, unique_names};
