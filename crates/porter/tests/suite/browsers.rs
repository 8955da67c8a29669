//! Browsers' profiles, from the survey to the proof.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use rusqlite::Connection;
use serde_json::Value;
use std::fs;

const FIREFOX: &str = "Users/odile/AppData/Roaming/Mozilla/Firefox";
const CHROME: &str = "Users/odile/AppData/Local/Google/Chrome/User Data";
const RESTORE: [&str; 7] =
    ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];

#[track_caller]
fn item<'v>(json: &'v Value, id: &str) -> &'v Value {
    let items = json["items"].as_array().unwrap();
    items.iter().find(|item| item["id"] == id).unwrap_or_else(|| panic!("no {id}"))
}

fn codes(item: &Value) -> Vec<&str> {
    item["cautions"].as_array().unwrap().iter().map(|caution| caution["code"].as_str().unwrap()).collect()
}

#[test]
fn each_profile_is_an_item_that_tells_what_it_holds_and_what_will_not_come_along() {
    let bench = Workbench::with_demo_machines();
    let before = bench.snapshot("LOFT-PC");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
    assert_eq!(bench.snapshot("LOFT-PC"), before, "a survey only reads");

    // The newest bookmark stands only in the log of a database that was torn from its browser.
    let first = item(&survey, "odile/browser/firefox/default-release");
    assert_eq!(
        (&first["counts"]["bookmarks"], &first["counts"]["pages in history"]),
        (&3.into(), &21.into())
    );
    assert_eq!((&first["facts"]["passwords"], &first["facts"]["default"]), (&"travel".into(), &"yes".into()));
    assert_eq!(first["facts"]["extensions"], "Tide table");
    assert!(first["left_size_in_bytes"].as_u64().unwrap() > 20_000, "caches are counted, and left");
    // Two of one name are two.
    assert_eq!(item(&survey, "odile/browser/firefox/work")["counts"]["passwords"], 4);
    assert_eq!(item(&survey, "odile/browser/firefox/work-2")["counts"]["passwords"], 1);
    let chrome = item(&survey, "odile/browser/chrome/odile");
    assert_eq!(
        (&chrome["facts"]["passwords"], &chrome["counts"]["passwords"]),
        (&"bound-to-windows".into(), &6.into())
    );
    let said = bench.porter(&["survey", "LOFT-PC"]).with_status(0).out;
    assert!(said.contains("passwords and cookies are bound to this Windows account"), "{said}");
}

#[test]
fn what_is_damaged_missing_or_changed_by_hand_is_named_and_all_of_it_is_carried() {
    let bench = Workbench::with_demo_machines();
    let places = format!("LOFT-PC/{FIREFOX}/Profiles/p0w4yt9c.work/places.sqlite");
    let mut content = fs::read(bench.path(&places)).unwrap();
    content.truncate(9000);
    bench.write(&places, &content);
    let bookmarks = format!("LOFT-PC/{CHROME}/Default/Bookmarks");
    bench.write(&bookmarks, bench.read(&bookmarks).replace("About spars", "About others"));
    let list = format!("LOFT-PC/{FIREFOX}/profiles.ini");
    bench.write(
        &list,
        bench.read(&list) + "\r\n[Profile9]\r\nName=gone\r\nIsRelative=0\r\nPath=E:\\Old\\gone\r\n",
    );
    bench.write(&format!("LOFT-PC/{FIREFOX}/Profiles/by hand/prefs.js"), "");

    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
    assert_eq!(codes(item(&survey, "odile/browser/firefox/work")), ["profile-damaged"]);
    assert_eq!(codes(item(&survey, "odile/browser/chrome/odile")), ["profile-damaged"]);
    let beside = item(&survey, "odile/browser/firefox");
    assert_eq!(
        (codes(beside), &beside["cautions"][0]["path"]),
        (vec!["profile-missing"], &"E:/Old/gone".into())
    );
    item(&survey, "odile/browser/firefox/by-hand");

    bench.porter(&["capture", "LOFT-PC", "trunk", "--quiet"]).with_status(0);
    bench.porter(&RESTORE).with_status(0);
    let landed = format!("TIDEWATER/{FIREFOX}/Profiles/p0w4yt9c.work/places.sqlite");
    assert_eq!(fs::read(bench.path(&landed)).unwrap(), content);
    let checked = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(3).json();
    assert_eq!(item(&checked, "odile/browser/firefox/work")["verdict"], "changed");
    assert!(checked.to_string().contains("places.sqlite is not whole"), "{checked}");
}

