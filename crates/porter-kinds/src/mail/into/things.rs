//! People, events and tasks on their way into a program: of Mozilla's, as an address book and a calendar of
//! their own, which its settings name; of others, as files of vCard and iCalendar.
//!
//! The calendar of Mozilla's programs is a file of iCalendar, too: they read it with all that a calendar can
//! say, whatever the tables of their own database are this year.

use super::present::Present;
use crate::bringing::BroughtFile;
use crate::crossing::old_paths::as_written;
use crate::mail::contacts::is_address_book;
use crate::mail::letter_print::LetterPrint;
use crate::mail::letters::{CONTACTS, EVENTS, TASKS};
use crate::mail::things_out::{self, Things, ThingsFound};
use crate::mail::thunderbird::{CALENDAR, CALENDARS, IN_A_FILE};
use crate::mail::which::is_calendar;
use crate::profiles::ProfileFolder;
use crate::profiles::mozilla::PREFS;
use crate::receipt::letters_brought::{BroughtKind, LettersBrought};
use porter_formats::calendar::{Part, joined, to_calendar_of, unique_names};
use porter_formats::contacts::{Contact, VcardVersion, from_table, from_vcards, to_table, to_vcards};
use porter_formats::gecko::prefs::{self, Setting};
use porter_formats::gecko::{address_book, calendar};
use porter_formats::{FormatError, percent};
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_trunk::{ContentHash, Trunk, TrunkItem};
use rusqlite::Connection;
use std::fs;
use std::path::Path;

/// All that comes beside letters.
#[derive(Default)]
pub(super) struct ThingsMade {
    pub(super) files: Vec<BroughtFile>,
    pub(super) settings: Vec<(String, Setting)>,
    pub(super) brought: Vec<LettersBrought>,
    pub(super) flaws: Vec<String>,
}

/// Where things come from.
#[derive(Clone, Copy)]
pub(super) struct Beside<'c> {
    pub(super) trunk: &'c dyn Trunk,
    pub(super) item: &'c TrunkItem,
    /// The name of the book and of the calendar.
    pub(super) title: &'c str,
    /// Where files are made.
    pub(super) aside: &'c Path,
}

/// A file, what is in it, and what could not be read. No file if all of it is there, and no row if there is
/// nothing of it.
pub(super) type Made = (Option<BroughtFile>, Option<LettersBrought>, Vec<String>);

type PeopleFound = (Vec<Contact>, Option<LettersBrought>, Vec<String>);

/// Where things come from, and the profile that they go into.
pub(super) struct Coming<'c> {
    pub(super) beside: Beside<'c>,
    pub(super) profile: &'c ProfileFolder<'c>,
    pub(super) family: Family,
}

/// Eight digits that an item always has.
pub(super) fn mark_of(machine: &str, item_id: &str) -> String {
    let hash = ContentHash::of(format!("{machine}\n{item_id}").as_bytes());
    hash.to_string().chars().take(8).collect()
}

