//! Bookmarks and history: `places.sqlite`.
//!
//! `moz_bookmarks` holds the tree (type 1 a bookmark, 2 a folder, 3 a line) below roots that are known by
//! their `guid`; `moz_places` every address. Times are microseconds since 1970. The browser computes some
//! columns by triggers of its own connection (the count of bookmarks per address, the number of each site);
//! they are written here as it would write them.

use crate::FormatError;
use crate::bookmarks::{Bookmark, Bookmarks, DEEPEST, Folder, Node};
use crate::links::{Link, give_rows};
use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use rusqlite::{Connection, OptionalExtension, params};
use std::collections::{BTreeMap, HashMap};
use time::OffsetDateTime;

const FORMAT: &str = "places.sqlite";
/// The roots, by their guids and, in the first versions, by name.
const ROOTS: [(&str, &str); 5] = [
    ("toolbar_____", "toolbar"),
    ("menu________", "menu"),
    ("unfiled_____", "unfiled"),
    ("mobile______", "mobile"),
    ("tags________", "tags"),
];
/// How much of a long address its hash takes in.
const MOST_HASHED: usize = 1500;

struct Row {
    id: i64,
    kind: i64,
    guid: String,
    title: String,
    added_utc: Option<OffsetDateTime>,
    place: Option<i64>,
    url: Option<String>,
    keyword: Option<String>,
}

/// Reads all bookmarks.
pub fn bookmarks(database: &Connection) -> Result<Bookmarks, FormatError> {
    let mut by_parent: HashMap<i64, Vec<Row>> = HashMap::new();
    let has = |table: &str, column: &str| has_column(database, table, column);
    let guid = if has("moz_bookmarks", "guid")? { "b.guid" } else { "''" };
    let keyword = if has("moz_keywords", "place_id")? {
        "(SELECT k.keyword FROM moz_keywords k WHERE k.place_id = b.fk LIMIT 1)"
    } else {
        "NULL"
    };
    let sql = format!(
        "SELECT b.id, b.type, b.parent, {guid}, b.title, b.dateAdded, b.fk, p.url, {keyword} \
         FROM moz_bookmarks b LEFT JOIN moz_places p ON p.id = b.fk ORDER BY b.parent, b.position, b.id"
    );
    let mut statement = database.prepare(&sql)?;
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        let parent: Option<i64> = row.get(2)?;
        by_parent.entry(parent.unwrap_or(0)).or_default().push(Row {
            id: row.get(0)?,
            kind: row.get(1)?,
            guid: row.get::<_, Option<String>>(3)?.unwrap_or_default(),
            title: row.get::<_, Option<String>>(4)?.unwrap_or_default(),
            added_utc: from_microseconds(row.get(5)?),
            place: row.get(6)?,
            url: row.get(7)?,
            keyword: row.get(8)?,
        });
    }
    let roots = roots(database, &by_parent)?;
    let mut tags: HashMap<i64, Vec<String>> = HashMap::new();
    for tag in roots.get("tags").and_then(|root| by_parent.get(root)).into_iter().flatten() {
        for tagged in by_parent.get(&tag.id).into_iter().flatten() {
            if let Some(place) = tagged.place {
                tags.entry(place).or_default().push(tag.title.clone());
            }
        }
    }
    let feeds = feeds(database)?;
    let tree = Tree { by_parent: &by_parent, tags: &tags, feeds: &feeds };
    let root = |name: &str| match roots.get(name) {
        Some(id) => tree.folder(*id, String::new(), None, 0),
        None => Ok(Folder::default()),
    };
    Ok(Bookmarks {
        toolbar: root("toolbar")?,
        menu: root("menu")?,
        other: root("unfiled")?,
        mobile: root("mobile")?,
    })
}

