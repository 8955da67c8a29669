//! Forms in which items are taken out for other programs: bookmarks as the file that all import, feeds,
//! history and tabs.

use crate::browser::engines::engine_of;
use crate::catalogue::Catalogue;
use crate::mail::contacts::{self, people_in};
use crate::mail::mailboxes::unpack;
use crate::mail::things_out::{self, Things, ThingsFound};
use crate::not_taken::NotTaken;
use crate::profiles::ProfileFolder;
use porter_formats::bookmarks::Bookmarks;
use porter_formats::bookmarks::file::to_html;
use porter_formats::calendar::to_calendar;
use porter_formats::contacts::{Contact, VcardVersion, to_ldif, to_table, to_vcards};
use porter_formats::cookies::to_text;
use porter_formats::links::{Page, feeds_to_opml};
use porter_formats::shortcut;
use porter_names::{RelativePath, screen::on_screen};
use porter_source::{EntryKind, HostFolder, Volume};
use porter_trunk::{Content, Trunk, TrunkItem};
use std::collections::HashSet;
use std::fs;
use std::io::{self, Write};
use tempfile::TempDir;

/// A form that something can be taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// The HTML file that browsers import.
    Bookmarks,
    /// OPML, for readers of feeds.
    Feeds,
    /// A page of all addresses, the newest first.
    History,
    /// A page of the tabs that were open.
    Tabs,
    /// Cookies, as the text that other programs read.
    Cookies,
    /// vCards of people with their addresses, of version 3.0.
    Contacts,
    /// The same of version 4.0.
    ContactsOf4,
    /// The same as records of a directory.
    ContactsLdif,
    /// The same as a table.
    ContactsTable,
    /// The events of calendars, as one.
    Calendar,
    /// Tasks, as a calendar.
    Tasks,
}

/// The result of a form.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Taken {
    /// How many rows.
    pub rows: u64,
    /// Things of which nothing could be read.
    pub damaged: u64,
    /// Other parts that could not be read, in words.
    pub flaws: Vec<String>,
}

impl From<u64> for Taken {
    fn from(rows: u64) -> Self {
        Self { rows, ..Self::default() }
    }
}

/// Writes an item of a trunk in a form.
pub fn take_as(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    catalogue: &Catalogue,
    form: Form,
    to: &mut dyn Write,
) -> Result<Taken, NotTaken> {
    let profile = || Unpacked::of(trunk, item, &is_of_use);
    let title = |what: &str| format!("{what}: {}", on_screen(item.title.as_bytes()));
    match form {
        Form::Bookmarks => {
            let bookmarks = bookmarks_of(&profile()?, item, catalogue, true)?;
            to.write_all(to_html(&bookmarks).as_bytes())?;
            Ok(bookmarks.count().into())
        }
        Form::Feeds => {
            let feeds = bookmarks_of(&profile()?, item, catalogue, false)?.feeds();
            to.write_all(feeds_to_opml(&feeds).as_bytes())?;
            Ok((feeds.len() as u64).into())
        }
        Form::History => {
            let engine = engine_for(item, catalogue)?;
            let profile = profile()?;
            let mut page = Page::begin(to, &title("History"))?;
            let mut rows = 0;
            engine.each_visited(&profile.folder(), &mut |link| {
                rows += 1;
                page.link(&link)
            })??;
            page.end()?;
            Ok(rows.into())
        }
        Form::Cookies => {
            let found = engine_for(item, catalogue)?.cookies(&profile()?.folder())?;
            let found = found.ok_or_else(|| NotTaken::NotOfItem(item.id.clone()))?;
            let (text, damaged) = to_text(&found);
            to.write_all(text.as_bytes())?;
            Ok(Taken { rows: found.len() as u64 - damaged, damaged, flaws: Vec::new() })
        }
        Form::Tabs => {
            let tabs = engine_for(item, catalogue)?.tabs(&profile()?.folder())?;
            let mut page = Page::begin(to, &title("Open tabs"))?;
            tabs.iter().try_for_each(|link| page.link(link))?;
            page.end()?;
            Ok((tabs.len() as u64).into())
        }
        Form::Contacts | Form::ContactsOf4 | Form::ContactsLdif | Form::ContactsTable => {
            take_contacts(trunk, item, form, to)
        }
        Form::Calendar | Form::Tasks => {
            let things = if form == Form::Tasks { Things::Tasks } else { Things::Events };
            let ThingsFound { things, damaged, flaws, may_hold_them } =
                things_out::entries(trunk, item, things, tempfile::tempdir()?.path())?;
            if !may_hold_them {
                return Err(NotTaken::NotOfItem(item.id.clone()));
            }
            to.write_all(to_calendar(&things).as_bytes())?;
            Ok(Taken { rows: things.len() as u64, damaged, flaws })
        }
    }
}

