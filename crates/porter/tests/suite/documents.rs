//! Documents for programs: `docs/json.md` describes every field of every document, and events and documents
//! agree.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// Below these stands what has names of its own: facts by their kind, accounts and places by their own.
const OPEN: [&str; 5] = ["facts", "counts", "accounts", "details", "places"];

/// The names of all fields, however deep.
fn fields(value: &Value, found: &mut BTreeSet<String>) {
    match value {
        Value::Object(rows) => {
            for (name, inner) in rows {
                found.insert(name.clone());
                let is_open = OPEN.contains(&name.as_str()) && !inner.is_array();
                if !is_open {
                    fields(inner, found);
                }
            }
        }
        Value::Array(rows) => rows.iter().for_each(|row| fields(row, found)),
        _ => {}
    }
}

fn words_of(text: &str) -> BTreeSet<String> {
    text.split(|c: char| !c.is_alphanumeric() && !matches!(c, '_' | '-' | '/')).map(str::to_owned).collect()
}

/// The words of each section of the page, by the formats that it describes. A section that refers to the
/// format of trunks has its words too.
fn told() -> BTreeMap<String, BTreeSet<String>> {
    let mut sections = BTreeMap::new();
    for section in include_str!("../../../../docs/json.md").split("\n## ").skip(1) {
        let mut words = words_of(section);
        let formats: Vec<String> =
            words.iter().filter(|word| word.starts_with("porter-") && word.contains('/')).cloned().collect();
        if section.contains("(trunk-format.md)") {
            words.extend(words_of(include_str!("../../../../docs/trunk-format.md")));
        }
        formats.into_iter().for_each(|format| drop(sections.insert(format, words.clone())));
    }
    sections
}

#[test]
fn every_field_of_every_document_is_told_on_the_page() {
    let bench = Workbench::with_demo_machines();
    let document = |status: i32, words: &[&str]| bench.porter(words).with_status(status).json();
    let mut documents = vec![
        document(0, &["survey", "LOFT-PC", "--json"]),
        document(0, &["capture", "LOFT-PC", "trunk", "--json"]),
        document(0, &["look", "trunk", "--json"]),
        document(0, &["look", "trunk", "odile/folder/documents", "--json"]),
        document(0, &["look", "trunk", "--find", "*.csv", "--json"]),
        document(0, &["look", "trunk", "tamsin/mail/outlook-data", "--json", "--letters"]),
        document(0, &["look", "trunk", "tamsin/mail/outlook-data", "--json", "--letters", "Inbox"]),
        document(0, &["look", "trunk", "tamsin/mail/outlook-data", "--json", "--letters", "Inbox/1"]),
        document(
            0,
            &["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--try", "--json"],
        ),
        document(
            0,
            &[
                "restore",
                "trunk",
                "TIDEWATER",
                "--account",
                "tamsin=tamsin.okafor",
                "--mail-into",
                "thunderbird",
                "--yes",
                "--json",
            ],
        ),
        document(0, &["check", "trunk", "TIDEWATER", "--json", "-"]),
        document(0, &["undo", "TIDEWATER", "--list", "--json"]),
        document(0, &["rules", "list", "--json"]),
    ];
    bench.porter(&["check", "trunk", "TIDEWATER", "--json", "before.json", "--quiet"]).with_status(0);
    std::fs::remove_file(bench.path("TIDEWATER/Users/odile/Documents/Workshop rules.txt")).unwrap();
    bench.porter(&["check", "trunk", "TIDEWATER", "--json", "after.json", "--quiet"]).with_status(3);
    documents.push(serde_json::from_str(&bench.read("after.json")).unwrap());
    documents.push(document(3, &["receipt", "before.json", "after.json", "--json"]));
    documents.push(document(0, &["undo", "TIDEWATER", "--yes", "--json"]));

    let told = told();
    let mut seen = BTreeSet::new();
    for document in documents {
        let format = document["format"].as_str().unwrap().to_owned();
        let words = told.get(&format).unwrap_or_else(|| panic!("{format} has no section"));
        let mut found = BTreeSet::new();
        fields(&document, &mut found);
        let untold: Vec<&String> = found.iter().filter(|name| !words.contains(*name)).collect();
        assert!(untold.is_empty(), "{format}: nothing is said of {untold:?}");
        seen.insert(format);
    }
    let unseen: Vec<&String> = told.keys().filter(|format| !seen.contains(*format)).collect();
    assert_eq!(unseen, ["porter-rule-tried/1"], "the rest is described and never made");
}

