//! Contacts, events, tasks and notes of an item of a trunk, taken out for other programs.

use super::contacts::{People, may_hold_people, people_in};
use super::given_names::{Names, portable};
use super::mailboxes::{MailFolder, content_of, each_data_file, each_msg_file, flaw_of, folder_of};
use super::thunderbird::CALENDAR;
use crate::not_taken::NotTaken;
use crate::trunk_file::files_of;
use crate::unpacked::Unpacked;
use porter_formats::FormatError;
use porter_formats::calendar::entry::Entry;
use porter_formats::calendar::{Part, PartKind, WrittenCalendar};
use porter_formats::contacts::{
    Contact, from_apple_contact, from_ldif, from_table, from_vcards, from_windows_contact,
};
use porter_formats::gecko::{calendar, feeds};
use porter_formats::mail::mapi::thing::{Thing, ThingKind};
use porter_formats::mail::mapi::{contact, event, journal, task};
use porter_formats::mail::pst::mailbox::{Folder, FolderKind};
use porter_names::RelativePath;
use porter_trunk::{Trunk, TrunkItem};
use std::collections::HashSet;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

/// A kind of things that is not letters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Things {
    /// People, and lists of people.
    Contacts,
    /// Events.
    Events,
    /// Tasks.
    Tasks,
    /// Notes.
    Notes,
    /// Notes of work.
    Journal,
}

/// The things of one kind that were found.
#[derive(Debug)]
pub struct ThingsFound<T> {
    /// The things, in the order of the folders.
    pub things: Vec<T>,
    /// Things of which nothing could be read.
    pub damaged: u64,
    /// Files, or parts of them, that could not be read, in words.
    pub flaws: Vec<String>,
    /// The item has files that may hold such things.
    pub may_hold_them: bool,
    /// The zones that events name as they stand in a calendar.
    pub zones: Vec<String>,
}

impl Things {
    fn are_in(self, folder: &Folder) -> bool {
        let kind = match self {
            Self::Contacts => FolderKind::Contacts,
            Self::Events => FolderKind::Events,
            Self::Tasks => FolderKind::Tasks,
            Self::Notes => FolderKind::Notes,
            Self::Journal => FolderKind::Journal,
        };
        folder.kind == kind
    }
}

/// The people of an item: in Outlook's files, in files of people, in address books, and in the lists of
/// addresses that a program offers; of those nobody whose address is known already.
pub fn contacts(trunk: &dyn Trunk, item: &TrunkItem, aside: &Path) -> Result<ThingsFound<Contact>, NotTaken> {
    let mut found = found((trunk, item, aside), Things::Contacts, &mut |_, thing| match thing.kind() {
        ThingKind::List => Some(contact::list(thing)),
        _ => Some(contact::contact(thing)),
    })?;
    each_small_file(
        trunk,
        item,
        &FORMS_OF_PEOPLE,
        &mut |name, file, read| match file.map(|file| read(&file)) {
            Some(Ok(Some(people))) => {
                found.may_hold_them = true;
                found.things.extend(people);
            }
            Some(Ok(None)) => {}
            Some(Err(cause)) => {
                found.may_hold_them = true;
                found.damaged += 1;
                found.flaws.push(format!("{name}: {cause}"));
            }
            None => found.flaws.push(format!("{name}: it cannot be read")),
        },
    )?;
    if let Some(People { contacts, offered }) =
        people_in(&Unpacked::of(trunk, item, &holds_people)?.folder())?
    {
        found.may_hold_them = true;
        found.things.extend(contacts);
        let emails = found.things.iter().flat_map(|person| &person.emails);
        let known: HashSet<String> = emails.map(|address| address.to_lowercase()).collect();
        let others = offered.into_iter().filter(|person| !known.contains(&person.address.to_lowercase()));
        found.things.extend(others.map(Contact::from));
    }
    Ok(found)
}

/// True for files that can hold people: a data file beside them is read for itself.
fn holds_people(path: &RelativePath) -> bool {
    let name = String::from_utf8_lossy(path.name().unwrap_or_default()).into_owned();
    path.steps().count() == 1 && may_hold_people(&name)
}