fn roots(
    database: &Connection,
    by_parent: &HashMap<i64, Vec<Row>>,
) -> Result<BTreeMap<&'static str, i64>, FormatError> {
    let mut roots = BTreeMap::new();
    for row in by_parent.values().flatten() {
        if let Some((_, name)) = ROOTS.iter().find(|(guid, _)| *guid == row.guid) {
            roots.insert(*name, row.id);
        }
    }
    if roots.is_empty() && has_column(database, "moz_bookmarks_roots", "folder_id")? {
        for (_, name) in ROOTS {
            let sql = "SELECT folder_id FROM moz_bookmarks_roots WHERE root_name = ?1";
            if let Some(id) = database.query_row(sql, [name], |row| row.get(0)).optional()? {
                roots.insert(name, id);
            }
        }
    }
    if roots.is_empty() {
        return Err(FormatError::damaged(FORMAT, "it has no roots of bookmarks"));
    }
    Ok(roots)
}

struct Tree<'a> {
    by_parent: &'a HashMap<i64, Vec<Row>>,
    tags: &'a HashMap<i64, Vec<String>>,
    /// By the number of the folder that a live bookmark was.
    feeds: &'a HashMap<i64, String>,
}

impl Tree<'_> {
    fn folder(
        &self,
        id: i64,
        title: String,
        added_utc: Option<OffsetDateTime>,
        depth: usize,
    ) -> Result<Folder, FormatError> {
        if depth > DEEPEST {
            return Err(FormatError::damaged(
                FORMAT,
                format!("folders more than {DEEPEST} deep, or in a ring"),
            ));
        }
        let mut children = Vec::new();
        for row in self.by_parent.get(&id).into_iter().flatten() {
            match (row.kind, &row.url) {
                (2, _) if self.feeds.contains_key(&row.id) => children.push(Node::Bookmark(Bookmark {
                    id: Some(row.id),
                    title: row.title.clone(),
                    added_utc: row.added_utc,
                    feed_url: self.feeds.get(&row.id).cloned(),
                    ..Bookmark::default()
                })),
                (2, _) => {
                    let folder = self.folder(row.id, row.title.clone(), row.added_utc, depth + 1)?;
                    children.push(Node::Folder(folder));
                }
                (3, _) => children.push(Node::Separator),
                (1, Some(url)) if !url.starts_with("place:") => children.push(Node::Bookmark(Bookmark {
                    id: Some(row.id),
                    title: row.title.clone(),
                    url: url.clone(),
                    added_utc: row.added_utc,
                    tags: row.place.and_then(|place| self.tags.get(&place)).cloned().unwrap_or_default(),
                    keyword: row.keyword.clone(),
                    feed_url: None,
                    icon: None,
                })),
                // A saved question to the history leads nowhere in another browser.
                _ => {}
            }
        }
        Ok(Folder { id: Some(id), title, added_utc, children })
    }
}

/// Live bookmarks, which versions up to 63 kept as folders with a note.
fn feeds(database: &Connection) -> Result<HashMap<i64, String>, FormatError> {
    if !has_column(database, "moz_items_annos", "anno_attribute_id")? {
        return Ok(HashMap::new());
    }
    let sql = "SELECT a.item_id, a.content FROM moz_items_annos a JOIN moz_anno_attributes n ON n.id = a.anno_attribute_id \
               WHERE n.name = 'livemark/feedURI'";
    let mut statement = database.prepare(sql)?;
    Ok(statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect::<Result<_, _>>()?)
}

fn has_column(database: &Connection, table: &str, column: &str) -> Result<bool, FormatError> {
    let sql = "SELECT count(*) FROM pragma_table_info(?1) WHERE name = ?2";
    Ok(database.query_row(sql, [table, column], |row| row.get::<_, i64>(0))? > 0)
}

/// How many addresses the history knows.
pub fn history_count(database: &Connection) -> Result<u64, FormatError> {
    Ok(database.query_row(
        "SELECT count(*) FROM moz_places WHERE last_visit_date IS NOT NULL",
        [],
        |row| row.get(0),
    )?)
}

/// When somebody last went anywhere.
pub fn last_visit_utc(database: &Connection) -> Result<Option<OffsetDateTime>, FormatError> {
    let newest = database.query_row("SELECT max(last_visit_date) FROM moz_places", [], |row| row.get(0))?;
    Ok(from_microseconds(newest))
}

