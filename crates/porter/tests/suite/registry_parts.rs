//! Programs' keys in a person's registry: captured, entered on the new machine, proved, taken back.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::{Workbench, forge};
use porter_hive::{Hive, KeyTree};
use serde_json::Value;
use std::fs;

const HIVE: &str = "TIDEWATER/Users/tamsin.okafor/NTUSER.DAT";
/// Odile's things into the account of somebody who has another folder.
const RESTORE: [&str; 9] = [
    "restore",
    "trunk",
    "TIDEWATER",
    "--only",
    "odile/browser/*",
    "--only",
    "odile/folder/favourites",
    "--account",
    "odile=tamsin.okafor",
];
const TO_TAMSIN: [&str; 2] = ["--account", "odile=tamsin.okafor"];

fn restore(bench: &Workbench, more: &[&str]) -> Value {
    let words: Vec<&str> = RESTORE.iter().chain(&["--yes", "--json"]).chain(more).copied().collect();
    let said = bench.porter(&words);
    assert!([0, 3].contains(&said.status), "{said:?}");
    said.json()
}

fn check(bench: &Workbench) -> Value {
    let words: Vec<&str> =
        ["check", "trunk", "TIDEWATER", "--json", "-"].iter().chain(&TO_TAMSIN).copied().collect();
    bench.porter(&words).json()
}

#[track_caller]
fn item<'v>(json: &'v Value, id: &str) -> &'v Value {
    json["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap()
}

fn text(bench: &Workbench, key: &str, name: &str) -> Option<String> {
    Hive::from_bytes(fs::read(bench.path(HIVE)).unwrap()).unwrap().key(key)?.value(name)?.text()
}

const MAIN: &str = "Software\\Microsoft\\Internet Explorer\\Main";
const CHROME: &str = "Software\\Google\\Chrome";

#[test]
fn values_land_with_their_paths_and_profiles_and_an_undo_takes_them_back() {
    let bench = Workbench::with_trunk();
    // The profile's folder is taken on the new machine, so what belongs to it goes by another name.
    bench.write(
        "TIDEWATER/Users/tamsin.okafor/AppData/Local/Google/Chrome/User Data/Default/Preferences",
        "{}",
    );
    bench.write("TIDEWATER/Users/tamsin.okafor/NTUSER.DAT.LOG1", "of the hive as it is");
    let before = bench.snapshot("TIDEWATER");
    assert_eq!(restore(&bench, &[])["registry_values"], 7);

    assert_eq!(text(&bench, MAIN, "Start Page").unwrap(), "http://saltmarsh-kiteworks.example/board");
    assert_eq!(text(&bench, MAIN, "Window_Placement").unwrap(), "restored", "what was there stays");
    let host = text(&bench, &format!("{CHROME}\\NativeMessagingHosts\\com.windrose.tides"), "").unwrap();
    assert_eq!(host, "C:\\Users\\tamsin.okafor\\AppData\\Local\\Windrose\\tides.json");
    let firefox = text(&bench, "Software\\Mozilla\\NativeMessagingHosts\\com.windrose.tides", "").unwrap();
    assert_eq!(firefox, "%LOCALAPPDATA%\\Windrose\\tides-firefox.json");
    let profiles = Hive::from_bytes(fs::read(bench.path(HIVE)).unwrap()).unwrap();
    let macs = profiles.key(&format!("{CHROME}\\PreferenceMACs")).unwrap();
    let folders: Vec<String> = macs.subkeys().map(|key| key.unwrap().name().to_string()).collect();
    assert!(!folders.contains(&"Default".to_owned()) && folders.len() == 2, "{folders:?}");
    assert!(
        profiles.key(&format!("{CHROME}\\BLBeacon")).is_none(),
        "what the old browser noted of itself stays"
    );
    assert!(
        !bench.path("TIDEWATER/Users/tamsin.okafor/NTUSER.DAT.LOG1").exists(),
        "an old log is not the new hive's"
    );

    let receipt = check(&bench);
    let counts = &item(&receipt, "odile/browser/chrome/odile")["counts"];
    let count = counts.as_array().unwrap().iter().find(|count| count["name"] == "registry values").unwrap();
    assert_eq!((&count["captured"], &count["landed"]), (&2.into(), &2.into()));
    let again = restore(&bench, &[]);
    assert_eq!((&again["registry_values"], &again["written"]["files"]), (&0.into(), &0.into()));

    for _ in 0..2 {
        bench.porter(&["undo", "TIDEWATER", "--yes"]).with_status(0);
    }
    let mut after = bench.snapshot("TIDEWATER");
    after.retain(|path, _| !path.to_string_lossy().contains("Loyal Porter"));
    assert_eq!(after, before);
}

