//! Files of a stranger's machine may hold anything: a reader returns an answer for any bytes.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_formats::bookmarks::file::{from_html, to_html};
use porter_formats::bookmarks::{Bookmark, Bookmarks, Folder, Node, merge};
use porter_formats::chromium::bookmarks::BookmarksFile;
use porter_formats::chromium::local_state::LocalState;
use porter_formats::chromium::{preferences, session};
use porter_formats::gecko::{extensions, logins, moz_lz4, places, prefs, session as gecko_session};
use porter_formats::ini::Ini;
use porter_formats::{property_list, safari, shortcut};
use rusqlite::Connection;
use std::fmt::Write as _;
use time::OffsetDateTime;

/// One reader of files, and a good file to begin with.
struct Reader {
    name: &'static str,
    good: Vec<u8>,
    /// Whether it took the file.
    read: fn(&[u8]) -> bool,
}

fn readers() -> Vec<Reader> {
    let now = OffsetDateTime::UNIX_EPOCH;
    let link = |title: &str| {
        Node::Bookmark(Bookmark {
            title: title.to_owned(),
            url: format!("https://{title}.example/?a=1&b=\"2\""),
            added_utc: Some(now),
            tags: vec!["wind".to_owned(), "sea".to_owned()],
            keyword: Some("t".to_owned()),
            icon: Some("data:image/png;base64,iVBORw0KGgo=".to_owned()),
            ..Bookmark::default()
        })
    };
    let bookmarks = Bookmarks {
        toolbar: Folder { children: vec![link("tides"), Node::Separator], ..Folder::default() },
        menu: Folder {
            children: vec![Node::Folder(Folder { children: vec![link("spars")], ..Folder::new("Loft") })],
            ..Folder::default()
        },
        ..Bookmarks::default()
    };
    let mut chromium = BookmarksFile::empty(now).unwrap();
    chromium.add_new(&bookmarks, now).unwrap();
    let session_json = br#"{"windows":[{"tabs":[{"entries":[{"url":"https://tides.example","title":"Tides"}],"index":1,"lastAccessed":1400000000000}]}]}"#;
    let mut snss = b"SNSS\x03\0\0\0".to_vec();
    for (kind, data) in [
        (
            6_u8,
            [&[0; 4][..], &[7, 0, 0, 0], &[0; 4], &[3, 0, 0, 0], b"a:b\0", &[1, 0, 0, 0], b"T\0"].concat(),
        ),
        (7, vec![7, 0, 0, 0, 0, 0, 0, 0]),
        (16, vec![9, 0, 0, 0]),
    ] {
        snss.extend_from_slice(&(data.len() as u16 + 1).to_le_bytes());
        snss.push(kind);
        snss.extend_from_slice(&data);
    }
    let leaf = "<dict><key>WebBookmarkType</key><string>WebBookmarkTypeLeaf</string><key>URLString</key><string>https://a.example</string></dict>";
    let plist = format!(
        "<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>Children</key><array><dict><key>WebBookmarkType</key>\
         <string>WebBookmarkTypeList</string><key>Title</key><string>BookmarksBar</string><key>Children</key><array>{leaf}</array></dict></array></dict></plist>"
    );
    let settings = br#"{"profile":{"name":"Odile","created_by_version":"120.0"},"extensions":{"settings":{"abc":{"location":1,"path":"x","manifest":{"name":"Tides"}}}},"protection":{"macs":{"homepage":"0"}},"homepage":"https://a.example"}"#;
    vec![
        Reader { name: "bookmark file", good: to_html(&bookmarks).into_bytes(), read: |bytes| {
            from_html(&String::from_utf8_lossy(bytes)).is_ok_and(|read| {
                // Every result can be used: counted, merged, written and read again.
                let mut into = Bookmarks::default();
                merge::merge(&mut into, &read);
                from_html(&to_html(&into)).is_ok_and(|again| again.count() == into.count())
            })
        } },
        Reader { name: "Bookmarks", good: chromium.to_bytes().unwrap(), read: |bytes| {
            BookmarksFile::from_bytes(bytes).and_then(|file| file.bookmarks()).is_ok()
        } },
        Reader { name: "Local State", good: br#"{"profile":{"info_cache":{"Default":{"name":"Odile"}},"last_used":"Default"},"os_crypt":{"encrypted_key":"x"}}"#.to_vec(), read: |bytes| {
            LocalState::from_bytes(bytes).is_ok_and(|mut state| {
                let _ = (state.profiles(), state.last_used().is_some(), state.has_bound_key());
                state.enter("Profile 9", "Tamsin", true).and_then(|()| state.to_bytes()).is_ok()
            })
        } },
        Reader { name: "Preferences", good: settings.to_vec(), read: |bytes| {
            preferences::read(Some(bytes), None).and(preferences::read(None, Some(bytes))).is_ok()
        } },
        Reader { name: "SNSS session", good: snss, read: |bytes| session::tabs(bytes).is_ok() },
        Reader { name: "mozLz4 session", good: moz_lz4::packed(session_json), read: |bytes| gecko_session::tabs(bytes).is_ok() },
        Reader { name: "bare session", good: session_json.to_vec(), read: |bytes| gecko_session::tabs(bytes).is_ok() },
        Reader { name: "extensions.json", good: br#"{"addons":[{"id":"a@b","type":"extension","location":"app-profile","defaultLocale":{"name":"Tides"}}]}"#.to_vec(), read: |bytes| extensions::names(bytes).is_ok() },
        Reader { name: "logins.json", good: br#"{"nextId":3,"logins":[{"id":1},{"id":2}]}"#.to_vec(), read: |bytes| logins::in_json(bytes).is_ok() },
        Reader { name: "Bookmarks.plist", good: plist.into_bytes(), read: |bytes| safari::from_plist(bytes).is_ok() },
        Reader { name: "shortcut", good: shortcut::to_file("https://tides.example/a?b=c"), read: |bytes| shortcut::url_in(bytes).is_ok() },
        Reader { name: "profiles.ini", good: b"[Profile0]\r\nName=default\r\nIsRelative=1\r\nPath=Profiles/a.b\r\n\r\n[General]\r\nVersion=2\r\n".to_vec(), read: |bytes| {
            let mut ini = Ini::from_text(&String::from_utf8_lossy(bytes));
            ini.set("Profile0", "Path", "elsewhere");
            ini.get("Profile0", "Path") == Some("elsewhere")
                && Ini::from_text(&ini.to_text()).get("Profile0", "Path") == Some("elsewhere")
        } },
        Reader { name: "prefs.js", good: b"// odile\r\nuser_pref(\"a.b\", \"C:\\\\Users\");\r\nuser_pref(\"n\", 5);\r\n".to_vec(), read: |bytes| {
            let text = String::from_utf8_lossy(bytes);
            let _ = (prefs::get(&text, "a.b"), prefs::get_text(&text, "a.b"));
            prefs::with_texts(&text, |_, _| prefs::Becomes::Same) == text
        } },
    ]
}

struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % end.max(1)
    }

    /// Some bytes changed, a stretch doubled or taken out, or cut short.
    fn harmed(&mut self, good: &[u8]) -> Vec<u8> {
        let mut bytes = good.to_vec();
        for _ in 0..=self.below(4) {
            let at = self.below(bytes.len());
            let end = (at + 1 + self.below(40)).min(bytes.len());
            match self.below(6) {
                0 => bytes.truncate(at),
                1 => drop(bytes.drain(at..end)),
                2 => {
                    let stretch = bytes[at..end].to_vec();
                    bytes.splice(at..at, stretch);
                }
                3 if !bytes.is_empty() => bytes[at] = [0, 0x7f, 0x80, 0xff][self.below(4)],
                4 => drop(bytes.splice(at..at, b"-9223372036854775809999".iter().copied())),
                _ if !bytes.is_empty() => bytes[at] = b"{}[]<>\"'\\/=:,\n\0"[self.below(15)],
                _ => {}
            }
        }
        bytes
    }
}