/// Passes on the history, the newest first.
pub fn each_visited(
    database: &Connection,
    give: impl FnMut(Link) -> std::io::Result<()>,
) -> Result<std::io::Result<()>, FormatError> {
    let sql = "SELECT title, url, last_visit_date FROM moz_places WHERE last_visit_date IS NOT NULL AND hidden = 0 \
               ORDER BY last_visit_date DESC";
    let mut statement = database.prepare(sql)?;
    give_rows(&mut statement, |at| from_microseconds(Some(at)), give)
}

/// Writes what in `merged` has no number, in one transaction. The rest of the tree must be as it was read.
pub fn add_new(
    database: &mut Connection,
    merged: &Bookmarks,
    now_utc: OffsetDateTime,
) -> Result<(), FormatError> {
    let transaction = database.transaction()?;
    let names = ["toolbar", "menu", "unfiled", "mobile"];
    for (root, name) in merged.roots().into_iter().zip(names) {
        match root.id {
            Some(_) => Writer { database: &transaction, now_utc }.add_below(root)?,
            None if root.children.is_empty() => {}
            None => return Err(FormatError::damaged(FORMAT, format!("it has no root `{name}`"))),
        }
    }
    transaction.commit()?;
    Ok(())
}

struct Writer<'a> {
    database: &'a Connection,
    now_utc: OffsetDateTime,
}