#[test]
fn who_keeps_what_is_there_keeps_it_and_what_is_missing_comes_all_the_same() {
    let bench = Workbench::with_trunk();
    assert_eq!(restore(&bench, &["--existing", "keep"])["registry_values"], 6);
    assert_eq!(text(&bench, MAIN, "Start Page").unwrap(), "http://welcome.example/");
    let receipt = check(&bench);
    let favourites = item(&receipt, "odile/folder/favourites");
    let kept = favourites["reasons"].as_array().unwrap().iter().find(|row| row["verdict"] == "kept_existing");
    assert!(kept.unwrap()["reason"].to_string().contains("Start Page"), "{favourites}");
}

#[test]
fn a_registry_that_cannot_be_written_anew_is_named_and_left_alone() {
    for (name, harm) in [
        ("not there", None),
        ("no hive", Some(b"x".to_vec())),
        ("cut off", Some(Vec::new())),
        ("of nothing", Some(vec![0; 4])),
    ] {
        let bench = Workbench::with_trunk();
        let whole = fs::read(bench.path(HIVE)).unwrap();
        match &harm {
            None => fs::remove_file(bench.path(HIVE)).unwrap(),
            // The key that holds all others is gone.
            Some(bytes) if bytes.len() == 4 => {
                let mut hive = whole.clone();
                let root = 4096 + u32::from_le_bytes(whole[36..40].try_into().unwrap()) as usize + 4;
                hive[root..root + 2].copy_from_slice(b"xx");
                bench.write(HIVE, hive);
            }
            Some(bytes) if bytes.is_empty() => bench.write(HIVE, &whole[..whole.len() - 4096]),
            Some(bytes) => bench.write(HIVE, bytes),
        }
        let before = fs::read(bench.path(HIVE)).ok();
        let plan: Vec<&str> = RESTORE.iter().chain(&["--try", "--json"]).copied().collect();
        let plan = bench.porter(&plan).json();
        assert!(
            plan["notes"].to_string().contains("registry could not be entered"),
            "{name}: {}",
            plan["notes"]
        );
        restore(&bench, &[]);
        assert_eq!(fs::read(bench.path(HIVE)).ok(), before, "{name}");
        let chrome = item(&check(&bench), "odile/browser/chrome/odile").to_string();
        assert!(chrome.contains("registry"), "{name}: {chrome}");
    }
}

#[test]
fn a_trunk_brings_no_key_that_its_rule_does_not_name() {
    let bench = Workbench::with_open_trunk();
    forge(&bench.path("trunk"), "porter/items.json", |list| {
        let run = r"Software\\Microsoft\\Windows\\CurrentVersion\\Run";
        let odd = r"Software\\Google\\Chrome\\Extensions\\\u0000\\..";
        let foreign = format!(
            r#""registry": [{{"key":"{run}","values":[{{"name":"a","type":1,"text":"C:\\x.exe"}}]}},{{"key":"{odd}","values":[]}},"#
        );
        assert!(list.contains(r#""registry": ["#));
        list.replace(r#""registry": ["#, &foreign)
    });
    assert_eq!(restore(&bench, &[])["registry_values"], 7);
    let hive = Hive::from_bytes(fs::read(bench.path(HIVE)).unwrap()).unwrap();
    assert!(hive.key("Software\\Microsoft\\Windows\\CurrentVersion\\Run").is_none());
    assert!(KeyTree::from_hive(&hive).1.is_empty());
}

#[cfg(unix)]
#[test]
fn a_hidden_registry_stays_hidden() {
    use rustix::fs::{XattrFlags, getxattr, setxattr};
    let bench = Workbench::with_trunk();
    // As Samba and Wine keep the mark.
    setxattr(bench.path(HIVE), "user.DOSATTRIB", b"0x6", XattrFlags::empty()).unwrap();
    restore(&bench, &[]);
    let mut mark = [0; 8];
    let length = getxattr(bench.path(HIVE), "user.DOSATTRIB", &mut mark[..]).unwrap();
    assert_eq!(&mark[..length], b"0x6");
}
