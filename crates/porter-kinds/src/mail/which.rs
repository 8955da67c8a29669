//! Which items are mail's, and which hold people or days without being a mail program's.

use porter_trunk::TrunkItem;

/// The kind of what belongs to a mail program.
pub(crate) const MAIL: &str = "mail";
/// The kinds of items that carry rules make of programs for people and days.
const CONTACTS: &str = "contacts";
const CALENDAR: &str = "calendar";
/// The person's own folder of contacts, which Windows has.
const FOLDER: &str = "/folder/contacts";

/// True for contacts and calendars that are no mail program's.
pub(super) fn is_of_people(item: &TrunkItem) -> bool {
    item.kind == CONTACTS || is_calendar(item) || item.id.ends_with(FOLDER)
}

/// True for a calendar that is no mail program's.
pub(super) fn is_calendar(item: &TrunkItem) -> bool {
    item.kind == CALENDAR
}