/// The events, tasks or notes of work of an item: in Outlook's files, in calendars (`.ics`), and in a
/// profile's database.
pub fn entries(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    things: Things,
    aside: &Path,
) -> Result<ThingsFound<Part>, NotTaken> {
    let mut made = found((trunk, item, aside), things, &mut |_, thing| match things {
        Things::Tasks => Some(task::task(thing)),
        Things::Journal => Some(journal::journal(thing)),
        _ => event::event(thing),
    })?;
    let without_files = made.things.iter().filter(|entry| entry.files_left_out > 0);
    made.flaws.extend(without_files.map(|Entry { summary, files_left_out, .. }| {
        format!("{summary}: {files_left_out} of its files are larger than 8 MB, or cannot be read: left out")
    }));
    let parts = made.things.into_iter().map(|entry| Part::Made(Box::new(entry))).collect();
    let ThingsFound { damaged, flaws, may_hold_them, zones, .. } = made;
    let mut found = ThingsFound { things: parts, damaged, flaws, may_hold_them, zones };
    let mut known = HashSet::new();
    let mut add = |found: &mut ThingsFound<Part>, text: &str| {
        let calendar = WrittenCalendar::from_text(text);
        found.may_hold_them = true;
        found.zones.extend(calendar.zones);
        let kind = match things {
            Things::Tasks => PartKind::Task,
            Things::Journal => PartKind::Journal,
            _ => PartKind::Event,
        };
        let wanted = calendar.parts.into_iter().filter(|part| part.kind == kind);
        // A calendar is often there twice: as it is, and as it was kept aside.
        found.things.extend(wanted.filter(|part| known.insert(part.text.clone())).map(Part::Written));
    };
    each_small_file(trunk, item, &[(CALENDARS, ())], &mut |name, file, ()| match file {
        Some(file) => add(&mut found, &String::from_utf8_lossy(&file)),
        None => found.flaws.push(format!("{name}: it cannot be read")),
    })?;
    let of_profile = Unpacked::of(trunk, item, &is_of_calendar)?;
    if let Some(database) = of_profile.folder().database(CALENDAR)? {
        add(&mut found, &calendar::to_text(&database)?);
    }
    Ok(found)
}

/// True for the database of a profile's calendars, and the log beside it.
fn is_of_calendar(path: &RelativePath) -> bool {
    path.to_string().starts_with(CALENDAR)
}

/// The people of a file; none if it is of another sort.
type ReadPeople = fn(&[u8]) -> Result<Option<Vec<Contact>>, FormatError>;

/// The endings of files that people are in: of macOS, cards, records of directories, of Windows, and tables.
const FORMS_OF_PEOPLE: [(&str, ReadPeople); 6] = [
    (".abcdp", |file| from_apple_contact(file).map(|person| Some(vec![person]))),
    (".vcf", |file| Ok(Some(from_vcards(file)))),
    (".ldif", |file| Ok(Some(from_ldif(file)))),
    (".contact", |file| from_windows_contact(file).map(|person| Some(vec![person]))),
    (".group", |file| from_windows_contact(file).map(|list| Some(vec![list]))),
    (".csv", |file| Ok(from_table(file))),
];
/// The ending of files of calendars.
const CALENDARS: &str = ".ics";

/// Looks at a file, by its path and its content, with what belongs to the ending of its name.
type LookAt<'l, T> = dyn FnMut(&str, Option<Vec<u8>>, T) + 'l;

/// Passes the files of an item on whose names have one of some endings, with what belongs to that: in the
/// order of the endings, and by their paths. None for one that is damaged, or longer than any real one.
fn each_small_file<T: Copy>(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    endings: &[(&str, T)],
    look: &mut LookAt<'_, T>,
) -> Result<(), NotTaken> {
    let of_ending = |entry: porter_trunk::Entry| {
        let path = entry.address.path.to_string().to_ascii_lowercase();
        let at = endings.iter().position(|(ending, _)| path.ends_with(ending))?;
        Some((at, entry))
    };
    let mut files: Vec<_> = files_of(trunk, item)?.filter_map(of_ending).collect();
    files.sort_by(|(a_at, a), (b_at, b)| (a_at, &a.address.path).cmp(&(b_at, &b.address.path)));
    for (at, entry) in &files {
        look(&entry.address.path.to_string(), content_of(trunk, entry), endings[*at].1);
    }
    Ok(())
}

/// The lists of feeds of a mail program, the newer first.
type ReadFeeds = fn(&[u8]) -> Result<Vec<(String, String)>, FormatError>;
const LISTS_OF_FEEDS: [(&str, ReadFeeds); 2] =
    [("/feeds.json", feeds::from_json), ("/feeds.rdf", feeds::from_rdf)];

/// The feeds that a mail program reads.
#[derive(Debug, Default)]
pub struct FeedsFound {
    /// Title and address of each, each address once.
    pub feeds: Vec<(String, String)>,
    /// The lists that could not be read, in words.
    pub flaws: Vec<String>,
}

