//! Each setting of a person's Windows: what is read there comes back, and a trunk cannot make more of it.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_demo::{DemoSize, build_loft_pc, build_tidewater};
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{Hive, KeyTree, ValueKind};
use porter_machine::SettingKind;
use porter_machine::data_driver::DataDriver;
use porter_machine::registry::KeyValues;
use porter_machine::setting::windows::list::{ALL, called, names};
use porter_machine::setting::windows::own::Own;
use porter_machine::setting::windows::personal_setting::PersonalSetting;
use porter_machine::setting::windows::table::build;
use porter_names::Facts;
use std::collections::BTreeMap;

fn hive(tree: &KeyTree) -> Hive {
    let heading = Heading { version: Version::V1_5, last_written: 0, sequence: 1, file_name: String::new() };
    Hive::from_bytes(to_bytes(tree, &heading).unwrap()).unwrap()
}

/// The registry of somebody who has used a PC for years, and that of a person on a new one.
fn old_and_new() -> (KeyTree, KeyTree) {
    let folder = tempfile::tempdir().unwrap();
    build_loft_pc(&folder.path().join("old"), DemoSize::Small).unwrap();
    build_tidewater(&folder.path().join("new")).unwrap();
    let tree = |machine: &str| {
        let file = std::fs::read(folder.path().join(machine).join("Users/odile/NTUSER.DAT")).unwrap();
        KeyTree::from_hive(&Hive::from_bytes(file).unwrap()).0.unwrap()
    };
    (tree("old"), tree("new"))
}

/// All settings of a registry, by id.
fn read(tree: &KeyTree) -> BTreeMap<String, Facts> {
    let hive = hive(tree);
    let root = hive.root().unwrap();
    let own = Own::new(&root);
    ALL.iter()
        .flat_map(|setting| setting.read(&own))
        .filter(|setting| setting.kind == SettingKind::Setting && !setting.facts.is_empty())
        .map(|setting| (setting.id, setting.facts))
        .collect()
}

fn values(setting: &dyn PersonalSetting, facts: &Facts, there: &KeyTree) -> Vec<KeyValues> {
    let hive = hive(there);
    let root = hive.root().unwrap();
    setting.values(facts, &Own::new(&root))
}

fn enter(keys: Vec<KeyValues>, tree: &mut KeyTree) {
    for KeyValues { key, values } in keys {
        let key = tree.key(&key);
        for value in values {
            key.set(&value.name, ValueKind::from_number(value.kind), value.data);
        }
    }
}

fn facts(rows: &[(&str, &str)]) -> Facts {
    rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
}

#[test]
fn what_is_read_of_one_registry_is_read_again_of_another() {
    let (old, mut new) = old_and_new();
    let then = read(&old);
    assert!(then.len() >= 20, "{:?}", then.keys());
    for (id, facts) in &then {
        let setting = called(id).unwrap();
        let driver = DataDriver { name: "Harbour SQL".to_owned(), bits: "64", file: "C:\\h.dll".to_owned() };
        let facts = facts.iter().map(|(name, value)| (name.clone(), value.clone()));
        let facts: Facts = facts.chain(setting.of_machine(&then[id], &[driver])).collect();
        let keys = values(setting, &facts, &new);
        for KeyValues { key, values } in &keys {
            for value in values {
                assert!(names(key, Some(&value.name)), "an undo would not know {key}\\{}", value.name);
            }
        }
        enter(keys, &mut new);
    }
    let now = read(&new);
    for (id, facts) in then.iter().filter(|(id, _)| !called(id).unwrap().is_only_told()) {
        let landed = now.get(id).is_some_and(|now| called(id).unwrap().is_same(facts, now));
        assert!(landed, "{id}: {facts:?} became {:?}", now.get(id));
    }
    let told = then.keys().filter(|id| called(id).unwrap().is_only_told() && !now.contains_key(*id));
    assert_eq!(told.count(), 2, "a trunk brings no program and no choice of one");
    // Nothing that Odile did not set is hers now.
    assert!(now.keys().all(|id| then.contains_key(id)), "{:?}", now.keys());
}

#[test]
fn a_registry_that_nobody_changed_has_no_settings_but_those_that_everybody_has() {
    let (_, new) = old_and_new();
    let ids: Vec<String> = read(&new).into_keys().collect();
    assert_eq!(ids, ["keyboard", "locale"]);
    assert!(read(&KeyTree::new("empty")).is_empty());
}

#[test]
fn each_value_counts_in_its_type_alone() {
    let mut tree = KeyTree::new("own");
    tree.key("Control Panel\\Mouse").set_number("MouseTrails", 5).set_text("DoubleClickSpeed", "720");
    let advanced = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
    tree.key(advanced).set_text("Hidden", "1").set("HideFileExt", ValueKind::Number, [0, 0]);
    tree.key("Control Panel\\Desktop").set("CaretWidth", ValueKind::Text, [b'3']);
    let hive = hive(&tree);
    let root = hive.root().unwrap();
    let own = Own::new(&root);
    let settings: Vec<_> = ALL.iter().flat_map(|setting| setting.read(&own)).collect();
    let wrong: Vec<&str> = settings.iter().flat_map(|setting| &setting.wrong).map(String::as_str).collect();
    let expected = [
        "Control Panel\\Desktop\\CaretWidth".to_owned(),
        "Control Panel\\Mouse\\MouseTrails".to_owned(),
        format!("{advanced}\\Hidden"),
        format!("{advanced}\\HideFileExt"),
    ];
    assert_eq!(wrong, expected);
    let known: Vec<(&str, &Facts)> =
        settings.iter().filter(|s| !s.facts.is_empty()).map(|s| (s.id.as_str(), &s.facts)).collect();
    assert_eq!(known, [("mouse", &facts(&[("double-click-speed", "720")]))]);
}

