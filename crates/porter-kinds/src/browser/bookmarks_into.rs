//! One browser's bookmarks, added to another's on the new machine: to the profile that opens by default,
//! without duplicates.

use crate::browser::engines::engine_of;
use crate::changes::{Changes, Edit, Merged};
use crate::forms;
use crate::ground::Ground;
use crate::not_taken::NotTaken;
use crate::profiles::in_use::in_use;
use crate::profiles::{ProfileFolder, default_profile};
use crate::receipt::Reason;
use crate::wishes::{FAVOURITES, NewerProfiles, rule_called};
use porter_formats::bookmarks::{Added, Bookmark, Bookmarks, Folder, Node, merge};
use porter_formats::shortcut;
use porter_machine::database::{BESIDE, beside};
use porter_machine::{Account, Machine, Place, PlaceState};
use porter_names::{NameRules, RelativePath};
use porter_trunk::TrunkItem;
use std::collections::{BTreeMap, BTreeSet};

/// Adds the bookmarks that were asked for: of profiles that stay in the trunk, to their own browser; of all,
/// to the one that was named.
pub(super) fn land(ground: &Ground<'_>, items: &[&TrunkItem], changes: &mut Changes) {
    if ground.wishes.browser.newer == NewerProfiles::BookmarksOnly {
        let mut of_browser: BTreeMap<&str, Vec<&TrunkItem>> = BTreeMap::new();
        for item in items {
            let is_newer = matches!(changes.refused(&item.id), Some(Reason::NewerThanProgram { .. }));
            let browser = item.rule.as_ref().and_then(|rule| rule.rsplit('/').next());
            if let Some(browser) = browser.filter(|_| is_newer) {
                of_browser.entry(browser).or_default().push(item);
            }
        }
        for (browser, items) in of_browser {
            add(&Adding { ground, browser }, &items, changes);
        }
    }
    if let Some(browser) = &ground.wishes.browser.bookmarks_into {
        add(&Adding { ground, browser }, items, changes);
    }
}

/// Where bookmarks go.
struct Adding<'a> {
    ground: &'a Ground<'a>,
    /// The last step of its rule's id, or [`FAVOURITES`].
    browser: &'a str,
}

/// Adds the bookmarks of all `items` to each person's browser.
fn add(into: &Adding<'_>, items: &[&TrunkItem], changes: &mut Changes) {
    let mut by_account: BTreeMap<&str, (&Account, Bookmarks, &str)> = BTreeMap::new();
    let not_added = |detail: String| Reason::NotEntered { title: into.browser.to_owned(), detail };
    let ground = into.ground;
    for item in items {
        let Some(account) = ground.account_of(item) else { continue };
        match forms::bookmarks_in(ground.trunk, item, ground.catalogue) {
            Ok(bookmarks) if bookmarks.count() > 0 => {
                let fresh = (account, Bookmarks::default(), item.id.as_str());
                merge(&mut by_account.entry(&account.id).or_insert(fresh).1, &bookmarks);
            }
            Ok(_) | Err(NotTaken::NotOfItem(_)) => {}
            Err(cause) => changes.note(&item.id, not_added(cause.to_string())),
        }
    }
    for (account, bookmarks, item) in by_account.into_values() {
        let done = if into.browser == FAVOURITES {
            into_favourites(ground.machine, account, &bookmarks, item, changes)
        } else {
            into.profile(account, &bookmarks, item, changes)
        };
        match done {
            Ok((into, added)) => changes.add_merged(Merged { account: account.shown_name(), into, added }),
            Err(detail) => changes.note(item, not_added(detail)),
        }
    }
}

impl Adding<'_> {
    /// Into the profile that opens by default.
    fn profile(
        &self,
        account: &Account,
        bookmarks: &Bookmarks,
        item: &str,
        changes: &mut Changes,
    ) -> Result<(String, Added), String> {
        let Ground { machine, catalogue, now_utc, .. } = *self.ground;
        let rule = rule_called(catalogue, self.browser).ok_or("no such browser is known")?;
        let engine = engine_of(rule).ok_or("no such browser is known")?;
        let (name, at) = default_profile(machine, account, rule, engine.list())?;
        let folder = ProfileFolder { volume: &*machine.volume, at };
        if in_use(&folder, engine.list().locks()).may_be() {
            return Err("it is running: close it, and restore again".to_owned());
        }
        let into = format!("{} \u{201c}{}\u{201d}", rule.title, name);
        let done = engine.with_bookmarks(&folder, bookmarks, now_utc).map_err(|cause| cause.to_string())?;
        let Some(((name, content), added)) = done else {
            return Ok((into, Added { were_there: bookmarks.count(), ..Added::default() }));
        };
        let at = folder.path(name).ok_or("its path cannot be used")?;
        // A log of the old content would be taken for one of the new.
        let logs = BESIDE.iter().filter_map(|suffix| beside(&at, suffix));
        let set_aside_too = logs.filter(|path| machine.volume.metadata(path).is_ok()).collect();
        changes.write(Edit { set_aside_too, ..Edit::new(item, at, content) });
        Ok((into, added))
    }
}