impl Writer<'_> {
    /// Adds below a folder that has its number.
    fn add_below(&self, folder: &Folder) -> Result<(), FormatError> {
        let Some(parent) = folder.id else { return Ok(()) };
        let last: Option<i64> = self.database.query_row(
            "SELECT max(position) FROM moz_bookmarks WHERE parent = ?1",
            [parent],
            |row| row.get(0),
        )?;
        let mut position = last.map_or(0, |last| last + 1);
        let known_separators: i64 = self.database.query_row(
            "SELECT count(*) FROM moz_bookmarks WHERE parent = ?1 AND type = 3",
            [parent],
            |row| row.get(0),
        )?;
        let mut separators = 0;
        for node in &folder.children {
            match node {
                Node::Folder(inner) if inner.id.is_some() => self.add_below(inner)?,
                Node::Folder(inner) => {
                    let id =
                        self.insert(2, parent, &mut position, Some(&inner.title), None, inner.added_utc)?;
                    // Its children are new too: they are added behind nothing.
                    let made = Folder { id: Some(id), ..inner.clone() };
                    self.add_below(&made)?;
                }
                Node::Separator => {
                    separators += 1;
                    if separators > known_separators {
                        self.insert(3, parent, &mut position, None, None, None)?;
                    }
                }
                Node::Bookmark(bookmark) if bookmark.id.is_none() => {
                    self.add(bookmark, parent, &mut position)?;
                }
                Node::Bookmark(_) => {}
            }
        }
        Ok(())
    }

    fn add(&self, bookmark: &Bookmark, parent: i64, position: &mut i64) -> Result<(), FormatError> {
        // A feed that no browser reads any more is kept as an address.
        let url = bookmark.feed_url.as_deref().filter(|_| bookmark.url.is_empty()).unwrap_or(&bookmark.url);
        let place = self.place(url, &bookmark.title)?;
        self.insert(1, parent, position, Some(&bookmark.title), Some(place), bookmark.added_utc)?;
        for tag in &bookmark.tags {
            self.tag(tag, place)?;
        }
        if let Some(keyword) = &bookmark.keyword
            && has_column(self.database, "moz_keywords", "place_id")?
        {
            let sql = "INSERT OR IGNORE INTO moz_keywords (keyword, place_id, post_data) VALUES (?1, ?2, '')";
            self.database.execute(sql, params![keyword, place])?;
        }
        Ok(())
    }

    fn insert(
        &self,
        kind: i64,
        parent: i64,
        position: &mut i64,
        title: Option<&str>,
        place: Option<i64>,
        added_utc: Option<OffsetDateTime>,
    ) -> Result<i64, FormatError> {
        let now = microseconds(self.now_utc);
        let added = added_utc.map_or(now, microseconds);
        // Sync status 1: new, and to be sent to other devices.
        self.database.execute(
            "INSERT INTO moz_bookmarks (type, fk, parent, position, title, dateAdded, lastModified, guid) \
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            params![kind, place, parent, *position, title, added, now, new_guid()?],
        )?;
        let id = self.database.last_insert_rowid();
        *position += 1;
        if has_column(self.database, "moz_bookmarks", "syncStatus")? {
            let sql = "UPDATE moz_bookmarks SET syncStatus = 1, syncChangeCounter = 1 WHERE id = ?1";
            self.database.execute(sql, [id])?;
        }
        if let Some(place) = place {
            let sql = "UPDATE moz_places SET foreign_count = foreign_count + 1 WHERE id = ?1";
            if has_column(self.database, "moz_places", "foreign_count")? {
                self.database.execute(sql, [place])?;
            }
        }
        self.database.execute("UPDATE moz_bookmarks SET lastModified = ?1 WHERE id = ?2", [now, parent])?;
        Ok(id)
    }

    /// The number of an address, which is entered if it is not known.
    fn place(&self, url: &str, title: &str) -> Result<i64, FormatError> {
        let known = "SELECT id FROM moz_places WHERE url = ?1";
        if let Some(id) = self.database.query_row(known, [url], |row| row.get(0)).optional()? {
            return Ok(id);
        }
        self.database.execute(
            "INSERT INTO moz_places (url, title, rev_host, visit_count, hidden, typed, frecency, guid) \
             VALUES (?1, ?2, ?3, 0, 0, 0, -1, ?4)",
            params![url, title, reversed_host(url), new_guid()?],
        )?;
        let id = self.database.last_insert_rowid();
        if has_column(self.database, "moz_places", "url_hash")? {
            self.database
                .execute("UPDATE moz_places SET url_hash = ?1 WHERE id = ?2", params![url_hash(url), id])?;
        }
        // The browser computes how often an address is wanted when it next has time.
        if has_column(self.database, "moz_places", "recalc_frecency")? {
            self.database.execute("UPDATE moz_places SET recalc_frecency = 1 WHERE id = ?1", [id])?;
        }
        if has_column(self.database, "moz_places", "origin_id")?
            && let Some((prefix, host)) = origin(url)
        {
            let sql = "INSERT OR IGNORE INTO moz_origins (prefix, host, frecency) VALUES (?1, ?2, 1)";
            self.database.execute(sql, [&prefix, &host])?;
            let sql = "UPDATE moz_places SET origin_id = (SELECT id FROM moz_origins WHERE prefix = ?1 AND host = ?2) WHERE id = ?3";
            self.database.execute(sql, params![prefix, host, id])?;
        }
        Ok(id)
    }

    fn tag(&self, tag: &str, place: i64) -> Result<(), FormatError> {
        let sql = "SELECT id FROM moz_bookmarks WHERE guid = 'tags________'";
        let Some(root): Option<i64> = self.database.query_row(sql, [], |row| row.get(0)).optional()? else {
            return Ok(());
        };
        let sql = "SELECT id FROM moz_bookmarks WHERE parent = ?1 AND title = ?2 AND type = 2";
        let known = self.database.query_row(sql, params![root, tag], |row| row.get(0)).optional()?;
        let next = |parent: i64| -> Result<i64, FormatError> {
            let sql = "SELECT ifnull(max(position) + 1, 0) FROM moz_bookmarks WHERE parent = ?1";
            Ok(self.database.query_row(sql, [parent], |row| row.get(0))?)
        };
        let folder = match known {
            Some(folder) => folder,
            None => self.insert(2, root, &mut next(root)?, Some(tag), None, None)?,
        };
        let sql = "SELECT count(*) FROM moz_bookmarks WHERE parent = ?1 AND fk = ?2";
        if self.database.query_row(sql, [folder, place], |row| row.get::<_, i64>(0))? == 0 {
            self.insert(1, folder, &mut next(folder)?, None, Some(place), None)?;
        }
        Ok(())
    }
}

