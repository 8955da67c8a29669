//! Bookmarks on their way through every form: what a person sees stays.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use porter_formats::bookmarks::file::{from_html, to_html};
use porter_formats::bookmarks::{Bookmark, Bookmarks, Folder, Node, merge};
use porter_formats::chromium::bookmarks::BookmarksFile;
use porter_formats::gecko::places;
use rusqlite::Connection;
use time::OffsetDateTime;
use time::macros::datetime;

const NOW: OffsetDateTime = datetime!(2026-11-25 12:00 UTC);

/// The least that a browser around Gecko makes.
const EMPTY: &str = "
    CREATE TABLE moz_places (id INTEGER PRIMARY KEY, url LONGVARCHAR, title LONGVARCHAR, rev_host LONGVARCHAR, visit_count INTEGER DEFAULT 0,
        hidden INTEGER DEFAULT 0 NOT NULL, typed INTEGER DEFAULT 0 NOT NULL, frecency INTEGER DEFAULT -1 NOT NULL, last_visit_date INTEGER, guid TEXT);
    CREATE TABLE moz_bookmarks (id INTEGER PRIMARY KEY, type INTEGER, fk INTEGER DEFAULT NULL, parent INTEGER, position INTEGER, title LONGVARCHAR,
        keyword_id INTEGER, folder_type TEXT, dateAdded INTEGER, lastModified INTEGER, guid TEXT);
    INSERT INTO moz_bookmarks (id, type, parent, position, guid) VALUES (1, 2, 0, 0, 'root________'), (2, 2, 1, 0, 'menu________'),
        (3, 2, 1, 1, 'toolbar_____'), (4, 2, 1, 2, 'tags________'), (5, 2, 1, 3, 'unfiled_____'), (6, 2, 1, 4, 'mobile______');";

fn link(title: &str) -> Node {
    let url = format!("https://{}.example/?q=1&r=\"2\"", title.to_lowercase().replace(' ', "-"));
    Node::Bookmark(Bookmark {
        title: title.to_owned(),
        url,
        added_utc: Some(datetime!(2014-05-13 16:53:20 UTC)),
        ..Bookmark::default()
    })
}

fn folder(title: &str, children: Vec<Node>) -> Folder {
    Folder { added_utc: Some(datetime!(2013-01-02 3:04:05 UTC)), children, ..Folder::new(title) }
}

/// Three deep, with two of one title in different folders, and one address twice.
fn of_odile() -> Bookmarks {
    let abroad = folder("Abroad", vec![link("Spinnaker <cloth>"), link("Ripstop & co")]);
    let suppliers = folder("Suppliers", vec![link("Spars"), Node::Folder(abroad), link("Reels")]);
    Bookmarks {
        toolbar: folder("", vec![link("Tides"), Node::Folder(suppliers), link("Wind ☂")]),
        menu: folder("", vec![Node::Folder(folder("Abroad", vec![link("Festivals")])), link("Tides")]),
        other: folder("", vec![link("Knots")]),
        mobile: folder("", vec![link("Bus to the loft")]),
    }
}

/// Titles, addresses, dates and nesting, without the numbers of each store.
fn seen(bookmarks: &Bookmarks) -> String {
    fn rows(folder: &Folder, depth: usize, all: &mut String) {
        for node in &folder.children {
            let indent = "  ".repeat(depth);
            match node {
                Node::Folder(inner) => {
                    all.push_str(&format!("{indent}[{}]\n", inner.title));
                    rows(inner, depth + 1, all);
                }
                Node::Bookmark(one) => {
                    all.push_str(&format!("{indent}{} {} {:?}\n", one.title, one.url, one.added_utc));
                }
                Node::Separator => all.push_str(&format!("{indent}---\n")),
            }
        }
    }
    let mut all = String::new();
    for (name, root) in ["toolbar", "menu", "other", "mobile"].into_iter().zip(bookmarks.roots()) {
        all.push_str(&format!("{name}:\n"));
        rows(root, 1, &mut all);
    }
    all
}

fn gecko_with(bookmarks: &Bookmarks) -> Connection {
    let mut database = Connection::open_in_memory().unwrap();
    database.execute_batch(EMPTY).unwrap();
    let mut tree = places::bookmarks(&database).unwrap();
    merge(&mut tree, bookmarks);
    places::add_new(&mut database, &tree, NOW).unwrap();
    database
}

#[test]
fn order_nesting_and_dates_survive_from_gecko_to_chromium_to_the_file_and_back_to_gecko() {
    let first = places::bookmarks(&gecko_with(&of_odile())).unwrap();
    assert_eq!(seen(&first), seen(&of_odile()));

    let mut file = BookmarksFile::empty(NOW).unwrap();
    let mut tree = file.bookmarks().unwrap();
    merge(&mut tree, &first);
    file.add_new(&tree, NOW).unwrap();
    let in_chromium = BookmarksFile::from_bytes(&file.to_bytes().unwrap()).unwrap().bookmarks().unwrap();
    assert_eq!(seen(&in_chromium), seen(&of_odile()));

    let in_file = from_html(&to_html(&in_chromium)).unwrap();
    assert_eq!(seen(&in_file), seen(&of_odile()));
    assert_eq!(seen(&places::bookmarks(&gecko_with(&in_file)).unwrap()), seen(&of_odile()));
}

#[test]
fn merging_the_same_again_adds_nothing_wherever_it_has_been_meanwhile() {
    let mut database = gecko_with(&of_odile());
    let rows = |database: &Connection| {
        database
            .query_row("SELECT count(*), max(id) FROM moz_bookmarks", [], |row| {
                Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?))
            })
            .unwrap()
    };
    let before = rows(&database);
    for from in [of_odile(), from_html(&to_html(&of_odile())).unwrap()] {
        let mut tree = places::bookmarks(&database).unwrap();
        assert!(merge(&mut tree, &from).is_nothing());
        places::add_new(&mut database, &tree, NOW).unwrap();
        assert_eq!(rows(&database), before);
    }
    // A tree that cannot be written as a whole is not written at all.
    let mut wrong = places::bookmarks(&database).unwrap();
    wrong.toolbar.children.push(link("New"));
    wrong.mobile = Folder { id: None, children: vec![link("Nowhere")], ..Folder::default() };
    assert!(places::add_new(&mut database, &wrong, NOW).is_err());
    assert_eq!(rows(&database), before);
}