#[test]
fn a_trunk_brings_no_program_no_server_and_no_other_key() {
    let (_, new) = old_and_new();
    let set = |id: &str, rows: &[(&str, &str)]| values(called(id).unwrap(), &facts(rows), &new);
    let count = |keys: &[KeyValues]| keys.iter().map(|key| key.values.len()).sum::<usize>();
    for (id, rows) in [
        ("wallpaper", &[("file", "\\\\evil.example\\x.jpg"), ("style", "10")][..]),
        ("pointers", &[("Arrow", "\\\\evil.example\\x.cur"), ("IBeam", "%EVIL%\\x.cur")]),
        ("sounds", &[(".Default\\SystemHand", "\\\\evil.example\\x.wav"), ("..\\..\\Run\\x", "C:\\x.exe")]),
        ("sounds", &[(".Default\\NoSuchEvent", "C:\\x.wav")]),
        (
            "environment",
            &[("UserInitMprLogonScript", "C:\\x.cmd"), ("COR_PROFILER", "{1}"), ("TEMP", "C:\\")],
        ),
        ("environment", &[("A=B", "x"), ("", "x")]),
        ("drive/k", &[("letter", "K\\..\\..\\Run"), ("server-folder", "\\\\a\\b")]),
        ("drive/k", &[("letter", "K"), ("server-folder", "C:\\x.exe")]),
        ("keyboard", &[("windows-layouts", "evil 0000080 000008099")]),
        ("languages", &[("languages", "..\\..\\Run x")]),
        ("default-printer", &[("name", "x,winspool,C:\\x.exe")]),
        ("file-view", &[("hidden", "-1"), ("hide-extensions", "4294967296"), ("tips", "x")]),
        ("mouse", &[("no-such-fact", "1")]),
        ("effects", &[("no-such-bit", "1")]),
        ("window-fonts", &[("menu-font", "Verdana"), ("caption-height", "99999999")]),
    ] {
        // Those bits of effects stay that nobody names.
        let keys = set(id, rows);
        assert!(id == "effects" || count(&keys) == 0, "{id}: {keys:?}");
    }
    let path = set("environment", &[("Path", "C:\\Kites;C:\\Kites"), ("KITES", "%HOME%\\kites")]);
    let [KeyValues { values, .. }] = &path[..] else { unreachable!() };
    let kinds: Vec<(&str, u32)> = values.iter().map(|value| (value.name.as_str(), value.kind)).collect();
    assert_eq!(kinds, [("KITES", 2), ("Path", 2)], "both are expanded");
}

#[test]
fn an_older_windows_is_not_given_what_it_does_not_know() {
    let unknown = |id: &str, build: u32, names: &[&str]| {
        let facts: Facts = names.iter().map(|name| ((*name).to_owned(), "1".to_owned())).collect();
        called(id).unwrap().unknown_to(build, &facts)
    };
    assert_eq!(unknown("look", build::SEVEN, &["programs-light", "transparent"]).len(), 2);
    assert_eq!(unknown("look", build::TEN, &["programs-light", "system-light"]), ["system-light"]);
    assert!(unknown("look", build::ELEVEN, &["programs-light", "system-light", "accent"]).is_empty());
    assert_eq!(unknown("locale", 2600, &["name", "windows-id", "short-time"]), ["name", "short-time"]);
    assert_eq!(unknown("languages", build::SEVEN, &["languages"]), ["languages"]);
    assert_eq!(unknown("mouse", build::SEVEN, &["a fact of a later porter"]), ["a fact of a later porter"]);
    assert!(unknown("drive", 2195, &["letter", "server-folder"]).is_empty());
}

#[test]
fn layouts_and_paths_that_are_there_stay_behind_those_that_come() {
    let mut new = KeyTree::new("own");
    new.key("Keyboard Layout\\Preload")
        .set_text("1", "00000409")
        .set_text("2", "00000407")
        .set_text("10", "00000410");
    new.key("Environment").set_expand_text("PATH", "C:\\there;C:\\Kites");
    let keyboard = called("keyboard").unwrap();
    let coming = facts(&[("windows-layouts", "0000040c 00000409")]);
    enter(values(keyboard, &coming, &new), &mut new);
    let environment = called("environment").unwrap();
    let variables = facts(&[("Path", "c:\\kites;C:\\new")]);
    enter(values(environment, &variables, &new), &mut new);
    let now = read(&new);
    assert_eq!(now["keyboard"]["windows-layouts"], "0000040c 00000409 00000407 00000410 00000410");
    assert!(keyboard.is_same(&coming, &now["keyboard"]), "further layouts are no loss");
    assert!(
        !keyboard.is_same(&facts(&[("windows-layouts", "00000409 0000040c")]), &now["keyboard"]),
        "their order is"
    );
    let path = now["environment"].iter().find(|(name, _)| name.eq_ignore_ascii_case("path")).unwrap().1;
    assert_eq!(path, "C:\\there;C:\\Kites;C:\\new");
    assert!(environment.is_same(&variables, &now["environment"]));
}