#[test]
fn events_tell_each_stage_from_its_beginning_to_its_end_and_every_file_once() {
    let bench = Workbench::with_demo_machines();
    let events = |name: &str| -> Vec<Value> {
        bench.read(name).lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    };
    // How many, and how much, in one stage.
    let files = |events: &[Value], stage: &str| -> (u64, u64) {
        let from = events.iter().position(|e| e["event"] == "stage-began" && e["stage"] == stage).unwrap();
        let to = events.iter().position(|e| e["event"] == "stage-ended" && e["stage"] == stage).unwrap();
        let files: Vec<&Value> = events[from..to].iter().filter(|event| event["event"] == "file").collect();
        let names: BTreeSet<String> =
            files.iter().map(|event| format!("{} {}", event["item"], event["path"])).collect();
        assert_eq!(names.len(), files.len(), "a file was told twice");
        (files.len() as u64, files.iter().map(|event| event["size_in_bytes"].as_u64().unwrap()).sum())
    };
    let stages = |events: &[Value]| -> Vec<String> {
        let mut open: Vec<String> = Vec::new();
        let mut all = Vec::new();
        for event in events {
            let stage = event["stage"].as_str().unwrap_or_default().to_owned();
            match event["event"].as_str().unwrap() {
                "stage-began" => {
                    all.push(stage.clone());
                    open.push(stage);
                }
                "stage-ended" => {
                    assert_eq!(open.pop(), Some(stage), "stages end in the order in which they began");
                }
                _ => {}
            }
        }
        assert!(open.is_empty(), "{open:?} never ended");
        all
    };

    let capture =
        bench.porter(&["capture", "LOFT-PC", "trunk", "--json", "--events", "c"]).with_status(0).json();
    let told = events("c");
    assert_eq!(stages(&told), ["survey", "capture", "flush", "read-back"]);
    let captured = &capture["captured"];
    let sums = (captured["files"].as_u64().unwrap(), captured["bytes"].as_u64().unwrap());
    assert_eq!((files(&told, "capture"), files(&told, "read-back")), (sums, sums));

    let restore = bench
        .porter(&[
            "restore",
            "trunk",
            "TIDEWATER",
            "--account",
            "tamsin=tamsin.okafor",
            "--yes",
            "--json",
            "--events",
            "r",
        ])
        .with_status(0)
        .json();
    let told = events("r");
    assert_eq!(stages(&told).last().map(String::as_str), Some("restore"));
    let (count, bytes) = files(&told, "restore");
    let written = &restore["written"];
    // Files of the machine that were only changed are in the sum, and no files of the trunk.
    assert!(count > 0 && count <= written["files"].as_u64().unwrap(), "{count} {written}");
    assert!(bytes <= written["bytes"].as_u64().unwrap(), "{bytes} {written}");

    // One more, to the same file: what stands there stays.
    bench.porter(&["check", "trunk", "TIDEWATER", "--quiet", "--events", "r"]).with_status(0);
    let both = events("r");
    assert_eq!(both[..told.len()], told[..], "events are appended");
    assert!(stages(&both[told.len()..]).contains(&"check".to_owned()));
}

/// The sum of a number over the rows of a list.
fn sum(rows: &Value, path: &[&str]) -> u64 {
    let number = |row: &Value| path.iter().fold(row, |value, name| &value[*name]).as_u64().unwrap_or(0);
    rows.as_array().unwrap().iter().map(number).sum()
}