impl Beside<'_> {
    /// True if the capture counted some of it: a data file is not unpacked for things that are not in it.
    fn has(&self, count: &str) -> bool {
        // Calendars of a program of their own count their files: what is in them is told by reading them.
        let is_calendar = count != CONTACTS && is_calendar(self.item);
        self.item.counts.iter().any(|row| (is_calendar || row.name == count) && row.captured > 0)
    }

    fn mark(&self) -> String {
        mark_of(&self.trunk.label().machine.name, &self.item.id)
    }

    fn row(&self, kind: BroughtKind, at: &RelativePath, found: u64, damaged: u64) -> LettersBrought {
        let (folder, mail_at) = (vec![self.title.to_owned()], at.clone());
        LettersBrought { kind, folder, mail_at, found, damaged, ..LettersBrought::default() }
    }

    /// The people of the item, the row that counts them on their way to a folder, and what could not be read.
    /// No row if there is nothing of them.
    fn people_found(&self, to: &RelativePath) -> Result<PeopleFound, String> {
        if !self.has(CONTACTS) {
            return Ok((Vec::new(), None, Vec::new()));
        }
        let found = things_out::contacts(self.trunk, self.item, self.aside);
        let ThingsFound { things, damaged, flaws, .. } = found.map_err(|cause| cause.to_string())?;
        let number = things.len() as u64 + damaged;
        let row = (number > 0).then(|| self.row(BroughtKind::Contacts, to, number, damaged));
        Ok((things, row, flaws))
    }

    /// People as a file of vCards, or as a table if it is called so, behind those that are in it.
    pub(super) fn people(&self, to: &ProfileFolder<'_>, name: &str) -> Result<Made, String> {
        let (things, row, flaws) = self.people_found(&to.at)?;
        let Some(mut row) = row else { return Ok((None, None, flaws)) };
        let there = to.read_or_empty(name)?;
        let people_there = in_file(name, &there);
        let mut known = people_there.iter().map(print_of).collect::<Present>();
        let mut coming = Vec::new();
        for mut contact in things {
            if contact.unique_name.is_empty() {
                contact.unique_name = print_of(&contact).to_string();
            }
            // A form may hold less of a name than was known.
            let as_read = in_file(name, &written(name, std::slice::from_ref(&contact)));
            let [as_read] = &as_read[..] else {
                return Err(format!("{} cannot be written", contact.shown_name()));
            };
            let print = print_of(as_read);
            row.prints.push(print);
            if known.take(&print) { row.doubles += 1 } else { coming.push(contact) }
        }
        row.written = coming.len() as u64;
        if coming.is_empty() {
            return Ok((None, Some(row), flaws));
        }
        let whole = match is_table(name) {
            true => written(name, &[people_there, coming].concat()),
            false => [there, written(name, &coming)].concat(),
        };
        Ok((Some(self.file(to, name, &whole)?), Some(row), flaws))
    }

    /// Events, or tasks, as a file of iCalendar, beside those that are in it.
    pub(super) fn entries(
        &self,
        to: &ProfileFolder<'_>,
        name: &str,
        are_tasks: bool,
    ) -> Result<Made, String> {
        let (count, kind) = if are_tasks { (TASKS, Things::Tasks) } else { (EVENTS, Things::Events) };
        if !self.has(count) {
            return Ok((None, None, Vec::new()));
        }
        let found = things_out::entries(self.trunk, self.item, kind, self.aside);
        let found = found.map_err(|cause| cause.to_string())?;
        if found.things.is_empty() && found.damaged == 0 {
            return Ok((None, None, found.flaws));
        }
        let number = found.things.len() as u64 + found.damaged;
        let mut row = self.row(BroughtKind::Calendar, &to.at, number, found.damaged);
        row.folder.push(if are_tasks { "Tasks" } else { "Calendar" }.to_owned());
        let coming = self.new_entries(found.things, to, &mut row)?;
        let file = match coming.is_empty() {
            true => None,
            false => Some(self.calendar(to, name, &coming, &found.zones)?),
        };
        Ok((file, Some(row), found.flaws))
    }

    /// Those entries that are not there, each with a name. The row counts them.
    fn new_entries(
        &self,
        all: Vec<Part>,
        to: &ProfileFolder<'_>,
        row: &mut LettersBrought,
    ) -> Result<Vec<Part>, String> {
        let mut there = entries_there(to)?.into_iter().collect::<Present>();
        let mut coming: Vec<Part> = Vec::new();
        for mut part in all {
            if part.unique_name().is_empty() {
                let whole = to_calendar_of(std::slice::from_ref(&part), &[]);
                part.name(&LetterPrint::of(whole.as_bytes()).to_string());
            }
            let print = print_of_entry(part.unique_name());
            row.prints.push(print);
            if there.take(&print) { row.doubles += 1 } else { coming.push(part) }
        }
        row.written = coming.len() as u64;
        Ok(coming)
    }

    fn calendar(
        &self,
        to: &ProfileFolder<'_>,
        name: &str,
        coming: &[Part],
        zones: &[String],
    ) -> Result<BroughtFile, String> {
        let more = to_calendar_of(coming, zones);
        let there = to.read_or_empty(name)?;
        let whole = match there.is_empty() {
            true => more,
            false => joined(&String::from_utf8_lossy(&there), &more),
        };
        self.file(to, name, whole.as_bytes())
    }

    fn file(&self, to: &ProfileFolder<'_>, name: &str, content: &[u8]) -> Result<BroughtFile, String> {
        let at = to.path(name).ok_or("its path cannot be used")?;
        let made = self.aside.join(name.replace('/', "-"));
        fs::write(&made, content).map_err(|cause| cause.to_string())?;
        Ok(BroughtFile { at, made, blake3: ContentHash::of(content), set_aside_too: Vec::new() })
    }
}

const TABLE: &str = ".csv";
const VCARDS: &str = ".vcf";

fn is_table(name: &str) -> bool {
    name.ends_with(TABLE)
}

fn written(name: &str, people: &[Contact]) -> Vec<u8> {
    match is_table(name) {
        true => to_table(people).into_bytes(),
        false => to_vcards(people, VcardVersion::Three).into_bytes(),
    }
}

fn in_file(name: &str, file: &[u8]) -> Vec<Contact> {
    match is_table(name) {
        true => from_table(file).unwrap_or_default(),
        false => from_vcards(file),
    }
}