/// The people of data files, of address books, and of the lists of addresses that a program offers; somebody
/// with an address that is known already only once.
fn take_contacts(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: Form,
    to: &mut dyn Write,
) -> Result<Taken, NotTaken> {
    let ThingsFound { things: mut people, damaged, flaws, may_hold_them } =
        things_out::contacts(trunk, item, tempfile::tempdir()?.path())?;
    let of_profile = people_in(&Unpacked::of(trunk, item, &holds_people)?.folder())?;
    if of_profile.is_none() && !may_hold_them {
        return Err(NotTaken::NotOfItem(item.id.clone()));
    }
    let known: HashSet<String> =
        people.iter().flat_map(|person| &person.emails).map(|address| address.to_lowercase()).collect();
    let others = of_profile.into_iter().flatten();
    people.extend(others.filter(|person| !known.contains(&person.address.to_lowercase())).map(Contact::from));
    let written = match form {
        Form::Contacts => to_vcards(&people, VcardVersion::Three),
        Form::ContactsOf4 => to_vcards(&people, VcardVersion::Four),
        Form::ContactsLdif => to_ldif(&people),
        _ => to_table(&people),
    };
    to.write_all(written.as_bytes())?;
    Ok(Taken { rows: people.len() as u64, damaged, flaws })
}

/// The bookmarks of an item of a trunk.
pub fn bookmarks_in(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    catalogue: &Catalogue,
) -> Result<Bookmarks, NotTaken> {
    bookmarks_of(&Unpacked::of(trunk, item, &is_of_use)?, item, catalogue, false)
}

fn bookmarks_of(
    profile: &Unpacked,
    item: &TrunkItem,
    catalogue: &Catalogue,
    with_icons: bool,
) -> Result<Bookmarks, NotTaken> {
    if is_favourites(item) {
        return Ok(favourites_in(&profile.volume, &RelativePath::root()));
    }
    Ok(engine_for(item, catalogue)?.bookmarks(&profile.folder(), with_icons)?)
}

/// Favourites of Windows' own browsers are a folder like any other.
fn is_favourites(item: &TrunkItem) -> bool {
    item.parts.iter().any(|part| part.place == porter_machine::Place::Favourites.name())
}

fn engine_for(
    item: &TrunkItem,
    catalogue: &Catalogue,
) -> Result<&'static dyn crate::browser::engine::Engine, NotTaken> {
    let rule = catalogue.rule_of(item);
    let is_profile = item.parts.iter().any(|part| part.name == crate::catalogue::PROFILE_PART);
    let engine = rule.filter(|_| is_profile).and_then(|rule| engine_of(rule));
    engine.ok_or_else(|| NotTaken::NotOfItem(item.id.clone()))
}

/// A folder of `*.url` files as bookmarks: by name, as Windows shows them; `Links` is the bar.
pub fn favourites_in(volume: &dyn Volume, at: &RelativePath) -> Bookmarks {
    use porter_formats::bookmarks::{Folder, Node};
    let mut all = favourites_as_they_are(volume, at);
    let is_bar = |node: &Node| matches!(node, Node::Folder(folder) if BARS.contains(&folder.title.as_str()));
    let bar = all.children.iter().position(is_bar).map(|at| all.children.remove(at));
    let toolbar = match bar {
        Some(Node::Folder(bar)) => bar,
        _ => Folder::default(),
    };
    Bookmarks { toolbar, menu: all, ..Bookmarks::default() }
}

/// Windows' names for the folder that is the bar of favourites.
pub(super) const BARS: [&str; 2] = ["Links", "Favorites Bar"];

/// The same with the bar as a folder among the others.
pub(super) fn favourites_as_they_are(
    volume: &dyn Volume,
    at: &RelativePath,
) -> porter_formats::bookmarks::Folder {
    folder_of_favourites(volume, at, 0)
}

