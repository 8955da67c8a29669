//! Findings of a check beyond bytes: files in the wrong place, and work that is not done.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::fs;

const CHECK: [&str; 7] = ["check", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--json", "-"];

#[test]
fn a_folder_pasted_into_itself_is_told_from_one_that_never_came() {
    let bench = Workbench::with_trunk();
    let documents = bench.snapshot("LOFT-PC/Users/odile/Documents");
    for (path, (kind, content, _)) in &documents {
        let path = path.to_string_lossy().into_owned();
        if kind == "file" && !path.starts_with("Kites") {
            bench.write(&format!("TIDEWATER/Users/odile/Documents/Documents/{path}"), content);
        }
    }
    let words: Vec<&str> = CHECK.into_iter().chain(["--only", "odile/folder/documents"]).collect();
    let receipt = bench.porter(&words).with_status(3).json();
    let items = receipt["items"].as_array().unwrap();
    let item = items.iter().find(|item| item["id"] == "odile/folder/documents").unwrap();
    let codes: Vec<&str> = item["reasons"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|row| row["details"]["code"].as_str())
        .collect();
    let count = |code: &str| codes.iter().filter(|found| **found == code).count();
    assert!(count("one-folder-too-deep") > 3, "{codes:?}");
    assert!(count("not-there") > 3, "what was not pasted is nowhere: {codes:?}");
    let said =
        bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/folder/documents"]).with_status(3).out;
    assert!(said.contains("one folder too deep, in Users/odile/Documents/Documents"), "{said}");
}

#[test]
fn a_restore_that_never_came_to_its_end_is_not_done_whatever_landed() {
    let bench = Workbench::with_trunk();
    let restore = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    bench.porter(&restore).with_status(0);
    bench.porter(&CHECK).with_status(0);
    let records = bench.path("TIDEWATER/ProgramData/Loyal Porter");
    let journal = fs::read_dir(records).unwrap().map(|row| row.unwrap().path()).next().unwrap();
    let text = fs::read_to_string(&journal).unwrap();
    let (all_but_last, last) = text.trim_end().rsplit_once('\n').unwrap();
    assert!(last.contains(r#""step":"end""#));
    fs::write(&journal, format!("{all_but_last}\n")).unwrap();

    let receipt = bench.porter(&CHECK).with_status(3).json();
    assert_eq!(receipt["reasons"][0]["details"]["code"], "restore-cut-off");
    bench.porter(&restore).with_status(0);
    bench.porter(&CHECK).with_status(0);
}