impl Coming<'_> {
    /// Makes all of it. A part that cannot be made is named, and keeps nothing else from coming.
    pub(super) fn make(&self) -> ThingsMade {
        let mut made = ThingsMade::default();
        for (what, done) in
            [("contacts", self.people(&mut made)), ("events and tasks", self.entries(&mut made))]
        {
            if let Err(cause) = done {
                made.flaws.push(format!("{what}: {cause}"));
            }
        }
        made
    }

    fn people(&self, made: &mut ThingsMade) -> Result<(), String> {
        let (things, row, flaws) = self.beside.people_found(&self.profile.at)?;
        made.flaws.extend(flaws);
        let Some(mut row) = row else { return Ok(()) };
        let mut there = people_there(self.profile)?.into_iter().collect::<Present>();
        let mut coming = Vec::new();
        for mut contact in things {
            let print = print_of(&contact);
            row.prints.push(print);
            if there.take(&print) {
                row.doubles += 1;
                continue;
            }
            if contact.unique_name.is_empty() {
                contact.unique_name = print.to_string();
            }
            coming.push(contact);
        }
        row.written = coming.len() as u64;
        if !coming.is_empty() {
            let name = format!("abook-{}.sqlite", self.beside.mark());
            let book = self.book(&name, &coming)?;
            made.files.push(self.beside.file(self.profile, &name, &book)?);
            made.settings.extend(self.settings_of_book(&name));
        }
        made.brought.push(row);
        Ok(())
    }

    /// The content of a book: what is there, and those who come.
    fn book(&self, name: &str, coming: &[Contact]) -> Result<Vec<u8>, String> {
        let words = |cause: FormatError| cause.to_string();
        if let Some(mut there) = self.profile.database(name).map_err(words)? {
            address_book::add(&mut there, coming).map_err(words)?;
            return there.into_bytes().map_err(words);
        }
        let path = self.beside.aside.join("book");
        let mut database = Connection::open(&path).map_err(|cause| cause.to_string())?;
        address_book::begin(&database).map_err(words)?;
        address_book::add(&mut database, coming).map_err(words)?;
        database.close().map_err(|(_, cause)| cause.to_string())?;
        fs::read(path).map_err(|cause| cause.to_string())
    }

    fn settings_of_book(&self, name: &str) -> Vec<(String, Setting)> {
        let server = format!("ldap_2.servers.porter{}", self.beside.mark());
        let of = |what: &str, value| (format!("{server}.{what}"), value);
        vec![
            of("description", Setting::Text(self.beside.title.to_owned())),
            // A book that is a file of this form.
            of("dirType", Setting::Number(101)),
            of("filename", Setting::Text(name.to_owned())),
            of("uid", Setting::Text(self.long_mark("book"))),
        ]
    }

    fn entries(&self, made: &mut ThingsMade) -> Result<(), String> {
        let Beside { trunk, item, aside, .. } = self.beside;
        let mut row = self.beside.row(BroughtKind::Calendar, &self.profile.at, 0, 0);
        let (mut all, mut zones): (Vec<Part>, Vec<String>) = Default::default();
        let kinds = [(EVENTS, Things::Events), (TASKS, Things::Tasks)];
        for (_, things) in kinds.into_iter().filter(|(count, _)| self.beside.has(count)) {
            let found = things_out::entries(trunk, item, things, aside).map_err(|cause| cause.to_string())?;
            row.damaged += found.damaged;
            made.flaws.extend(found.flaws);
            all.extend(found.things);
            zones.extend(found.zones);
        }
        row.found = all.len() as u64 + row.damaged;
        if row.found == 0 {
            return Ok(());
        }
        let coming = self.beside.new_entries(all, self.profile, &mut row)?;
        if !coming.is_empty() {
            let name = format!("{CALENDARS}/porter-{}{IN_A_FILE}", self.beside.mark());
            made.files.push(self.beside.calendar(self.profile, &name, &coming, &zones)?);
            made.settings.extend(self.settings_of_calendar(&name)?);
        }
        made.brought.push(row);
        Ok(())
    }

    fn settings_of_calendar(&self, name: &str) -> Result<Vec<(String, Setting)>, String> {
        let at = self.profile.path(name).ok_or("its path cannot be used")?;
        let calendar = format!("calendar.registry.{}", self.long_mark("calendar"));
        let of = |what: &str, value| (format!("{calendar}.{what}"), value);
        Ok(vec![
            of("name", Setting::Text(self.beside.title.to_owned())),
            of("type", Setting::Text("ics".to_owned())),
            of("uri", Setting::Text(file_url(self.family, &at))),
            of("cache.enabled", Setting::Flag(false)),
            of("calendar-main-in-composite", Setting::Flag(true)),
        ])
    }

    /// A name in the form of a UUID that this item always has.
    fn long_mark(&self, what: &str) -> String {
        let Beside { trunk, item, .. } = self.beside;
        let whole = format!("{}\n{}\n{what}", trunk.label().machine.name, item.id);
        let digits = ContentHash::of(whole.as_bytes()).to_string();
        [0..8, 8..12, 12..16, 16..20, 20..32].map(|part| digits.get(part).unwrap_or_default()).join("-")
    }
}