fn into_favourites(
    machine: &Machine,
    account: &Account,
    bookmarks: &Bookmarks,
    item: &str,
    changes: &mut Changes,
) -> Result<(String, Added), String> {
    let place =
        machine.place(Some(account), Place::Favourites).filter(|place| place.state == PlaceState::Present);
    let place = place.ok_or("there is no folder of favourites")?;
    let there = forms::favourites_as_they_are(&*machine.volume, &place.path);
    let bar = there.children.iter().find_map(|node| match node {
        Node::Folder(folder) => forms::BARS.into_iter().find(|bar| *bar == folder.title),
        _ => None,
    });
    // Both as folders of files hold them, with the names that files get: so a second run finds what the first
    // one made.
    let mut tree = Bookmarks { menu: there, ..Bookmarks::default() };
    let coming =
        Bookmarks { menu: as_favourites(bookmarks, bar.unwrap_or(forms::BARS[0])), ..Bookmarks::default() };
    let added = merge(&mut tree, &coming);
    let mut names = Naming { machine, item, changes, taken: BTreeSet::new() };
    names.write(&tree.menu, &place.path);
    Ok(("Favourites".to_owned(), added))
}

/// A folder of addresses as a file system holds it: bookmarks, and folders; the bar is a folder as well.
fn as_favourites(bookmarks: &Bookmarks, bar: &str) -> Folder {
    let mut all = with_safe_titles(&bookmarks.menu);
    for (title, root) in [
        (bar, &bookmarks.toolbar),
        ("Other bookmarks", &bookmarks.other),
        ("Mobile bookmarks", &bookmarks.mobile),
    ] {
        if !root.children.is_empty() {
            all.children.push(Node::Folder(Folder { title: title.to_owned(), ..with_safe_titles(root) }));
        }
    }
    all
}

/// Recurs as deep as the tree, which readers limit.
fn with_safe_titles(folder: &Folder) -> Folder {
    let children = folder.children.iter().map(|node| match node {
        Node::Folder(inner) => Node::Folder(with_safe_titles(inner)),
        Node::Bookmark(bookmark) => {
            Node::Bookmark(Bookmark { title: safe(&bookmark.title), ..bookmark.clone() })
        }
        Node::Separator => Node::Separator,
    });
    Folder { title: safe(&folder.title), children: children.collect(), ..folder.clone() }
}

struct Naming<'a> {
    machine: &'a Machine,
    item: &'a str,
    changes: &'a mut Changes,
    /// The paths that have their bookmark: folders whose titles differ in case alone are one.
    taken: BTreeSet<Vec<u8>>,
}

impl Naming<'_> {
    /// Plans a file for each bookmark that has none. Recurs as deep as the tree, which readers limit.
    fn write(&mut self, folder: &Folder, at: &RelativePath) {
        for node in &folder.children {
            match node {
                Node::Folder(inner) => {
                    if let Ok(below) = at.join(safe(&inner.title).as_bytes()) {
                        self.write(inner, &below);
                    }
                }
                Node::Bookmark(bookmark) => {
                    let stem = safe(&bookmark.title);
                    let content = shortcut::to_file(&bookmark.url);
                    for number in 1..1000 {
                        let name = if number == 1 {
                            format!("{stem}.url")
                        } else {
                            format!("{stem} ({number}).url")
                        };
                        let Ok(path) = at.join(name.as_bytes()) else { break };
                        let folded = porter_names::fold::folded(path.as_bytes());
                        if self.taken.contains(&folded) {
                            continue;
                        }
                        match porter_machine::small_file::read(&*self.machine.volume, &path) {
                            // It is there: under this name, with this address.
                            Some(there) if shortcut::url_in(&there).is_ok_and(|url| url == bookmark.url) => {}
                            Some(_) => continue,
                            None => {
                                self.changes.write(Edit::new(self.item, path.clone(), content));
                            }
                        }
                        self.taken.insert(folded);
                        break;
                    }
                }
                Node::Separator => {}
            }
        }
    }
}

/// A title as a name that Windows holds, and short enough for its old programs.
fn safe(title: &str) -> String {
    let short: String =
        title.trim().chars().map(|c| if c == '/' || c == '\\' { '-' } else { c }).take(80).collect();
    let short = if short.is_empty() { "Bookmark".to_owned() } else { short };
    let rules = NameRules::windows(255);
    if rules.hold(short.as_bytes()) { short } else { rules.safe_name(short.as_bytes()) }
}