fn from_microseconds(at: Option<i64>) -> Option<OffsetDateTime> {
    OffsetDateTime::from_unix_timestamp_nanos(i128::from(at.filter(|at| *at > 0)?) * 1000).ok()
}

fn microseconds(at: OffsetDateTime) -> i64 {
    i64::try_from(at.unix_timestamp_nanos() / 1000).unwrap_or_default()
}

fn new_guid() -> Result<String, FormatError> {
    let mut bytes = [0; 9];
    getrandom::fill(&mut bytes).map_err(|cause| FormatError::damaged("random numbers", cause))?;
    Ok(URL_SAFE_NO_PAD.encode(bytes))
}

/// `https://` and `kites.example:8080`.
fn origin(url: &str) -> Option<(String, String)> {
    let colon = url.find(':')?;
    let rest = &url[colon + 1..];
    let Some(after) = rest.strip_prefix("//") else { return Some((url[..=colon].to_owned(), String::new())) };
    let authority = after.split(['/', '?', '#']).next().unwrap_or_default();
    let host = authority.rsplit('@').next().unwrap_or_default();
    Some((format!("{}//", &url[..=colon]), host.to_lowercase()))
}

/// `elpmaxe.setik.`: how addresses of one site are found together.
fn reversed_host(url: &str) -> String {
    let host = origin(url).map(|(_, host)| host).unwrap_or_default();
    let host = host.split(':').next().unwrap_or_default();
    host.chars().rev().chain(['.']).collect()
}

/// The hash by which an address is found: Mozilla's `HashURL` with its golden-ratio `HashString`
/// (`mfbt/HashFunctions.h`).
pub fn url_hash(url: &str) -> i64 {
    let bytes = &url.as_bytes()[..url.len().min(MOST_HASHED)];
    let whole = u64::from(string_hash(bytes));
    let colon = bytes.iter().position(|byte| *byte == b':');
    let prefix = colon.map_or(0, |colon| u64::from(string_hash(&bytes[..colon]) & 0xffff));
    i64::try_from((prefix << 32) + whole).unwrap_or_default()
}