fn folder_of_favourites(
    volume: &dyn Volume,
    at: &RelativePath,
    depth: usize,
) -> porter_formats::bookmarks::Folder {
    use porter_formats::bookmarks::{Bookmark, Folder, Node};
    let mut rows: Vec<_> = volume.list(at).into_iter().flatten().flatten().collect();
    rows.sort_by_key(|row| String::from_utf8_lossy(&row.name).to_lowercase());
    let mut folder = Folder::new(&at.name().map(on_screen).unwrap_or_default());
    for row in rows {
        let Ok(path) = at.join(&row.name) else { continue };
        let name = String::from_utf8_lossy(&row.name).into_owned();
        match row.metadata.kind {
            EntryKind::Folder if depth < 50 => {
                let inner = folder_of_favourites(volume, &path, depth + 1);
                folder.children.push(Node::Folder(inner));
            }
            EntryKind::File if name.to_lowercase().ends_with(".url") => {
                let file = porter_machine::small_file::read(volume, &path).unwrap_or_default();
                if let Ok(url) = shortcut::url_in(&file) {
                    let title = name[..name.len() - 4].to_owned();
                    let added_utc = row.metadata.modified_utc;
                    folder.children.push(Node::Bookmark(Bookmark {
                        title,
                        url,
                        added_utc,
                        ..Bookmark::default()
                    }));
                }
            }
            _ => {}
        }
    }
    folder
}

/// The files of a profile that say something, out of the trunk into a folder that goes when it is dropped.
struct Unpacked {
    volume: HostFolder,
    _folder: TempDir,
}

/// Larger files of a profile hold nothing that is asked for here.
const LARGEST_IN_BYTES: u64 = 2 << 30;

impl Unpacked {
    /// Only files whose paths in the profile are `wanted`.
    fn of(
        trunk: &dyn Trunk,
        item: &TrunkItem,
        wanted: &dyn Fn(&RelativePath) -> bool,
    ) -> Result<Self, NotTaken> {
        let folder = TempDir::with_prefix("porter-")?;
        let roots = item.parts.iter().filter_map(|part| {
            Some((part.place.as_str(), RelativePath::from_bytes(part.path.as_bytes()).ok()?))
        });
        // A part may lie within another of the same item.
        let mut roots: Vec<(&str, RelativePath)> = roots.collect();
        roots.sort_by_key(|(_, root)| std::cmp::Reverse(root.as_bytes().len()));
        for entry in trunk.entries()? {
            let Ok(entry) = entry else { continue };
            let is_small = entry.size_in_bytes() <= LARGEST_IN_BYTES;
            let (true, true, Content::File { .. }) = (entry.item == item.id, is_small, &entry.content) else {
                continue;
            };
            let place = entry.address.place.as_str();
            let mut of_place = roots.iter().filter(|(own, _)| *own == place);
            let below = of_place.find_map(|(_, root)| entry.address.path.below(root));
            let Some(below) = below.filter(wanted) else {
                continue;
            };
            // Names are those of the trunk, which may hold any bytes; this folder is our own.
            let Ok(path) = porter_names::host::to_host(folder.path(), &below) else { continue };
            if let Some(above) = path.parent() {
                fs::create_dir_all(above)?;
            }
            unpack(trunk, &entry, &path)?;
        }
        let volume = HostFolder::open(folder.path()).map_err(|cause| io::Error::other(cause.to_string()))?;
        Ok(Self { volume, _folder: folder })
    }

    fn folder(&self) -> ProfileFolder<'_> {
        ProfileFolder { volume: &self.volume, at: RelativePath::root() }
    }
}

/// True for files that can hold people: a data file beside them is read for itself.
fn holds_people(path: &RelativePath) -> bool {
    let name = String::from_utf8_lossy(path.name().unwrap_or_default()).into_owned();
    path.steps().count() == 1 && contacts::may_hold_people(&name)
}

/// True for files that can hold bookmarks, history and tabs: files of the profile itself, sessions, and
/// addresses.
fn is_of_use(path: &RelativePath) -> bool {
    let first = path.steps().next().unwrap_or_default();
    path.steps().count() == 1
        || first == b"Sessions"
        || first == b"sessionstore-backups"
        || path.name().is_some_and(|name| name.to_ascii_lowercase().ends_with(b".url"))
}
