//! Forms in which items are taken out for other programs: bookmarks as the file that all import, feeds,
//! history and tabs.

use crate::browser::engines::engine_of;
use crate::catalogue::Catalogue;
use crate::mail::things_out::{self, FeedsFound, Things, ThingsFound};
use crate::not_taken::NotTaken;
use crate::unpacked::Unpacked;
use porter_formats::bookmarks::Bookmarks;
use porter_formats::bookmarks::file::to_html;
use porter_formats::calendar::to_calendar_of;
use porter_formats::contacts::{VcardVersion, to_ldif, to_table, to_vcards};
use porter_formats::cookies::to_text;
use porter_formats::links::{Page, feeds_to_opml};
use porter_formats::shortcut;
use porter_names::{RelativePath, screen::on_screen};
use porter_source::{EntryKind, Volume};
use porter_trunk::{Trunk, TrunkItem};
use std::io::Write;

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
    /// Notes of work, as a calendar.
    Journal,
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
        Form::Feeds if item.kind == crate::mail::which::MAIL => {
            let FeedsFound { feeds, flaws } = things_out::feeds(trunk, item)?;
            to.write_all(feeds_to_opml(&feeds).as_bytes())?;
            Ok(Taken { rows: feeds.len() as u64, flaws, ..Taken::default() })
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
        Form::Calendar | Form::Tasks | Form::Journal => {
            let things = match form {
                Form::Tasks => Things::Tasks,
                Form::Journal => Things::Journal,
                _ => Things::Events,
            };
            let ThingsFound { things, damaged, flaws, may_hold_them, zones } =
                things_out::entries(trunk, item, things, tempfile::tempdir()?.path())?;
            if !may_hold_them {
                return Err(NotTaken::NotOfItem(item.id.clone()));
            }
            to.write_all(to_calendar_of(&things, &zones).as_bytes())?;
            Ok(Taken { rows: things.len() as u64, damaged, flaws })
        }
    }
}

/// The people of an item.
fn take_contacts(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: Form,
    to: &mut dyn Write,
) -> Result<Taken, NotTaken> {
    let ThingsFound { things: people, damaged, flaws, may_hold_them, .. } =
        things_out::contacts(trunk, item, tempfile::tempdir()?.path())?;
    if !may_hold_them {
        return Err(NotTaken::NotOfItem(item.id.clone()));
    }
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
        return Ok(favourites_in(profile.folder().volume, &RelativePath::root()));
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

/// True for files that can hold bookmarks, history and tabs: files of the profile itself, sessions, and
/// addresses.
fn is_of_use(path: &RelativePath) -> bool {
    let first = path.steps().next().unwrap_or_default();
    path.steps().count() == 1
        || first == b"Sessions"
        || first == b"sessionstore-backups"
        || path.name().is_some_and(|name| name.to_ascii_lowercase().ends_with(b".url"))
}