#[test]
fn profiles_are_entered_beside_those_of_the_new_machine_and_proved_there() {
    let bench = Workbench::with_trunk();
    bench.porter(&RESTORE).with_status(0);
    let list = bench.read(&format!("TIDEWATER/{FIREFOX}/profiles.ini"));
    assert!(
        list.starts_with("[Install308046B0AF4A39CB]\r\nDefault=Profiles/n3wf1r3f.default-release\r\n"),
        "{list}"
    );
    assert!(
        list.contains("Name=default-release-2\r\nIsRelative=1\r\nPath=Profiles/k7r2m1xw.default-release\r\n"),
        "{list}"
    );
    let state = bench.read(&format!("TIDEWATER/{CHROME}/Local State"));
    assert!(state.contains(r#""last_used":"Default""#) && !state.contains("encrypted_key"), "{state}");
    // Paths follow to the account's new name.
    let chrome = "TIDEWATER/Users/tamsin.okafor/AppData/Local/Google/Chrome/User Data/Default/Preferences";
    assert!(bench.read(chrome).contains(r"C:\\Users\\tamsin.okafor\\Downloads"), "{}", bench.read(chrome));

    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    let first = item(&receipt, "odile/browser/firefox/default-release");
    assert_eq!((&first["verdict"], &first["counts"][0]["landed"]), (&"landed".into(), &3.into()));
    let by_hand = receipt["browsers_by_hand"].to_string();
    assert!(
        by_hand.contains("choose “default-release-2”") && by_hand.contains("6 saved passwords stayed bound"),
        "{by_hand}"
    );

    // A profile that somebody takes off the browser's list is noticed, and entered again by the same restore;
    // the profile that opens by default changes only on request.
    let without = list.replace("Path=Profiles/p0w4yt9c.work", "Path=Profiles/elsewhere");
    bench.write(&format!("TIDEWATER/{FIREFOX}/profiles.ini"), without);
    let checked = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(3).json();
    assert_eq!(item(&checked, "odile/browser/firefox/work")["verdict"], "changed");
    let again = [&RESTORE[..], &["--restored-profiles-open", "--json"]].concat();
    assert_eq!(
        bench.porter(&again).with_status(0).json()["written"]["files"],
        4,
        "two lists for each program"
    );
    let list = bench.read(&format!("TIDEWATER/{FIREFOX}/profiles.ini"));
    assert!(
        list.starts_with("[Install308046B0AF4A39CB]\r\nDefault=Profiles/k7r2m1xw.default-release\r\n"),
        "{list}"
    );
    bench.porter(&["check", "trunk", "TIDEWATER", "--quiet"]).with_status(0);
}

#[test]
fn bookmarks_of_all_browsers_go_into_one_without_duplicates_and_an_undo_takes_them_back() {
    let bench = Workbench::with_trunk();
    let profile = format!("TIDEWATER/{FIREFOX}/Profiles/n3wf1r3f.default-release");
    let state =
        || ["", "-wal"].map(|log| fs::read(bench.path(&format!("{profile}/places.sqlite{log}"))).ok());
    let before = state();
    let count = || {
        let survey =
            bench.porter(&["survey", "TIDEWATER", "--account", "odile", "--json"]).with_status(0).json();
        item(&survey, "odile/browser/firefox/default-release")["counts"]["bookmarks"].as_u64().unwrap()
    };
    let own = count();
    let into = [
        "restore",
        "trunk",
        "TIDEWATER",
        "--account",
        "odile",
        "--yes",
        "--json",
        "--bookmarks-into",
        "firefox",
    ];
    let tried = bench.porter(&[&into[..], &["--try"]].concat()).with_status(0).json();
    let added = tried["merged"][0]["bookmarks"].as_u64().unwrap();
    assert!(added > 5, "{tried}");
    bench.porter(&into).with_status(0);
    assert_eq!(count(), own + added);
    let written = Connection::open(bench.path(&format!("{profile}/places.sqlite"))).unwrap();
    assert_eq!(written.query_row("PRAGMA integrity_check", [], |row| row.get::<_, String>(0)).unwrap(), "ok");
    drop(written);
    let tried = bench.porter(&[&into[..], &["--try"]].concat()).with_status(0).json();
    assert_eq!(tried["merged"][0]["bookmarks"], 0, "a second time adds nothing");
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert!(state() == before, "the database, or its log, is not what it was");
}

#[test]
fn favourites_and_profiles_give_files_for_any_browser() {
    let bench = Workbench::with_trunk();
    let profile = "odile/browser/firefox/default-release";
    bench.porter(&["take", "trunk", profile, "marks.html", "--as", "bookmarks"]).with_status(0);
    let html = bench.read("marks.html");
    assert!(
        html.contains("Ordered just before the crash") && html.contains("ICON=\"data:image/png;base64,"),
        "{html}"
    );
    let tabs = bench.porter(&["take", "trunk", profile, "-", "--as", "tabs"]).with_status(0).out;
    assert!(tabs.contains("https://spars.default-release.example/page/1"), "{tabs}");
    let history = bench
        .porter(&["take", "trunk", "odile/browser/chrome/odile", "-", "--as", "history"])
        .with_status(0)
        .out;
    assert_eq!(history.matches("<li>").count(), 5);
    let favourites = bench
        .porter(&["take", "trunk", "odile/folder/favourites", "-", "--as", "bookmarks"])
        .with_status(0)
        .out;
    assert!(favourites.contains("<DT><A HREF=\"http"), "{favourites}");
    let cookies = bench.porter(&["take", "trunk", profile, "-", "--as", "cookies"]).with_status(0).out;
    let tide = "#HttpOnly_.windrose.example\tTRUE\t/\tTRUE\t1900000000\ttide\thigh";
    assert!(cookies.lines().any(|line| line == tide) && cookies.lines().count() == 3, "{cookies}");
    // Chrome's open with the old account's key only.
    bench.porter(&["take", "trunk", "odile/browser/chrome/odile", "-", "--as", "cookies"]).with_status(2);
    bench.porter(&["take", "trunk", profile, "marks.html", "--as", "bookmarks"]).with_status(1);
    bench.porter(&["take", "trunk", "odile/folder/pictures", "x.html", "--as", "tabs"]).with_status(2);
    assert!(!bench.path("x.html").exists());
}

#[test]
fn a_profile_of_a_later_version_stays_in_the_trunk_and_its_bookmarks_may_come_alone() {
    let bench = Workbench::with_trunk();
    bench.write("TIDEWATER/Program Files/Mozilla Firefox/application.ini", "[App]\r\nVersion=91.0\r\n");
    let only = [&RESTORE[..], &["--only", "odile/browser/firefox/default-release"]].concat();
    let said = bench.porter(&only).with_status(3);
    assert!(
        said.out.contains("version 115.12.0 has used it, and version 91.0 here would refuse it"),
        "{}",
        said.out
    );
    assert!(!bench.path(&format!("TIDEWATER/{FIREFOX}/Profiles/k7r2m1xw.default-release")).exists());
    let said = bench
        .porter(&[&only[..], &["--newer-profiles", "bookmarks", "--json"]].concat())
        .with_status(3)
        .json();
    assert_eq!(said["written"]["files"], 1, "the database that the bookmarks were added to");
    bench.porter(&[&only[..], &["--newer-profiles", "carry"]].concat()).with_status(0);
    assert!(bench.path(&format!("TIDEWATER/{FIREFOX}/Profiles/k7r2m1xw.default-release")).exists());
}

#[test]
fn the_bookmarks_of_two_later_profiles_come_into_one_browser_together() {
    let bench = Workbench::with_trunk();
    bench.write("TIDEWATER/Program Files/Mozilla Firefox/application.ini", "[App]\r\nVersion=91.0\r\n");
    let two = ["--only", "odile/browser/firefox/default-release", "--only", "odile/browser/firefox/work"];
    let plan = bench
        .porter(&[&RESTORE[..], &two, &["--newer-profiles", "bookmarks", "--try", "--json"]].concat())
        .with_status(3)
        .json();
    let added = plan["merged"][0]["bookmarks"].as_u64().unwrap();
    assert_eq!(plan["merged"].as_array().unwrap().len(), 1, "{plan}");
    let said = bench
        .porter(&[&RESTORE[..], &two, &["--newer-profiles", "bookmarks", "--json"]].concat())
        .with_status(3)
        .json();
    assert_eq!(said["written"]["files"], 1, "one database has both: {said}");
    let one = [&RESTORE[..], &two[..2], &["--newer-profiles", "bookmarks", "--try", "--json"]].concat();
    let of_one = bench.porter(&one).with_status(3).json();
    assert_eq!(of_one["merged"][0]["bookmarks"], 0, "all of the first are there after both came: {of_one}");
    assert!(added > of_one["merged"][0]["were_there"].as_u64().unwrap(), "{plan} {of_one}");
}

/// A machine with one profile, which nobody has open.
#[cfg(unix)]
fn work_profile(bench: &Workbench) -> String {
    bench.empty_machine("PC", "odile");
    let list = "[Profile0]\nName=work\nIsRelative=1\nPath=Profiles/ab.work\n";
    bench.write(&format!("PC/{FIREFOX}/profiles.ini"), list);
    let profile = format!("PC/{FIREFOX}/Profiles/ab.work");
    bench.write(&format!("{profile}/prefs.js"), "");
    bench.write(&format!("{profile}/.parentlock"), "");
    profile
}

/// Holds the lock that a browser holds while it runs.
#[cfg(unix)]
fn held_lock(bench: &Workbench, profile: &str) -> fs::File {
    let lock = fs::File::options().write(true).open(bench.path(&format!("{profile}/.parentlock"))).unwrap();
    rustix::fs::fcntl_lock(&lock, rustix::fs::FlockOperation::LockExclusive).unwrap();
    lock
}

/// A browser that holds its lock and has written to its log.
#[cfg(unix)]
#[test]
fn a_profile_in_use_is_told_and_captured_as_it_was_at_one_moment() {
    let bench = Workbench::new();
    let profile = work_profile(&bench);
    let open = Connection::open(bench.path(&format!("{profile}/cookies.sqlite"))).unwrap();
    open.execute_batch("PRAGMA journal_mode = WAL; PRAGMA wal_autocheckpoint = 0; CREATE TABLE c (name TEXT); INSERT INTO c VALUES ('kite')")
        .unwrap();
    bench.porter(&["capture", "PC", "closed", "--quiet"]).with_status(0);
    let held = bench.porter(&["look", "closed", "--find", "*-wal"]).with_status(0).out;
    assert!(
        held.contains("cookies.sqlite-wal"),
        "of a browser that is closed, all files are carried: {held}"
    );

    let _lock = held_lock(&bench, &profile);
    let said = bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    assert!(said.err.contains("odile/browser/firefox/work: Firefox is running"), "{}", said.err);
    bench.porter(&["take", "trunk", "odile/browser/firefox/work", "out"]).with_status(0);
    let out = "out/Mozilla/Firefox/Profiles/ab.work";
    assert!(!bench.path(&format!("{out}/cookies.sqlite-wal")).exists());
    let alone = Connection::open(bench.path(&format!("{out}/cookies.sqlite"))).unwrap();
    assert_eq!(alone.query_row("SELECT name FROM c", [], |row| row.get::<_, String>(0)).unwrap(), "kite");
}

#[test]
fn caches_are_counted_and_never_read() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.write(&format!("PC/{CHROME}/Default/Preferences"), "{}");
    for cache in ["Cache/Cache_Data", "Code Cache/js", "Service Worker/CacheStorage/a", "GPUCache"] {
        let path = format!("PC/{CHROME}/Default/{cache}/data");
        bench.write(&path, "");
        fs::File::options().write(true).open(bench.path(&path)).unwrap().set_len(7 << 30).unwrap();
    }
    let report = bench.porter(&["capture", "PC", "trunk", "--json"]).with_status(0).json();
    assert_eq!(report["left"]["bytes"].as_u64().unwrap(), 28 << 30, "{report}");
    assert!(report["captured"]["bytes"].as_u64().unwrap() < 1000, "{report}");
}

#[test]
fn safari_stays_in_the_trunk_elsewhere_and_its_bookmarks_become_favourites() {
    let bench = Workbench::new();
    porter_demo::build_sailroom(&bench.path("SAILROOM"), porter_demo::DemoSize::Small).unwrap();
    porter_demo::build_tidewater(&bench.path("TIDEWATER")).unwrap();
    let survey = bench.porter(&["survey", "SAILROOM", "--json"]).with_status(0).json();
    assert_eq!(item(&survey, "tamsin/browser/safari")["counts"]["bookmarks"], 5);
    bench.porter(&["capture", "SAILROOM", "trunk", "--account", "tamsin", "--quiet"]).with_status(0);
    let into = [&RESTORE[..], &["--bookmarks-into", "favourites", "--json"]].concat();
    let done = bench.porter(&into).with_status(0).json();
    assert!(!bench.path("TIDEWATER/Users/tamsin.okafor/Library/Safari").exists());
    let favourites = "TIDEWATER/Users/tamsin.okafor/Favorites";
    let cloth = bench.read(&format!("{favourites}/Links/Cloths/Spinnaker.url"));
    assert_eq!(cloth, "[InternetShortcut]\r\nURL=https://spinnaker.example/\r\n");
    assert!(bench.path(&format!("{favourites}/Tides.url")).exists());
    assert!(bench.path(&format!("{favourites}/Other bookmarks/Reading List/How to cut a sail.url")).exists());
    assert!(done["written"]["files"].as_u64().unwrap() > 5, "{done}");
    let again = bench.porter(&into).with_status(0).json();
    assert_eq!(again["written"]["files"], 0, "{again}");
    let tried = bench.porter(&[&into[..], &["--try"]].concat()).with_status(0).json();
    assert_eq!(
        (&tried["merged"][0]["bookmarks"], &tried["merged"][0]["were_there"]),
        (&0.into(), &5.into()),
        "{tried}"
    );
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    assert!(
        receipt["browsers_by_hand"].to_string().contains("Safari is not on this system"),
        "{}",
        receipt["browsers_by_hand"]
    );
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(&format!("{favourites}/Links")).exists());
    bench.porter(&[&RESTORE[..], &["--bookmarks-into", "kitebrowser"]].concat()).with_status(2);
}

