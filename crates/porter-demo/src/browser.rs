//! Browsers' profiles, with the tables that the browsers make, and made-up content: the same in every run.

use crate::dice::Dice;
use crate::sqlite::database;
use crate::tree::Tree;
use crate::writing;
use porter_formats::chromium::bookmarks::BookmarksFile;
use porter_formats::gecko::moz_lz4;
use porter_formats::gecko::places::url_hash;
use rusqlite::{Connection, params};
use serde_json::json;
use std::io;

/// One profile.
#[derive(Debug, Clone, Copy)]
pub struct Profile<'p> {
    /// The person's name for it.
    pub name: &'p str,
    /// Its folder.
    pub folder: &'p str,
    /// Pages in its history; a tenth of them are bookmarks.
    pub pages: usize,
    /// Passwords in it.
    pub passwords: usize,
}

/// Where the browser is installed.
const GECKO_PROGRAM: &str = "C:\\Program Files\\Mozilla Firefox";
/// As the browser itself names an installation there.
const GECKO_INSTALLATION: &str = "308046B0AF4A39CB";
/// 2026-10-30 16:00 UTC, in seconds.
pub(crate) const LAST_IN_SECONDS: i64 = 1_793_376_000;
const FROM_1601_IN_SECONDS: i64 = 11_644_473_600;

const SUBJECTS: [&str; 8] = ["sailcloth", "spars", "wind", "tides", "festivals", "knots", "ripstop", "reels"];

fn page(profile: &Profile<'_>, number: usize) -> (String, String) {
    let subject = SUBJECTS[number % SUBJECTS.len()];
    let site = profile.name.to_lowercase().replace(' ', "-");
    (format!("https://{subject}.{site}.example/page/{number}"), format!("About {subject}, page {number}"))
}