/// The feeds of an item.
pub fn feeds(trunk: &dyn Trunk, item: &TrunkItem) -> Result<FeedsFound, NotTaken> {
    let FeedsFound { feeds: mut found, mut flaws } = FeedsFound::default();
    let mut any = false;
    each_small_file(trunk, item, &LISTS_OF_FEEDS, &mut |name, file, read| {
        any = true;
        match file.map(|file| read(&file)) {
            Some(Ok(feeds)) => {
                let is_new = |(_, url): &(String, String)| found.iter().all(|(_, known)| known != url);
                let new: Vec<_> = feeds.into_iter().filter(is_new).collect();
                found.extend(new);
            }
            Some(Err(cause)) => flaws.push(format!("{name}: {cause}")),
            None => flaws.push(format!("{name}: it cannot be read")),
        }
    })?;
    if any { Ok(FeedsFound { feeds: found, flaws }) } else { Err(NotTaken::NotOfItem(item.id.clone())) }
}

/// Writes each note of an item into a file of a new folder, with the time of its last change.
pub fn take_notes(trunk: &dyn Trunk, item: &TrunkItem, to: &Path) -> Result<ThingsFound<()>, NotTaken> {
    let mut names = Names::default();
    let mut failed = None;
    let found = found((trunk, item, to), Things::Notes, &mut |folder, thing| {
        if failed.is_some() {
            return None;
        }
        let within = folder.path.iter().fold(to.to_path_buf(), |at, name| at.join(portable(name)));
        let words = thing.words();
        let subject = Some(thing.subject()).filter(|subject| !subject.trim().is_empty());
        let first: String = subject.unwrap_or_else(|| words.clone()).chars().take(60).collect();
        let name = names.within(&within, &format!("{}.txt", portable(first.trim())));
        let written = fs::create_dir_all(&within).and_then(|()| {
            let mut file = File::create_new(name)?;
            file.write_all(words.as_bytes())?;
            match thing.modified_utc() {
                Some(at) => file.set_modified(at.into()),
                None => Ok(()),
            }
        });
        failed = written.err();
        Some(())
    })?;
    match failed {
        Some(cause) => Err(cause.into()),
        None => Ok(found),
    }
}

/// Data files are unpacked in `aside`, one at a time.
fn found<T>(
    (trunk, item, aside): (&dyn Trunk, &TrunkItem, &Path),
    things: Things,
    read: &mut dyn FnMut(&MailFolder, &Thing<'_>) -> Option<T>,
) -> Result<ThingsFound<T>, NotTaken> {
    let mut found = ThingsFound {
        things: Vec::new(),
        damaged: 0,
        flaws: Vec::new(),
        may_hold_them: false,
        zones: Vec::new(),
    };
    let any_data_files = each_data_file(trunk, item, aside, &|| true, &mut |name,
                                                                            mailbox|
     -> io::Result<()> {
        let mailbox = match mailbox {
            Ok(mailbox) => mailbox,
            Err(flaw) => {
                found.flaws.push(format!("{name}: {flaw}"));
                return Ok(());
            }
        };
        found.flaws.extend(flaw_of(name, mailbox));
        for folder in mailbox.folders.iter().filter(|folder| folder.is_of_person && things.are_in(folder)) {
            let at = folder_of(name, folder);
            for row in &folder.letters {
                let thing = mailbox.thing(row).ok().and_then(|thing| read(&at, &thing));
                match thing {
                    Some(thing) => found.things.push(thing),
                    None => found.damaged += 1,
                }
            }
        }
        Ok(())
    })?;
    let any_single = each_msg_file(trunk, item, &mut |path, thing| {
        let Some(thing) = thing else {
            found.flaws.push(format!("{}: it cannot be read", path.join("/")));
            return;
        };
        let is_one = match thing.kind() {
            ThingKind::Contact | ThingKind::List => things == Things::Contacts,
            ThingKind::Event => things == Things::Events,
            ThingKind::Task => things == Things::Tasks,
            ThingKind::Note => things == Things::Notes,
            ThingKind::Journal => things == Things::Journal,
            ThingKind::Letter => false,
        };
        if is_one {
            let at = MailFolder { path, ..MailFolder::default() };
            match read(&at, thing) {
                Some(thing) => found.things.push(thing),
                None => found.damaged += 1,
            }
        }
    })?;
    found.may_hold_them = any_data_files | any_single;
    Ok(found)
}