/// Safari counts seconds from 2001, and keeps the titles with the visits.
#[test]
fn safaris_history_becomes_a_page_with_the_latest_visit_of_each_address_first() {
    let bench = Workbench::new();
    porter_demo::build_sailroom(&bench.path("SAILROOM"), porter_demo::DemoSize::Small).unwrap();
    let at = bench.path("SAILROOM/Users/tamsin/Library/Safari/History.db");
    let database = Connection::open(&at).unwrap();
    database
        .execute_batch(
            "CREATE TABLE history_items (id INTEGER PRIMARY KEY, url TEXT NOT NULL);
             CREATE TABLE history_visits (id INTEGER PRIMARY KEY, history_item INTEGER, visit_time REAL, title TEXT);
             INSERT INTO history_items VALUES (1, 'https://cloth.example/?a=1&b=2'), (2, 'https://tides.example/');
             INSERT INTO history_visits VALUES
                 (1, 1, 353548800.5, 'Old title'), (2, 1, 353721600.25, '<Sail> cloth'), (3, 2, 353635200.0, NULL);",
        )
        .unwrap();
    drop(database);
    let survey = bench.porter(&["survey", "SAILROOM", "--json"]).with_status(0).json();
    assert_eq!(item(&survey, "tamsin/browser/safari")["counts"]["pages in history"], 2);
    bench.porter(&["capture", "SAILROOM", "trunk", "--account", "tamsin", "--quiet"]).with_status(0);
    let words = ["take", "trunk", "tamsin/browser/safari", "-", "--as", "history"];
    let page = bench.porter(&words).with_status(0).out;
    let cloth = page.find("https://cloth.example/?a=1&amp;b=2").unwrap_or_else(|| panic!("{page}"));
    let tides = page.find("https://tides.example/").unwrap();
    assert!(cloth < tides, "not the latest first: {page}");
    assert!(page.contains("&lt;Sail&gt; cloth") && !page.contains("Old title"), "{page}");
    assert!(page.contains("2012-03-18") && page.contains("2012-03-17"), "{page}");
    // Forms that Safari does not keep there yield an empty list and no error.
    let feeds = bench
        .porter(&["take", "trunk", "tamsin/browser/safari", "feeds.opml", "--as", "feeds"])
        .with_status(0)
        .out;
    assert!(feeds.contains("0 feeds"), "{feeds}");
    assert!(bench.read("feeds.opml").contains("<opml"), "{}", bench.read("feeds.opml"));

    // A damaged history is named in the survey, carried as it is, and yields no page.
    let mut content = fs::read(&at).unwrap();
    content.truncate(content.len() / 2);
    fs::write(&at, content).unwrap();
    let survey = bench.porter(&["survey", "SAILROOM", "--json"]).with_status(0).json();
    assert_eq!(codes(item(&survey, "tamsin/browser/safari")), ["profile-damaged"]);
    bench.porter(&["capture", "SAILROOM", "damaged", "--account", "tamsin", "--quiet"]).with_status(0);
    let words = ["take", "damaged", "tamsin/browser/safari", "page.html", "--as", "history"];
    bench.porter(&words).with_status(1);
    assert!(!bench.path("page.html").exists());
}