/// As Firefox 115 makes its tables.
const PLACES: &str = "
    CREATE TABLE moz_origins (id INTEGER PRIMARY KEY, prefix TEXT NOT NULL, host TEXT NOT NULL, frecency INTEGER NOT NULL, recalc_frecency INTEGER NOT NULL DEFAULT 0, alt_frecency INTEGER, recalc_alt_frecency INTEGER NOT NULL DEFAULT 0, UNIQUE (prefix, host));
    CREATE TABLE moz_places (id INTEGER PRIMARY KEY, url LONGVARCHAR, title LONGVARCHAR, rev_host LONGVARCHAR, visit_count INTEGER DEFAULT 0, hidden INTEGER DEFAULT 0 NOT NULL, typed INTEGER DEFAULT 0 NOT NULL, frecency INTEGER DEFAULT -1 NOT NULL, last_visit_date INTEGER, guid TEXT, foreign_count INTEGER DEFAULT 0 NOT NULL, url_hash INTEGER DEFAULT 0 NOT NULL, description TEXT, preview_image_url TEXT, site_name TEXT, origin_id INTEGER REFERENCES moz_origins(id), recalc_frecency INTEGER NOT NULL DEFAULT 0, alt_frecency INTEGER, recalc_alt_frecency INTEGER NOT NULL DEFAULT 0);
    CREATE TABLE moz_historyvisits (id INTEGER PRIMARY KEY, from_visit INTEGER, place_id INTEGER, visit_date INTEGER, visit_type INTEGER, session INTEGER, source INTEGER DEFAULT 0 NOT NULL, triggeringPlaceId INTEGER);
    CREATE TABLE moz_inputhistory (place_id INTEGER NOT NULL, input LONGVARCHAR NOT NULL, use_count INTEGER, PRIMARY KEY (place_id, input));
    CREATE TABLE moz_bookmarks (id INTEGER PRIMARY KEY, type INTEGER, fk INTEGER DEFAULT NULL, parent INTEGER, position INTEGER, title LONGVARCHAR, keyword_id INTEGER, folder_type TEXT, dateAdded INTEGER, lastModified INTEGER, guid TEXT, syncStatus INTEGER NOT NULL DEFAULT 0, syncChangeCounter INTEGER NOT NULL DEFAULT 1);
    CREATE TABLE moz_bookmarks_deleted (guid TEXT PRIMARY KEY, dateRemoved INTEGER NOT NULL DEFAULT 0);
    CREATE TABLE moz_keywords (id INTEGER PRIMARY KEY AUTOINCREMENT, keyword TEXT UNIQUE, place_id INTEGER, post_data TEXT);
    CREATE TABLE moz_anno_attributes (id INTEGER PRIMARY KEY, name VARCHAR(32) UNIQUE NOT NULL);
    CREATE TABLE moz_annos (id INTEGER PRIMARY KEY, place_id INTEGER NOT NULL, anno_attribute_id INTEGER, content LONGVARCHAR, flags INTEGER DEFAULT 0, expiration INTEGER DEFAULT 0, type INTEGER DEFAULT 0, dateAdded INTEGER DEFAULT 0, lastModified INTEGER DEFAULT 0);
    CREATE TABLE moz_items_annos (id INTEGER PRIMARY KEY, item_id INTEGER NOT NULL, anno_attribute_id INTEGER, content LONGVARCHAR, flags INTEGER DEFAULT 0, expiration INTEGER DEFAULT 0, type INTEGER DEFAULT 0, dateAdded INTEGER DEFAULT 0, lastModified INTEGER DEFAULT 0);
    CREATE TABLE moz_meta (key TEXT PRIMARY KEY, value NOT NULL) WITHOUT ROWID;
    CREATE INDEX moz_places_url_hashindex ON moz_places (url_hash);
    CREATE INDEX moz_places_hostindex ON moz_places (rev_host);
    CREATE INDEX moz_places_visitcount ON moz_places (visit_count);
    CREATE INDEX moz_places_frecencyindex ON moz_places (frecency);
    CREATE INDEX moz_places_lastvisitdateindex ON moz_places (last_visit_date);
    CREATE UNIQUE INDEX moz_places_guid_uniqueindex ON moz_places (guid);
    CREATE INDEX moz_places_originidindex ON moz_places (origin_id);
    CREATE INDEX moz_places_altfrecencyindex ON moz_places (alt_frecency);
    CREATE INDEX moz_historyvisits_placedateindex ON moz_historyvisits (place_id, visit_date);
    CREATE INDEX moz_historyvisits_fromindex ON moz_historyvisits (from_visit);
    CREATE INDEX moz_historyvisits_dateindex ON moz_historyvisits (visit_date);
    CREATE INDEX moz_bookmarks_itemindex ON moz_bookmarks (fk, type);
    CREATE INDEX moz_bookmarks_parentindex ON moz_bookmarks (parent, position);
    CREATE INDEX moz_bookmarks_itemlastmodifiedindex ON moz_bookmarks (fk, lastModified);
    CREATE INDEX moz_bookmarks_dateaddedindex ON moz_bookmarks (dateAdded);
    CREATE UNIQUE INDEX moz_bookmarks_guid_uniqueindex ON moz_bookmarks (guid);
    CREATE UNIQUE INDEX moz_keywords_placepostdata_uniqueindex ON moz_keywords (place_id, post_data);
    CREATE UNIQUE INDEX moz_annos_placeattributeindex ON moz_annos (place_id, anno_attribute_id);
    CREATE UNIQUE INDEX moz_items_annos_itemattributeindex ON moz_items_annos (item_id, anno_attribute_id);
    INSERT INTO moz_bookmarks (id, type, parent, position, title, dateAdded, lastModified, guid, syncStatus) VALUES
        (1, 2, 0, 0, '', 1400000000000000, 1400000000000000, 'root________', 1), (2, 2, 1, 0, 'menu', 1400000000000000, 1400000000000000, 'menu________', 1),
        (3, 2, 1, 1, 'toolbar', 1400000000000000, 1400000000000000, 'toolbar_____', 1), (4, 2, 1, 2, 'tags', 1400000000000000, 1400000000000000, 'tags________', 1),
        (5, 2, 1, 3, 'unfiled', 1400000000000000, 1400000000000000, 'unfiled_____', 1), (6, 2, 1, 4, 'mobile', 1400000000000000, 1400000000000000, 'mobile______', 1);
    PRAGMA user_version = 75;";