#[test]
fn the_numbers_of_every_document_add_up_and_agree_with_each_other() {
    let bench = Workbench::with_demo_machines();
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
    for account in survey["accounts"].as_array().unwrap() {
        let its: Vec<&Value> = survey["items"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|item| item["account"] == account["id"])
            .collect();
        let its = Value::from(its.into_iter().cloned().collect::<Vec<_>>());
        for name in ["files", "size_in_bytes"] {
            assert_eq!(account[name].as_u64().unwrap(), sum(&its, &[name]), "{} of {}", name, account["id"]);
        }
    }

    let capture = bench.porter(&["capture", "LOFT-PC", "trunk", "--json"]).with_status(0).json();
    for name in ["files", "folders", "links", "bytes"] {
        let captured = capture["captured"][name].as_u64().unwrap();
        assert_eq!(captured, sum(&capture["items"], &["captured", name]), "{name}");
        assert!(captured <= capture["seen"][name].as_u64().unwrap());
    }
    // A capture takes what the survey promised.
    for item in capture["items"].as_array().unwrap() {
        let promised =
            survey["items"].as_array().unwrap().iter().find(|row| row["id"] == item["id"]).unwrap();
        assert_eq!(promised["files"], item["captured"]["files"], "{}", item["id"]);
        assert_eq!(promised["size_in_bytes"], item["captured"]["bytes"], "{}", item["id"]);
    }

    let to = ["--account", "tamsin=tamsin.okafor"];
    let tried = bench
        .porter(&[&["restore", "trunk", "TIDEWATER", "--try", "--json"][..], &to].concat())
        .with_status(0)
        .json();
    let restored = bench
        .porter(&[&["restore", "trunk", "TIDEWATER", "--yes", "--json"][..], &to].concat())
        .with_status(0)
        .json();
    let edited = restored["written"]["files"].as_u64().unwrap() - tried["written"]["files"].as_u64().unwrap();
    assert!(edited < 12, "beyond what was said only files of the machine that are changed: {edited}");
    assert_eq!(
        tried["written"]["files"].as_u64().unwrap(),
        sum(&tried["destinations"], &["written", "files"])
    );
    assert_eq!(
        tried["set_aside"].as_array().unwrap().is_empty(),
        restored["set_aside"].as_array().unwrap().is_empty()
    );

    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json"]).with_status(0).json();
    let verdicts = [
        "landed",
        "changed",
        "missing",
        "kept_existing",
        "left_behind",
        "not_read",
        "kept_in_trunk",
        "not_chosen",
        "not_needed",
    ];
    for verdict in verdicts {
        for count in ["files", "bytes"] {
            let total = receipt["totals"][count][verdict].as_u64().unwrap();
            assert_eq!(total, sum(&receipt["items"], &[count, verdict]), "{count} {verdict}");
        }
        let items =
            receipt["items"].as_array().unwrap().iter().filter(|item| item["verdict"] == verdict).count();
        assert_eq!(receipt["totals"]["items"][verdict], items, "{verdict}");
    }
    for item in receipt["items"].as_array().unwrap() {
        let captured =
            capture["items"].as_array().unwrap().iter().find(|row| row["id"] == item["id"]).unwrap();
        let judged: u64 = verdicts.iter().map(|verdict| item["files"][verdict].as_u64().unwrap()).sum();
        let known =
            captured["captured"]["files"].as_u64().unwrap() + captured["left"]["files"].as_u64().unwrap();
        assert_eq!(judged, known, "{item}");
    }
    let balance = |row: &str, count: &str| receipt["balance"][row][count].as_u64().unwrap();
    for (count, seen) in [("files", "files"), ("bytes", "bytes")] {
        assert_eq!(balance("on_old_machine", count), capture["seen"][seen].as_u64().unwrap());
        assert_eq!(balance("carried", count), capture["captured"][seen].as_u64().unwrap());
    }
    assert_eq!(
        balance("there_already", "files"),
        restored["identical"]["files"].as_u64().unwrap(),
        "what a restore found is what a check calls there already"
    );

    let text = bench.porter(&["check", "trunk", "TIDEWATER"]).with_status(0).out;
    assert!(!text.contains("  0 saved passwords"), "what was not there needs no advice: {text}");

    let undone = bench.porter(&["undo", "TIDEWATER", "--yes", "--json"]).with_status(0).json();
    let files =
        undone["removed"]["files"].as_u64().unwrap() + undone["kept"].as_array().unwrap().len() as u64;
    assert_eq!(files, restored["written"]["files"].as_u64().unwrap(), "{undone}");
}

#[test]
fn every_option_is_told_in_the_guides() {
    let bench = Workbench::new();
    let guides = [
        include_str!("../../../../README.md"),
        include_str!("../../../../docs/json.md"),
        include_str!("../../../../docs/packing-list.md"),
        include_str!("../../../../docs/carry-rules.md"),
        include_str!("../../../../docs/browsers.md"),
        include_str!("../../../../docs/drives.md"),
        include_str!("../../../../docs/settings.md"),
        include_str!("../../../../CHANGELOG.md"),
    ]
    .concat();
    let help = bench.porter(&["--help"]).with_status(0).out;
    let commands: Vec<&str> = help
        .lines()
        .skip_while(|line| !line.starts_with("Commands:"))
        .skip(1)
        .take_while(|line| line.starts_with("  "))
        // An indented line continues the line above.
        .filter(|line| !line.starts_with("   "))
        .filter_map(|line| line.split_whitespace().next())
        .filter(|name| *name != "help")
        .collect();
    assert!(commands.len() >= 10, "{commands:?}");
    let mut untold = BTreeSet::new();
    for command in commands {
        assert!(guides.contains(&format!("porter {command}")), "nothing is said of {command}");
        let help = bench.porter(&[command, "--help"]).with_status(0).out;
        for word in help.split(|c: char| !c.is_alphanumeric() && c != '-') {
            if word.starts_with("--") && word.len() > 3 && word != "--help" && !guides.contains(word) {
                untold.insert(format!("{command} {word}"));
            }
        }
    }
    assert!(untold.is_empty(), "{untold:?}");
}