#[test]
fn chromes_bookmarks_file_is_added_to_with_a_checksum_that_fits() {
    let bench = Workbench::with_trunk();
    let only = [&RESTORE[..], &["--only", "odile/browser/firefox/*"]].concat();
    let no_profile = bench.porter(&[&only[..], &["--bookmarks-into", "chrome"]].concat()).with_status(3);
    assert!(no_profile.out.contains("start it once"), "{}", no_profile.out);
    bench.porter(&[&RESTORE[..], &["--only", "odile/browser/chrome/*"]].concat()).with_status(0);
    bench.porter(&[&only[..], &["--bookmarks-into", "chrome"]].concat()).with_status(0);
    let survey = bench.porter(&["survey", "TIDEWATER", "--account", "odile", "--json"]).with_status(0).json();
    let chrome = item(&survey, "odile/browser/chrome/odile");
    assert!(codes(chrome).is_empty(), "the checksum does not fit: {chrome}");
    assert!(chrome["counts"]["bookmarks"].as_u64().unwrap() > 3, "{chrome}");
    // Firefox's menu is a folder of its own there.
    let file: Value =
        serde_json::from_str(&bench.read(&format!("TIDEWATER/{CHROME}/Default/Bookmarks"))).unwrap();
    let other = file["roots"]["other"]["children"].to_string();
    assert!(other.contains("Bookmarks Menu") && other.contains("Wind & weather"), "{other}");
}