/// Twelve characters, the same in every run.
fn guid(of: &str) -> String {
    let mut dice = Dice::named(of);
    (0..12)
        .map(|_| {
            char::from(b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_"[dice.below(64)])
        })
        .collect()
}

fn add_page(database: &Connection, profile: &Profile<'_>, id: usize, visited: bool) -> rusqlite::Result<()> {
    let (url, title) = page(profile, id);
    let host = url.trim_start_matches("https://").split('/').next().unwrap_or_default().to_owned();
    database.execute(
        "INSERT OR IGNORE INTO moz_origins (prefix, host, frecency) VALUES ('https://', ?1, 100)",
        [&host],
    )?;
    let reversed: String = host.chars().rev().chain(['.']).collect();
    let at = (LAST_IN_SECONDS - id as i64 * 3600) * 1_000_000;
    database.execute(
        "INSERT INTO moz_places (id, url, title, rev_host, visit_count, frecency, last_visit_date, guid, url_hash, origin_id) \
         VALUES (?1, ?2, ?3, ?4, ?5, 100, ?6, ?7, ?8, (SELECT id FROM moz_origins WHERE host = ?9))",
        params![id, url, title, reversed, visited, visited.then_some(at), guid(&url), url_hash(&url), host],
    )?;
    if visited {
        database.execute("INSERT INTO moz_historyvisits (from_visit, place_id, visit_date, visit_type) VALUES (0, ?1, ?2, 1)", params![id, at])?;
    }
    Ok(())
}

fn add_row(
    database: &Connection,
    kind: u8,
    parent: i64,
    title: Option<&str>,
    place: Option<usize>,
    name: &str,
) -> rusqlite::Result<i64> {
    let position: i64 =
        database
            .query_row("SELECT count(*) FROM moz_bookmarks WHERE parent = ?1", [parent], |row| row.get(0))?;
    let at = (LAST_IN_SECONDS - 86_400 * (position + 10)) * 1_000_000;
    database.execute(
        "INSERT INTO moz_bookmarks (type, fk, parent, position, title, dateAdded, lastModified, guid) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?6, ?7)",
        params![kind, place, parent, position, title, at, guid(&format!("{name} {parent} {position}"))],
    )?;
    let id = database.last_insert_rowid();
    if let Some(place) = place {
        database.execute("UPDATE moz_places SET foreign_count = foreign_count + 1 WHERE id = ?1", [place])?;
    }
    Ok(id)
}

fn fill_places(database: &Connection, profile: &Profile<'_>) -> rusqlite::Result<()> {
    database.execute_batch(PLACES)?;
    for id in 1..=profile.pages {
        add_page(database, profile, id, true)?;
    }
    let folder = |parent, title: &str| add_row(database, 2, parent, Some(title), None, profile.name);
    let (suppliers, wind) = (folder(3, "Suppliers")?, folder(2, "Wind & weather")?);
    let abroad = folder(suppliers, "Abroad")?;
    add_row(database, 3, 2, None, None, profile.name)?;
    let sea = folder(4, "sea")?;
    for number in 1..=profile.pages.div_ceil(10) {
        let title = page(profile, number).1;
        let parent = [3, 2, 5, suppliers, wind, abroad][number % 6];
        add_row(database, 1, parent, Some(&title), Some(number), profile.name)?;
        if number % 7 == 1 {
            add_row(database, 1, sea, None, Some(number), profile.name)?;
        }
    }
    database.execute("INSERT INTO moz_keywords (keyword, place_id, post_data) VALUES ('k', 1, '')", [])?;
    Ok(())
}

/// A person's profiles of a browser around Gecko, of Windows. The first opens by default, and was torn from
/// its browser; the list names the last one twice by one name.
pub fn gecko(
    tree: &mut Tree,
    root: &str,
    version: &str,
    home: &str,
    profiles: &[Profile<'_>],
) -> io::Result<()> {
    let mut list = String::new();
    let hash = GECKO_INSTALLATION;
    if let Some(first) = profiles.first() {
        list.push_str(&format!("[Install{hash}]\r\nDefault=Profiles/{}\r\nLocked=1\r\n\r\n", first.folder));
        let installs = format!("[{hash}]\r\nDefault=Profiles/{}\r\nLocked=1\r\n\r\n", first.folder);
        tree.file(&format!("{root}/installs.ini"), installs.as_bytes())?;
    }
    for (number, profile) in profiles.iter().enumerate() {
        list.push_str(&format!(
            "[Profile{number}]\r\nName={}\r\nIsRelative=1\r\nPath=Profiles/{}\r\n\r\n",
            profile.name, profile.folder
        ));
        gecko_profile(
            tree,
            &format!("{root}/Profiles/{}", profile.folder),
            version,
            home,
            profile,
            number == 0,
        )?;
    }
    list.push_str("[General]\r\nStartWithLastProfile=1\r\nVersion=2\r\n");
    tree.file(&format!("{root}/profiles.ini"), list.as_bytes())
}

fn gecko_profile(
    tree: &mut Tree,
    at: &str,
    version: &str,
    home: &str,
    profile: &Profile<'_>,
    torn: bool,
) -> io::Result<()> {
    let last = profile.pages + 1;
    let newest = |database: &Connection| {
        add_page(database, profile, last, true)?;
        add_row(database, 1, 3, Some("Ordered just before the crash"), Some(last), profile.name).map(drop)
    };
    database(tree, &format!("{at}/places.sqlite"), torn, |database| fill_places(database, profile), newest)?;
    let icons = "CREATE TABLE moz_icons (id INTEGER PRIMARY KEY, icon_url TEXT NOT NULL, fixed_icon_url_hash INTEGER NOT NULL, width INTEGER NOT NULL DEFAULT 0, root INTEGER NOT NULL DEFAULT 0, color INTEGER, expire_ms INTEGER NOT NULL DEFAULT 0, data BLOB);
        CREATE TABLE moz_pages_w_icons (id INTEGER PRIMARY KEY, page_url TEXT NOT NULL, page_url_hash INTEGER NOT NULL);
        CREATE TABLE moz_icons_to_pages (page_id INTEGER NOT NULL, icon_id INTEGER NOT NULL, expire_ms INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (page_id, icon_id)) WITHOUT ROWID;";
    let picture = crate::picture::png(profile.name, 16, 16);
    let (url, _) = page(profile, 1);
    let nothing = |_: &Connection| Ok(());
    database(
        tree,
        &format!("{at}/favicons.sqlite"),
        false,
        |database| {
            database.execute_batch(icons)?;
            database.execute("INSERT INTO moz_icons (id, icon_url, fixed_icon_url_hash, width, data) VALUES (1, 'https://icons.example/k.png', 1, 16, ?1)", [picture])?;
            database
                .execute("INSERT INTO moz_pages_w_icons VALUES (1, ?1, ?2)", params![url, url_hash(&url)])?;
            database.execute("INSERT INTO moz_icons_to_pages (page_id, icon_id) VALUES (1, 1)", []).map(drop)
        },
        nothing,
    )?;
    let keys = "CREATE TABLE metaData (id PRIMARY KEY UNIQUE ON CONFLICT REPLACE, item1, item2); CREATE TABLE nssPrivate (id PRIMARY KEY UNIQUE ON CONFLICT ABORT, a0, a1, a2);";
    database(
        tree,
        &format!("{at}/key4.db"),
        false,
        |database| {
            database.execute_batch(keys)?;
            let salt = writing::noise(at, 20);
            database
                .execute(
                    "INSERT INTO metaData VALUES ('password', ?1, ?2)",
                    params![salt, writing::noise("check", 82)],
                )
                .map(drop)
        },
        nothing,
    )?;
    let login = |number: usize| {
        json!({
            "id": number, "hostname": page(profile, number).0, "httpRealm": null, "formSubmitURL": "", "usernameField": "name", "passwordField": "word",
            "encryptedUsername": "MDoEEPgAAAAAAAAAAAAAAAAAAAEwFAYIKoZIhvcNAwcECA==", "encryptedPassword": "MDoEEPgAAAAAAAAAAAAAAAAAAAEwFAYIKoZIhvcNAwcECA==",
            "guid": format!("{{{}}}", guid(&format!("{at} {number}"))), "encType": 1, "timeCreated": 1_400_000_000_000_i64,
            "timeLastUsed": 1_700_000_000_000_i64, "timePasswordChanged": 1_400_000_000_000_i64, "timesUsed": 3,
        })
    };
    let logins: Vec<_> = (1..=profile.passwords).map(login).collect();
    let logins = json!({ "nextId": profile.passwords + 1, "logins": logins, "potentiallyVulnerablePasswords": [], "version": 3 });
    tree.file(&format!("{at}/logins.json"), logins.to_string().as_bytes())?;
    let cookies = "CREATE TABLE moz_cookies (id INTEGER PRIMARY KEY, originAttributes TEXT NOT NULL DEFAULT '', name TEXT, value TEXT, host TEXT, path TEXT, expiry INTEGER, lastAccessed INTEGER, creationTime INTEGER, isSecure INTEGER, isHttpOnly INTEGER, inBrowserElement INTEGER DEFAULT 0, sameSite INTEGER DEFAULT 0, rawSameSite INTEGER DEFAULT 0, schemeMap INTEGER DEFAULT 0); PRAGMA user_version = 12;
         INSERT INTO moz_cookies (name, value, host, path, expiry, isSecure, isHttpOnly) VALUES ('tide', 'high', '.windrose.example', '/', 1900000000, 1, 1), ('loft', 'east', 'saltmarsh.example', '/board', 1900000000, 0, 0);";
    database(
        tree,
        &format!("{at}/cookies.sqlite"),
        false,
        |database| database.execute_batch(cookies),
        nothing,
    )?;
    let windows_home = format!("C:\\Users\\{}", home.rsplit('/').next().unwrap_or_default());
    let extensions = json!({ "schemaVersion": 35, "addons": [
        { "id": "tides@windrose.example", "version": "1.4", "type": "extension", "location": "app-profile", "defaultLocale": { "name": "Tide table" },
          "path": format!("{windows_home}\\AppData\\Roaming\\Mozilla\\Firefox\\Profiles\\{}\\extensions\\tides@windrose.example.xpi", profile.folder) },
        { "id": "default-theme@mozilla.org", "type": "theme", "location": "app-builtin", "defaultLocale": { "name": "System theme" } },
    ] });
    tree.file(&format!("{at}/extensions.json"), extensions.to_string().as_bytes())?;
    tree.file(&format!("{at}/extensions/tides@windrose.example.xpi"), &writing::noise("tides", 9000))?;
    let prefs = format!(
        "// Mozilla User Preferences\r\n\r\nuser_pref(\"browser.startup.homepage\", \"https://saltmarsh.example/\");\r\n\
         user_pref(\"browser.download.dir\", \"{}\");\r\nuser_pref(\"browser.download.folderList\", 2);\r\n\
         user_pref(\"print.save_print_settings\", true);\r\n",
        format!("{windows_home}\\Downloads\\From {}", profile.name).replace('\\', "\\\\")
    );
    tree.file(&format!("{at}/prefs.js"), prefs.as_bytes())?;
    let compatibility = format!(
        "[Compatibility]\r\nLastVersion={version}_20240606181944/20240606181944\r\nLastOSABI=WINNT_x86_64-msvc\r\n\
         LastPlatformDir={GECKO_PROGRAM}\r\nLastAppDir={GECKO_PROGRAM}\\browser\r\n"
    );
    tree.file(&format!("{at}/compatibility.ini"), compatibility.as_bytes())?;
    tree.file(&format!("{at}/times.json"), b"{\"created\":1400000000000,\"firstUse\":1400000000000}")?;
    let (url, title) = page(profile, 1);
    let session = json!({ "version": ["sessionrestore", 1], "windows": [{ "selected": 1, "tabs": [
        { "entries": [{ "url": url, "title": title }], "index": 1, "lastAccessed": LAST_IN_SECONDS * 1000 } ] }] });
    tree.file(&format!("{at}/sessionstore.jsonlz4"), &moz_lz4::packed(session.to_string().as_bytes()))?;
    tree.file(&format!("{at}/parent.lock"), b"")?;
    tree.file(&format!("{at}/datareporting/state.json"), b"{}")?;
    tree.file(&format!("{at}/startupCache/startupCache.8.little"), &writing::noise("startup", 20_000))
}

const HISTORY: &str = "
    CREATE TABLE meta (key LONGVARCHAR NOT NULL UNIQUE PRIMARY KEY, value LONGVARCHAR);
    CREATE TABLE urls (id INTEGER PRIMARY KEY AUTOINCREMENT, url LONGVARCHAR, title LONGVARCHAR, visit_count INTEGER DEFAULT 0 NOT NULL, typed_count INTEGER DEFAULT 0 NOT NULL, last_visit_time INTEGER NOT NULL, hidden INTEGER DEFAULT 0 NOT NULL);
    CREATE TABLE visits (id INTEGER PRIMARY KEY AUTOINCREMENT, url INTEGER NOT NULL, visit_time INTEGER NOT NULL, from_visit INTEGER, transition INTEGER DEFAULT 0 NOT NULL, segment_id INTEGER, visit_duration INTEGER DEFAULT 0 NOT NULL);
    CREATE INDEX urls_url_index ON urls (url);
    CREATE INDEX visits_url_index ON visits (url);
    INSERT INTO meta VALUES ('version', '58'), ('last_compatible_version', '16');";
const LOGINS: &str = "
    CREATE TABLE meta (key LONGVARCHAR NOT NULL UNIQUE PRIMARY KEY, value LONGVARCHAR);
    CREATE TABLE logins (origin_url VARCHAR NOT NULL, action_url VARCHAR, username_element VARCHAR, username_value VARCHAR, password_element VARCHAR, password_value BLOB, submit_element VARCHAR, signon_realm VARCHAR NOT NULL, date_created INTEGER NOT NULL, blacklisted_by_user INTEGER NOT NULL, scheme INTEGER NOT NULL, password_type INTEGER, times_used INTEGER, form_data BLOB, display_name VARCHAR, icon_url VARCHAR, federation_url VARCHAR, skip_zero_click INTEGER, generation_upload_status INTEGER, possible_username_pairs BLOB, id INTEGER PRIMARY KEY AUTOINCREMENT, date_last_used INTEGER NOT NULL DEFAULT 0, moving_blocked_for BLOB, date_password_modified INTEGER NOT NULL DEFAULT 0, UNIQUE (origin_url, username_element, username_value, password_element, signon_realm));
    CREATE INDEX logins_signon ON logins (signon_realm);
    INSERT INTO meta VALUES ('version', '33'), ('last_compatible_version', '33');";

/// A person's profiles of a browser around Chromium, of Windows. The first opens by default.
pub fn chromium(
    tree: &mut Tree,
    root: &str,
    version: &str,
    home: &str,
    profiles: &[Profile<'_>],
) -> io::Result<()> {
    let cache: serde_json::Map<_, _> = profiles
        .iter()
        .map(|profile| (profile.folder.to_owned(), json!({ "name": profile.name, "is_using_default_name": false, "active_time": LAST_IN_SECONDS })))
        .collect();
    let state = json!({
        "os_crypt": { "encrypted_key": "RFBBUEkBAAAA0Iyd3wEV0RGMegDAT8KX6wEAAAA=" },
        "profile": { "info_cache": cache, "last_used": profiles.first().map(|profile| profile.folder), "profiles_created": profiles.len() },
    });
    tree.file(&format!("{root}/Local State"), state.to_string().as_bytes())?;
    tree.file(&format!("{root}/Last Version"), version.as_bytes())?;
    tree.file(&format!("{root}/First Run"), b"")?;
    for profile in profiles {
        chromium_profile(tree, &format!("{root}/{}", profile.folder), version, home, profile)?;
    }
    tree.file(&format!("{root}/GrShaderCache/data_1"), &writing::noise("shader", 30_000))
}

fn chromium_profile(
    tree: &mut Tree,
    at: &str,
    version: &str,
    home: &str,
    profile: &Profile<'_>,
) -> io::Result<()> {
    let micros = |number: usize| (LAST_IN_SECONDS + FROM_1601_IN_SECONDS - number as i64 * 3600) * 1_000_000;
    let nothing = |_: &Connection| Ok(());
    database(
        tree,
        &format!("{at}/History"),
        false,
        |database| {
            database.execute_batch(HISTORY)?;
            for number in 1..=profile.pages {
                let (url, title) = page(profile, number);
                database.execute("INSERT INTO urls (id, url, title, visit_count, last_visit_time) VALUES (?1, ?2, ?3, 1, ?4)", params![number, url, title, micros(number)])?;
                database.execute(
                    "INSERT INTO visits (url, visit_time) VALUES (?1, ?2)",
                    params![number, micros(number)],
                )?;
            }
            Ok(())
        },
        nothing,
    )?;
    database(
        tree,
        &format!("{at}/Login Data"),
        false,
        |database| {
            database.execute_batch(LOGINS)?;
            for number in 1..=profile.passwords {
                let (url, _) = page(profile, number);
                let bound = [b"v10".to_vec(), writing::noise(&url, 32)].concat();
                database.execute(
                    "INSERT INTO logins (origin_url, username_element, username_value, password_element, password_value, signon_realm, date_created, blacklisted_by_user, scheme) \
                     VALUES (?1, 'name', 'odile', 'word', ?2, ?1, ?3, 0, 0)",
                    params![url, bound, micros(number)],
                )?;
            }
            Ok(())
        },
        nothing,
    )?;
    let node = |number: usize| {
        let (url, title) = page(profile, number);
        json!({ "date_added": micros(number).to_string(), "date_last_used": "0", "guid": format!("00000000-0000-4000-8000-{number:012x}"), "id": (number + 100).to_string(), "name": title, "type": "url", "url": url })
    };
    let folder = |id: u32, name: &str, children: Vec<serde_json::Value>| json!({ "children": children, "date_added": micros(0).to_string(), "date_last_used": "0", "date_modified": "0", "guid": format!("00000000-0000-4000-a000-{id:012x}"), "id": id.to_string(), "name": name, "type": "folder" });
    let count = profile.pages.div_ceil(10);
    let (bar, rest): (Vec<_>, Vec<_>) = (1..=count).map(node).enumerate().partition(|(at, _)| at % 3 == 0);
    let plain =
        |rows: Vec<(usize, serde_json::Value)>| rows.into_iter().map(|(_, row)| row).collect::<Vec<_>>();
    let bookmarks = json!({ "roots": {
        "bookmark_bar": folder(1, "Bookmarks bar", plain(bar)),
        "other": folder(2, "Other bookmarks", vec![folder(4, "Suppliers", plain(rest))]),
        "synced": folder(3, "Mobile bookmarks", Vec::new()),
    }, "version": 1 });
    let file = BookmarksFile::from_bytes(bookmarks.to_string().as_bytes()).and_then(|file| file.to_bytes());
    tree.file(&format!("{at}/Bookmarks"), &file.map_err(io::Error::other)?)?;
    let windows_home = format!("C:\\Users\\{}", home.rsplit('/').next().unwrap_or_default());
    let preferences = json!({
        "profile": { "name": profile.name, "created_by_version": version, "exit_type": "Normal" },
        "download": { "default_directory": format!("{windows_home}\\Downloads") },
        "savefile": { "default_directory": format!("{windows_home}\\Documents\\Kites") },
    });
    tree.file(&format!("{at}/Preferences"), preferences.to_string().as_bytes())?;
    let secure = json!({
        "homepage": "https://saltmarsh.example/",
        "extensions": { "settings": { "kfhmnopqabcdefghijklaaaabbbbcccc": { "location": 1, "path": "kfhmnopqabcdefghijklaaaabbbbcccc\\1.4_0", "manifest": { "name": "Tide table", "version": "1.4" } } } },
        "protection": { "macs": { "homepage": "0000", "extensions": { "settings": { "kfhmnopqabcdefghijklaaaabbbbcccc": "0000" } } }, "super_mac": "0000" },
    });
    tree.file(&format!("{at}/Secure Preferences"), secure.to_string().as_bytes())?;
    tree.file(
        &format!("{at}/Extensions/kfhmnopqabcdefghijklaaaabbbbcccc/1.4_0/manifest.json"),
        b"{\"name\":\"Tide table\",\"version\":\"1.4\",\"manifest_version\":3}",
    )?;
    for number in 0..profile.pages.min(60) {
        let path = format!("{at}/Cache/Cache_Data/f_{number:06x}");
        tree.file(&path, &writing::noise(&path, 16_000))?;
    }
    tree.file(&format!("{at}/Code Cache/js/index"), &writing::noise(at, 8000))
}
