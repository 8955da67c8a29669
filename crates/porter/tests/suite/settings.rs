//! People's settings, from one Windows to another: set in their types, proved, kept if wished, taken back.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::{DemoSize, build_windsock};
use porter_formats::gvdb::{Table, Variant};
use porter_hive::{Hive, ValueKind};
use serde_json::Value;
use std::fs;

const HIVE: &str = "TIDEWATER/Users/odile/NTUSER.DAT";

fn value(bench: &Workbench, key: &str, name: &str) -> Option<(ValueKind, Vec<u8>)> {
    let hive = Hive::from_bytes(fs::read(bench.path(HIVE)).unwrap()).unwrap();
    let value = hive.key(key)?.value(name)?;
    Some((value.kind(), value.data().unwrap().into_owned()))
}

fn text(bench: &Workbench, key: &str, name: &str) -> Option<String> {
    Hive::from_bytes(fs::read(bench.path(HIVE)).unwrap()).unwrap().key(key)?.value(name)?.text()
}

/// By their ids, of one person: the verdict, and the codes of the reasons.
fn settings_of(receipt: &Value, owner: &str) -> Vec<(String, String, String)> {
    let begin = format!("{owner}/setting/");
    let word = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    let codes = |item: &Value| {
        let reasons = item["reasons"].as_array().unwrap();
        reasons.iter().map(|reason| word(&reason["details"]["code"])).collect::<Vec<_>>().join(" ")
    };
    receipt["items"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|item| {
            Some((word(&item["id"]).strip_prefix(&begin)?.to_owned(), word(&item["verdict"]), codes(item)))
        })
        .collect()
}