#[test]
fn whatever_the_bytes_are_every_reader_answers() {
    for Reader { name, good, read } in readers() {
        assert!(read(&good), "{name}: the good one");
        let mut dice = Dice(name.len() as u64);
        for _ in 0..1500 {
            let bytes = dice.harmed(&good);
            read(&bytes);
        }
        for nothing in [&b""[..], b"\0", b"\xef\xbb\xbf", b"\xff\xfe\0\0", &[0; 100_000], &[b'['; 100_000]] {
            read(nothing);
        }
    }
}

#[test]
fn what_is_nested_without_end_is_refused_and_does_not_exhaust_the_stack() {
    const DEEP: usize = 50_000;
    let html = format!("<!DOCTYPE NETSCAPE-Bookmark-file-1>\n{}", "<DL><DT><H3>a</H3>\n".repeat(DEEP));
    assert!(from_html(&html).is_err());
    let arrays = format!("{}{}", "[".repeat(DEEP), "]".repeat(DEEP));
    let json = format!("{{\"windows\": {arrays}, \"roots\": {arrays}, \"logins\": {arrays}}}");
    assert!(gecko_session::tabs(json.as_bytes()).is_err());
    assert!(BookmarksFile::from_bytes(json.as_bytes()).is_err());
    assert!(LocalState::from_bytes(json.as_bytes()).is_err());
    assert!(preferences::read(Some(json.as_bytes()), None).is_err());
    let plist = format!(
        "<plist version=\"1.0\"><dict><key>Children</key>{}{}</dict></plist>",
        "<array>".repeat(DEEP),
        "</array>".repeat(DEEP)
    );
    assert!(safari::from_plist(plist.as_bytes()).is_err());
    // In a binary list each of these holds the next one twice: 64 of them are more than there is room for
    // anywhere.
    let mut laughs = b"bplist00".to_vec();
    let offsets: Vec<u8> = (0..64).map(|at| 8 + 3 * at).collect();
    (0..63).for_each(|at| laughs.extend_from_slice(&[0xa2, at + 1, at + 1]));
    laughs.extend_from_slice(&[0x51, b'a', 0]);
    let table = laughs.len() as u8;
    laughs.extend_from_slice(&offsets);
    laughs.extend_from_slice(&[0, 0, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 0, 0, 0, 64]);
    laughs.extend_from_slice(&[0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, table]);
    assert!(property_list::from_bytes(&laughs).is_err());
    // The same ones in a row are a list like any other.
    let row = b"bplist00\xa3\x01\x01\x01\x51a\x08\x0c\0\0\0\0\0\0\x01\x01\0\0\0\0\0\0\0\x02\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\x0e";
    assert_eq!(property_list::from_bytes(row).unwrap().as_array().unwrap().len(), 3);

    // Folders below each other in a database.
    let database = Connection::open_in_memory().unwrap();
    let mut sql = String::from(
        "CREATE TABLE moz_places (id INTEGER PRIMARY KEY, url TEXT);
         CREATE TABLE moz_bookmarks (id INTEGER PRIMARY KEY, type INTEGER, fk INTEGER, parent INTEGER, position INTEGER, title TEXT,
            dateAdded INTEGER, guid TEXT);
         INSERT INTO moz_bookmarks (id, type, parent, guid) VALUES (1, 2, 0, 'root________'), (2, 2, 1, 'menu________');",
    );
    for id in 3..2000 {
        let _ = write!(
            sql,
            "INSERT INTO moz_bookmarks (id, type, parent, title) VALUES ({id}, 2, {}, 'a');",
            id - 1
        );
    }
    database.execute_batch(&sql).unwrap();
    assert!(places::bookmarks(&database).is_err());
    // A ring hangs on nothing, and is passed over.
    database
        .execute_batch(
            "DELETE FROM moz_bookmarks WHERE id > 10; UPDATE moz_bookmarks SET parent = 10 WHERE id = 3;",
        )
        .unwrap();
    assert!(places::bookmarks(&database).unwrap().menu.children.is_empty());
}
