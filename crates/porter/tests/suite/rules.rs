//! Carry rules as a technician writes them: from the guide alone.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

/// The examples of the guide, in their order.
fn examples() -> Vec<String> {
    let guide = include_str!("../../../../docs/carry-rules.md");
    guide.split("```toml\n").skip(1).map(|rest| rest.split("```").next().unwrap().to_owned()).collect()
}

fn item<'v>(document: &'v Value, id: &str) -> &'v Value {
    document["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap_or(&Value::Null)
}

#[test]
fn a_rule_from_the_guide_carries_its_data_and_proves_it() {
    let bench = Workbench::with_demo_machines();
    bench.write("ledger.toml", &examples()[0]);

    let tried = bench.porter(&["rules", "try", "ledger.toml", "LOFT-PC"]).with_status(0);
    assert!(
        tried.out.contains("shared-data/Ledger for Small Workshops: Ledger for Small Workshops/"),
        "{}",
        tried.out
    );
    assert!(tried.out.contains("ask for a new one"), "{}", tried.out);
    let tried = bench.porter(&["rules", "try", "ledger.toml", "LOFT-PC", "--json"]).with_status(0).json();
    let found = &tried["items"][0];
    assert_eq!(
        (&found["id"], &found["files"], &found["left_files"]),
        (&"machine/accounts/ledger".into(), &3.into(), &1.into())
    );

    let only = ["--rules", "ledger.toml", "--only", "machine/accounts", "--quiet"];
    bench.porter(&[&["capture", "LOFT-PC", "trunk"], &only[..]].concat()).with_status(0);
    // A trunk cannot choose a place outside of people's folders: the rule does.
    let said = bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet"]).with_status(3).out;
    assert!(said.contains("name its file with --rules"), "{said}");
    let own = ["--rules", "ledger.toml", "--quiet", "--yes"];
    bench.porter(&[&["restore", "trunk", "TIDEWATER"], &own[..]].concat()).with_status(0);
    let books = "TIDEWATER/ProgramData/Ledger for Small Workshops/books";
    assert_eq!(fs::read_dir(bench.path(books)).unwrap().count(), 2);
    assert!(!bench.path("TIDEWATER/ProgramData/Ledger for Small Workshops/preview").exists());

    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    let ledger = item(&receipt, "machine/accounts/ledger");
    assert_eq!(ledger["counts"], serde_json::json!([{"name": "books", "captured": 2, "landed": 2}]));

    // Without any of its books it is not whole, whatever else is there.
    for book in fs::read_dir(bench.path(books)).unwrap() {
        fs::remove_file(book.unwrap().path()).unwrap();
    }
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(3).json();
    let ledger = item(&receipt, "machine/accounts/ledger");
    assert_eq!(ledger["counts"][0]["landed"], 0);
    let reasons = ledger["reasons"].as_array().unwrap();
    assert!(reasons.iter().any(|row| row["details"]["code"] == "lacks-what-it-needs"), "{reasons:#?}");
}

#[test]
fn data_goes_where_the_other_system_has_it() {
    let bench = Workbench::with_demo_machines();
    bench.write("windrose.toml", &examples()[1]);
    for (path, content) in [
        ("LOFT-PC/Users/odile/AppData/Roaming/Windrose/places.txt", "marsh"),
        ("LOFT-PC/Users/odile/AppData/Roaming/Windrose/archive/cache/1998.txt", "kept"),
        ("LOFT-PC/Users/odile/AppData/Roaming/Windrose/Cache/tile", "left"),
        ("LOFT-PC/Users/odile/AppData/Roaming/Windrose/old.KEY", "held"),
        ("LOFT-PC/Users/odile/Documents/Windrose logs/Log 2026.csv", "log"),
        ("LOFT-PC/Users/odile/Documents/Windrose logs/Log of all.csv", "no log"),
        ("KITE/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n"),
        ("KITE/etc/os-release", "NAME=Kite\n"),
        ("KITE/home/odile/.profile", ""),
        ("KITE/var/lib/x", ""),
    ] {
        bench.write(path, content);
    }
    let rules = ["--rules", "windrose.toml", "--quiet"];
    let survey =
        bench.porter(&["survey", "LOFT-PC", "--rules", "windrose.toml", "--json"]).with_status(0).json();
    let windrose = item(&survey, "odile/kites/windrose");
    assert_eq!((&windrose["files"], &windrose["left_files"]), (&4.into(), &1.into()));
    let capture = ["capture", "LOFT-PC", "trunk", "--only", "odile/kites", "--only", "odile/mail"];
    bench.porter(&[&capture, &rules[..]].concat()).with_status(0);
    bench.porter(&[&["restore", "trunk", "KITE", "--yes"], &rules[..]].concat()).with_status(0);
    assert_eq!(bench.read("KITE/home/odile/.windrose/places.txt"), "marsh");
    assert_eq!(bench.read("KITE/home/odile/.windrose/archive/cache/1998.txt"), "kept");
    assert_eq!(bench.read("KITE/home/odile/Documents/Windrose logs/Log 2026.csv"), "log");
    assert!(!bench.path("KITE/home/odile/.windrose/old.KEY").exists(), "held");
    let list = bench.read("KITE/home/odile/.thunderbird/profiles.ini");
    assert!(list.contains("Path=k1t3s4lt.default"), "a built-in rule: {list}");
    let receipt = [&["check", "trunk", "KITE", "--json", "-"], &rules[..]].concat();
    let receipt = bench.porter(&receipt).with_status(0).json();
    assert_eq!(item(&receipt, "odile/mail/thunderbird/default")["verdict"], "landed");
    assert_eq!(item(&receipt, "odile/kites/windrose")["files"]["landed"], 3);
}

#[test]
fn mistakes_are_named_and_a_rule_of_ones_own_takes_the_place_of_a_built_in_one() {
    let bench = Workbench::with_demo_machines();
    bench.write("bad.toml", examples()[0].replace("shared-data", "shared"));
    let bad = bench.porter(&["survey", "LOFT-PC", "--rules", "bad.toml"]).with_status(2);
    assert!(
        bad.err.contains("bad.toml` is not a carry rule") && bad.err.contains("line 8, column 9"),
        "{}",
        bad.err
    );
    bench.porter(&["rules", "show", "mail/carrier-pigeon"]).with_status(2);
    let shown = bench.porter(&["rules", "show", "mail/thunderbird"]).with_status(0);
    assert!(shown.out.contains("must_be_closed = [\"thunderbird\"]"), "{}", shown.out);

    let own = examples()[0].replace("accounts/ledger", "mail/thunderbird");
    let folder = if cfg!(windows) { "config/Loyal Porter/rules" } else { "config/loyal-porter/rules" };
    bench.write(&format!("{folder}/own.toml"), &own);
    bench.write("own.toml", &own);
    let list = bench.porter(&["rules", "list", "--json"]).with_status(0).json();
    let rows = list["rules"].as_array().unwrap().iter().filter(|row| row["id"] == "mail/thunderbird");
    let replaced: Vec<_> = rows.map(|row| &row["replaced"]).collect();
    assert_eq!(replaced, [false, true]);
    let twice = bench.porter(&["rules", "list", "--rules", "own.toml"]).with_status(2);
    assert!(twice.err.contains("both rules for `mail/thunderbird`"), "{}", twice.err);
    porter_demo::build_sailroom(&bench.path("SAILROOM"), porter_demo::DemoSize::Small).unwrap();
    let nowhere = bench.porter(&["rules", "try", "own.toml", "SAILROOM"]).with_status(0);
    assert!(nowhere.out.contains("It looks nowhere on such a system"), "{}", nowhere.out);
}