#[test]
fn settings_land_as_their_types_and_meanings_are_and_an_undo_takes_them_back() {
    let bench = Workbench::with_trunk();
    let before = fs::read(bench.path(HIVE)).unwrap();
    bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/*"]);
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/*", "--json", "-"]).json();
    let rows = settings_of(&receipt, "odile");
    let landed = rows.iter().filter(|(_, verdict, codes)| verdict == "landed" && codes.is_empty());
    assert_eq!(landed.count(), 22, "{rows:?}");
    // Windows takes 7 as a text, and 1 as a number.
    let utf16 = |text: &str| text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    let mouse = "Control Panel\\Mouse";
    assert_eq!(value(&bench, mouse, "MouseSensitivity"), Some((ValueKind::Text, utf16("7"))));
    let advanced = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
    assert_eq!(value(&bench, advanced, "Hidden"), Some((ValueKind::Number, vec![1, 0, 0, 0])));
    // A value of a wrong type was not believed.
    assert_eq!(value(&bench, mouse, "MouseHoverTime"), None);
    // Two bits of eight bytes, and the others as they were.
    let mask = value(&bench, "Control Panel\\Desktop", "UserPreferencesMask").unwrap().1;
    assert_eq!(mask, [0x9c, 0x5e, 0x07, 0x80, 0x12, 0, 0, 0]);
    assert_eq!(
        text(&bench, "AppEvents\\Schemes\\Apps\\.Default\\SystemHand\\.Current", "").as_deref(),
        Some("C:\\Users\\odile\\Music\\ship's bell.wav")
    );
    assert_eq!(text(&bench, "Network\\K", "RemotePath").as_deref(), Some("\\\\TIDEHOUSE\\kites"));
    assert_eq!(
        text(&bench, "Environment", "Path").as_deref(),
        Some("%USERPROFILE%\\bin;C:\\Kite Plans\\tools")
    );
    // A source of data comes with the new machine's own driver.
    let source = |name| text(&bench, "Software\\ODBC\\ODBC.INI\\Order book", name);
    let driver = "C:\\Program Files\\KiteCAD 5\\harbour64.dll";
    assert_eq!((source("Driver").as_deref(), source("Server").as_deref()), (Some(driver), Some("harbour")));
    assert_eq!(source("PWD"), None);
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert!(fs::read(bench.path(HIVE)).unwrap() == before, "the registry is as it was");
}

/// Schemas of a desktop with mouse, picture, keyboard and hidden files, and without dark colours: made by
/// `glib-compile-schemas`.
const SCHEMAS: &[u8] = include_bytes!("../data/gschemas.compiled");

#[test]
fn settings_of_a_windows_come_to_the_desktop_of_a_linux_as_far_as_it_knows_them() {
    let bench = Workbench::with_trunk();
    bench.write("LINUX/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n");
    bench.write("LINUX/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n");
    bench.write("LINUX/usr/share/glib-2.0/schemas/gschemas.compiled", SCHEMAS);
    let clock = ("/org/gnome/desktop/interface/clock-format".to_owned(), Variant::text("24h"));
    let own = Table { variants: [clock.clone()].into(), ..Table::default() }.to_bytes();
    let file = "LINUX/home/odile/.config/dconf/user";
    bench.write(file, &own);
    let only = ["--only", "odile/setting/*", "--only", "odile/folder/pictures"];
    bench.porter(&[&["restore", "trunk", "LINUX", "--yes", "--quiet"], &only[..]].concat());
    let keys = Table::from_bytes(&fs::read(bench.path(file)).unwrap()).unwrap().variants;
    assert_eq!(keys.get(&clock.0), Some(&clock.1), "what is there stays");
    let key = |name: &str| keys.get(name);
    let mouse = key("/org/gnome/desktop/peripherals/mouse/left-handed").and_then(Variant::as_boolean);
    let picture = key("/org/gnome/desktop/background/picture-uri").and_then(Variant::as_text);
    let layouts = key("/org/gnome/desktop/input-sources/sources").and_then(Variant::as_pairs).unwrap();
    assert_eq!(mouse, Some(true));
    assert_eq!(picture, Some("file:///home/odile/Pictures/2012/IMG_0000.png"));
    assert_eq!(layouts[0], ("xkb".to_owned(), "gb".to_owned()));
    assert!(key("/org/gnome/desktop/interface/color-scheme").is_none(), "it knows no dark colours");

    let check = [&["check", "trunk", "LINUX", "--json", "-"], &only[..]].concat();
    let rows = settings_of(&bench.porter(&check).json(), "odile");
    let verdict = |id: &str| rows.iter().find(|row| row.0 == id).map(|row| (row.1.as_str(), row.2.as_str()));
    assert_eq!(verdict("keyboard"), Some(("landed", "")));
    assert_eq!(verdict("wallpaper"), Some(("landed", "")));
    assert_eq!(verdict("mouse"), Some(("landed", "not-known-there")), "its wheel means nothing there");
    assert_eq!(verdict("look"), Some(("kept_in_trunk", "set-by-hand")));
    bench.porter(&["undo", "LINUX", "--yes", "--quiet"]).with_status(0);
    assert!(fs::read(bench.path(file)).unwrap() == own, "the desktop is as it was");
}

#[test]
fn printers_of_servers_are_entered_for_the_person_and_the_usual_one_with_them() {
    let bench = Workbench::with_trunk();
    bench
        .porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/printer/*"])
        .with_status(0);
    let connection = "Printers\\Connections\\,,TIDEHOUSE,Plans A1";
    assert_eq!(text(&bench, connection, "Server").as_deref(), Some("\\\\TIDEHOUSE"));
    assert_eq!(value(&bench, connection, "LocalConnection"), Some((ValueKind::Number, vec![1, 0, 0, 0])));
    let check = ["check", "trunk", "TIDEWATER", "--only", "odile/printer/*", "--json", "-"];
    let receipt = bench.porter(&check).with_status(0).json();
    let printer = receipt["items"]
        .as_array()
        .unwrap()
        .iter()
        .find(|item| item["kind"] == "printer" && item["account"] == "odile");
    assert_eq!(printer.unwrap()["verdict"], "landed", "{printer:?}");
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert_eq!(text(&bench, connection, "Server"), None);
}

#[test]
fn settings_follow_to_another_folder_or_stay_if_wished() {
    let bench = Workbench::with_trunk();
    let to_tamsin = ["--only", "odile/setting/*", "--account", "odile=tamsin.okafor"];
    fn with<'w>(words: &[&'w str], more: &[&'w str]) -> Vec<&'w str> {
        [words, more].concat()
    }
    bench.porter(&with(
        &["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--settings", "keep"],
        &to_tamsin,
    ));
    let receipt = bench.porter(&with(&["check", "trunk", "TIDEWATER", "--json", "-"], &to_tamsin)).json();
    let landed = |receipt: &Value| {
        settings_of(receipt, "odile").iter().filter(|(_, verdict, _)| verdict == "landed").count()
    };
    assert_eq!(landed(&receipt), 1, "the layouts are the same already");
    bench.porter(&with(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet"], &to_tamsin));
    let receipt = bench.porter(&with(&["check", "trunk", "TIDEWATER", "--json", "-"], &to_tamsin)).json();
    assert_eq!(landed(&receipt), 22, "{:?}", settings_of(&receipt, "odile"));
    let hive = fs::read(bench.path("TIDEWATER/Users/tamsin.okafor/NTUSER.DAT")).unwrap();
    let hive = Hive::from_bytes(hive).unwrap();
    let text = |key: &str, name: &str| hive.key(key)?.value(name)?.text();
    assert_eq!(
        text("Control Panel\\Cursors", "Arrow").as_deref(),
        Some("C:\\Users\\tamsin.okafor\\Pictures\\arrow.cur")
    );
    assert_eq!(
        text("Control Panel\\Desktop", "Wallpaper").as_deref(),
        Some("C:\\Users\\tamsin.okafor\\Pictures\\2012\\IMG_0000.png")
    );
}

#[test]
fn the_survey_tells_of_values_of_a_wrong_type_and_nothing_starts_by_itself_that_came_along() {
    let bench = Workbench::with_trunk();
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json().to_string();
    assert!(survey.contains("Control Panel\\\\Mouse\\\\MouseHoverTime"), "{survey}");
    // The new Windows has no such screen saver.
    fs::remove_file(bench.path("TIDEWATER/Windows/System32/Mystify.scr")).unwrap();
    bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/setting/*"]);
    assert_eq!(text(&bench, "Control Panel\\Desktop", "SCRNSAVE.EXE"), None);
    assert_eq!(text(&bench, "Control Panel\\Desktop", "ScreenSaveTimeOut").as_deref(), Some("1200"));
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/*", "--json", "-"]).json();
    let rows = settings_of(&receipt, "odile");
    let saver = rows.iter().find(|(id, ..)| id == "screen-saver").unwrap();
    assert_eq!((saver.1.as_str(), saver.2.as_str()), ("landed", "not-known-there"));
}

#[test]
fn a_windows_takes_no_more_than_it_knows() {
    let bench = Workbench::with_trunk();
    build_windsock(&bench.path("WINDSOCK"), DemoSize::Small).unwrap();
    // WINDSOCK is older than dark windows and lists of languages.
    let old = "WINDSOCK/Documents and Settings/odile.WINDSOCK/NTUSER.DAT";
    let words = ["trunk", "WINDSOCK", "--only", "odile/setting/*"];
    let said = bench.porter(&[&["restore", "--yes", "--quiet"], &words[..]].concat());
    let hive = Hive::from_bytes(fs::read(bench.path(old)).unwrap()).unwrap();
    let has = |key: &str, name: &str| hive.key(key).is_some_and(|key| key.value(name).is_some());
    assert!(has("Control Panel\\Mouse", "MouseTrails"), "{said:?}");
    assert!(!has("Control Panel\\International", "LocaleName"));
    assert!(!has("Software\\Microsoft\\Windows\\CurrentVersion\\Themes\\Personalize", "AppsUseLightTheme"));
    let receipt = bench.porter(&[&["check", "--json", "-"], &words[..]].concat()).json();
    let rows = settings_of(&receipt, "odile");
    let look = rows.iter().find(|(id, ..)| id == "look").unwrap();
    assert_eq!((look.1.as_str(), look.2.as_str()), ("kept_in_trunk", "not-known-there"), "{rows:?}");
}