/// Somebody closes the browser while porter waits.
#[cfg(unix)]
#[test]
fn a_capture_waits_until_the_browser_is_closed() {
    let bench = Workbench::new();
    let profile = work_profile(&bench);
    let lock = held_lock(&bench, &profile);
    let mut waiting = bench.command(&["capture", "PC", "trunk", "--wait", "--quiet"]);
    let waiting =
        waiting.stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped()).spawn().unwrap();
    std::thread::sleep(std::time::Duration::from_millis(1500));
    assert!(!bench.path("trunk").exists(), "it did not wait");
    bench.write(&format!("{profile}/prefs.js"), "user_pref(\"written.at.the.end\", true);\n");
    drop(lock);
    let said = waiting.wait_with_output().unwrap();
    assert_eq!(said.status.code(), Some(0), "{}", String::from_utf8_lossy(&said.stderr));
    let prefs = "odile/browser/firefox/work/Mozilla/Firefox/Profiles/ab.work/prefs.js";
    let taken = bench.porter(&["take", "trunk", prefs, "-"]).with_status(0).out;
    assert!(taken.contains("written.at.the.end"), "{taken}");
}

#[test]
fn a_profile_that_lies_outside_all_folders_of_its_person_lands_among_the_others() {
    let bench = Workbench::with_demo_machines();
    let list = format!("LOFT-PC/{FIREFOX}/profiles.ini");
    let text = bench.read(&list).replace(
        "IsRelative=1\r\nPath=Profiles/z3q8f6ab.Kite fair",
        "IsRelative=0\r\nPath=C:\\Browsing\\fair",
    );
    bench.write(&list, text);
    fs::create_dir_all(bench.path("LOFT-PC/Browsing")).unwrap();
    fs::rename(
        bench.path(&format!("LOFT-PC/{FIREFOX}/Profiles/z3q8f6ab.Kite fair")),
        bench.path("LOFT-PC/Browsing/fair"),
    )
    .unwrap();
    bench.write(
        "LOFT-PC/Browsing/fair/prefs.js",
        "user_pref(\"a.file\", \"C:\\\\Browsing\\\\fair\\\\list.txt\");\n",
    );
    bench.write("LOFT-PC/Browsing/notes.txt", "of nobody");

    bench.porter(&["capture", "LOFT-PC", "trunk", "--quiet"]).with_status(0);
    bench.porter(&RESTORE).with_status(0);
    let prefs = bench.read(&format!("TIDEWATER/{FIREFOX}/Profiles/fair/prefs.js"));
    assert!(
        prefs.contains(r"C:\\Users\\odile\\AppData\\Roaming\\Mozilla\\Firefox\\Profiles\\fair\\list.txt"),
        "{prefs}"
    );
    assert!(bench.read(&format!("TIDEWATER/{FIREFOX}/profiles.ini")).contains("Path=Profiles/fair"));
    assert_eq!(bench.read("TIDEWATER/Browsing/notes.txt"), "of nobody");
    assert!(!bench.path("TIDEWATER/Browsing/fair").exists(), "nothing is carried twice");
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    let profile = item(&receipt, "odile/browser/firefox/kite-fair");
    assert_eq!((&profile["verdict"], &profile["counts"][0]["name"]), (&"landed".into(), &"bookmarks".into()));
}