fn string_hash(bytes: &[u8]) -> u32 {
    const GOLDEN_RATIO: u32 = 0x9e37_79b9;
    bytes.iter().fold(0_u32, |hash, byte| GOLDEN_RATIO.wrapping_mul(hash.rotate_left(5) ^ u32::from(*byte)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bookmarks::merge;

    /// The tables as the browser makes them, those that matter.
    pub(crate) const SCHEMA: &str = "
        CREATE TABLE moz_origins (id INTEGER PRIMARY KEY, prefix TEXT NOT NULL, host TEXT NOT NULL, frecency INTEGER NOT NULL, UNIQUE (prefix, host));
        CREATE TABLE moz_places (id INTEGER PRIMARY KEY, url LONGVARCHAR, title LONGVARCHAR, rev_host LONGVARCHAR, visit_count INTEGER DEFAULT 0,
            hidden INTEGER DEFAULT 0 NOT NULL, typed INTEGER DEFAULT 0 NOT NULL, frecency INTEGER DEFAULT -1 NOT NULL, last_visit_date INTEGER,
            guid TEXT, foreign_count INTEGER DEFAULT 0 NOT NULL, url_hash INTEGER DEFAULT 0 NOT NULL, origin_id INTEGER);
        CREATE TABLE moz_bookmarks (id INTEGER PRIMARY KEY, type INTEGER, fk INTEGER DEFAULT NULL, parent INTEGER, position INTEGER, title LONGVARCHAR,
            keyword_id INTEGER, folder_type TEXT, dateAdded INTEGER, lastModified INTEGER, guid TEXT, syncStatus INTEGER NOT NULL DEFAULT 0,
            syncChangeCounter INTEGER NOT NULL DEFAULT 1);
        CREATE TABLE moz_keywords (id INTEGER PRIMARY KEY AUTOINCREMENT, keyword TEXT UNIQUE, place_id INTEGER, post_data TEXT);
        INSERT INTO moz_bookmarks (id, type, parent, position, title, guid) VALUES (1, 2, 0, 0, '', 'root________'), (2, 2, 1, 0, 'menu', 'menu________'),
            (3, 2, 1, 1, 'toolbar', 'toolbar_____'), (4, 2, 1, 2, 'tags', 'tags________'), (5, 2, 1, 3, 'unfiled', 'unfiled_____'), (6, 2, 1, 4, 'mobile', 'mobile______');";

    #[test]
    fn what_is_merged_is_read_again_with_nesting_order_tags_and_lines_and_merging_again_adds_nothing() {
        let mut database = Connection::open_in_memory().unwrap();
        database.execute_batch(SCHEMA).unwrap();
        let bookmark = |title: &str, tags: &[&str]| {
            Node::Bookmark(Bookmark {
                title: title.to_owned(),
                url: format!("https://{title}.example:8080/x?y#z"),
                added_utc: OffsetDateTime::from_unix_timestamp(1_400_000_000).ok(),
                tags: tags.iter().map(|tag| (*tag).to_owned()).collect(),
                keyword: Some(format!("k{title}")),
                ..Bookmark::default()
            })
        };
        let added_utc = OffsetDateTime::from_unix_timestamp(1_400_000_001).ok();
        let inner = Folder {
            added_utc,
            children: vec![bookmark("b", &[]), bookmark("c", &["sea"])],
            ..Folder::new("Inner")
        };
        let children = vec![bookmark("a", &["sea", "wind"]), Node::Separator, Node::Folder(inner)];
        let from = Bookmarks { toolbar: Folder { children, ..Folder::default() }, ..Bookmarks::default() };
        let now = OffsetDateTime::from_unix_timestamp(1_700_000_000).unwrap();
        for round in 0..2 {
            let mut tree = bookmarks(&database).unwrap();
            assert_eq!(merge(&mut tree, &from).bookmarks, if round == 0 { 3 } else { 0 });
            add_new(&mut database, &tree, now).unwrap();
        }
        let read = bookmarks(&database).unwrap();
        let without_ids = |folder: &Folder| {
            crate::bookmarks::file::to_html(&Bookmarks { menu: folder.clone(), ..Bookmarks::default() })
        };
        assert_eq!(without_ids(&read.toolbar), without_ids(&from.toolbar));
        let counts: (i64, i64) = database
            .query_row(
                "SELECT foreign_count, origin_id NOT NULL FROM moz_places WHERE url LIKE 'https://a.%'",
                [],
                |row| Ok((row.get(0)?, row.get(1)?)),
            )
            .unwrap();
        assert_eq!(counts, (3, 1));
    }

    #[test]
    fn addresses_are_hashed_as_the_browser_hashes_them() {
        // From a database that Firefox 153 made.
        for (url, hash) in [
            ("https://www.mozilla.org/about/", 47_357_608_426_557),
            ("https://support.mozilla.org/products/firefox", 47_358_327_123_126),
        ] {
            assert_eq!(url_hash(url), hash, "{url}");
        }
        assert_eq!(reversed_host("https://odile@Kites.example:8080/x"), "elpmaxe.setik.");
    }

    #[test]
    fn a_tree_in_a_ring_is_damaged_and_one_without_roots_too() {
        let database = Connection::open_in_memory().unwrap();
        database.execute_batch(SCHEMA).unwrap();
        database.execute_batch("INSERT INTO moz_bookmarks (id, type, parent, position) VALUES (9, 2, 3, 0); UPDATE moz_bookmarks SET parent = 9 WHERE id = 3;").unwrap();
        assert!(matches!(bookmarks(&database), Err(FormatError::Damaged { .. })));
        database.execute_batch("DELETE FROM moz_bookmarks").unwrap();
        assert!(bookmarks(&database).unwrap_err().to_string().contains("no roots"));
    }
}