/// The settings of a profile with more in them, as a file that waits. None if all are as they should be.
pub(super) fn settings_with(
    profile: &ProfileFolder<'_>,
    text: &str,
    settings: &[(String, Setting)],
    aside: &Path,
) -> Result<Option<BroughtFile>, String> {
    let content = prefs::with_set(text, settings);
    if content == text {
        return Ok(None);
    }
    let made = aside.join("settings");
    fs::write(&made, &content).map_err(|cause| cause.to_string())?;
    let at = profile.path(PREFS).ok_or("its path cannot be used")?;
    Ok(Some(BroughtFile { at, made, blake3: ContentHash::of(content.as_bytes()), set_aside_too: Vec::new() }))
}

fn file_url(family: Family, at: &RelativePath) -> String {
    let path = as_written(family, at).replace('\\', "/");
    let begin = if path.starts_with('/') { "file://" } else { "file:///" };
    format!("{begin}{}", percent::encoded(&path))
}

/// The things in a profile, by their prints.
pub(super) fn there(profile: &ProfileFolder<'_>, kind: BroughtKind) -> Result<Vec<LetterPrint>, String> {
    match kind {
        BroughtKind::Contacts => people_there(profile),
        BroughtKind::Calendar => entries_there(profile),
        BroughtKind::Letters => Ok(Vec::new()),
    }
}

fn people_there(profile: &ProfileFolder<'_>) -> Result<Vec<LetterPrint>, String> {
    let words = |cause: FormatError| cause.to_string();
    let mut prints = Vec::new();
    for name in profile.names_in("").iter().filter(|name| is_address_book(name) && name.ends_with(".sqlite"))
    {
        let Some(book) = profile.database(name).map_err(words)? else { continue };
        let people = address_book::names(&book).map_err(words)?;
        prints.extend(people.iter().map(|row| print_of_person(&row.name, &row.address)));
        prints.extend(address_book::list_names(&book).map_err(words)?.iter().map(|name| print_of_list(name)));
    }
    // Those that wait to be imported.
    for name in profile.names_in("").iter().filter(|name| name.ends_with(VCARDS) || is_table(name)) {
        prints.extend(in_file(name, &profile.read_or_empty(name)?).iter().map(print_of));
    }
    Ok(prints)
}

fn entries_there(profile: &ProfileFolder<'_>) -> Result<Vec<LetterPrint>, String> {
    let words = |cause: FormatError| cause.to_string();
    let mut names = Vec::new();
    let of_program = profile.names_in(CALENDARS).into_iter().map(|name| format!("{CALENDARS}/{name}"));
    for name in of_program.chain(profile.names_in("")).filter(|name| name.ends_with(IN_A_FILE)) {
        let file = profile.read_or_empty(&name)?;
        let (events, tasks) = unique_names(&String::from_utf8_lossy(&file));
        names.extend(events.into_iter().chain(tasks));
    }
    if let Some(own) = profile.database(CALENDAR).map_err(words)? {
        names.extend(calendar::unique_names(&own).map_err(words)?);
    }
    Ok(names.iter().map(|name| print_of_entry(name)).collect())
}

fn print_of(contact: &Contact) -> LetterPrint {
    let first = contact.emails.first().cloned().unwrap_or_default();
    match contact.members {
        Some(_) => print_of_list(&contact.shown_name()),
        None => print_of_person(&contact.shown_name(), &first),
    }
}

/// A person is known by the name that is shown and the first address.
fn print_of_person(name: &str, address: &str) -> LetterPrint {
    let [name, address] = [name, address].map(|text| text.trim().to_lowercase());
    LetterPrint::of(format!("person\n\n{name}\n{address}").as_bytes())
}

fn print_of_list(name: &str) -> LetterPrint {
    LetterPrint::of(format!("list\n\n{}", name.trim().to_lowercase()).as_bytes())
}

fn print_of_entry(unique_name: &str) -> LetterPrint {
    LetterPrint::of(format!("entry\n\n{unique_name}").as_bytes())
}
