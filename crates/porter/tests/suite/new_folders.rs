//! New folders and the files in them: all of them land, or each file on its own, and a restore that was cut
//! off leaves no half-written file.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;

const DOCUMENTS: &str = "Users/odile/Documents";

/// Folders that may land whole, and others: with too few files, with a folder in them, with a file that has
/// two names.
fn bench() -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write(&format!("OLD/{DOCUMENTS}/list.txt"), "kites");
    for (folder, files) in
        [("Kites", 40), ("Kites/Sails", 7), ("Kites/Lines", 3), ("Winds", 600), ("Tails", 5)]
    {
        for number in 0..files {
            let content = format!("{folder} {number} {}", "wind ".repeat(number * 3));
            bench.write(&format!("OLD/{DOCUMENTS}/{folder}/{number:03} plan.txt"), content);
        }
    }
    let tails = bench.path(&format!("OLD/{DOCUMENTS}/Tails"));
    fs::hard_link(tails.join("001 plan.txt"), tails.join("the same.txt")).unwrap();
    bench
}

/// The restored files, without times.
fn contents(bench: &Workbench, machine: &str) -> BTreeMap<PathBuf, Vec<u8>> {
    let found = bench.snapshot(&format!("{machine}/Users"));
    found.into_iter().map(|(path, (_, content, _))| (path, content)).collect()
}

/// The journal of the only restore, its mark, and its lines.
fn journal(bench: &Workbench) -> (PathBuf, String, Vec<String>) {
    let records = bench.path("NEW/ProgramData/Loyal Porter");
    let mut journals = fs::read_dir(records).unwrap().map(|row| row.unwrap().path());
    let path = journals.find(|path| path.extension().is_some_and(|ending| ending == "jsonl")).unwrap();
    let lines: Vec<String> = fs::read_to_string(&path).unwrap().lines().map(str::to_owned).collect();
    let begin: serde_json::Value = serde_json::from_str(&lines[0]).unwrap();
    (path, begin["mark"].as_str().unwrap().to_owned(), lines)
}

#[test]
fn folders_of_all_kinds_land_with_everything_in_them_and_go_again() {
    let bench = bench();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let before = bench.snapshot("NEW/Users");
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    assert_eq!(contents(&bench, "NEW"), contents(&bench, "OLD"));
    let times = |machine: &str| bench.snapshot(&format!("{machine}/{DOCUMENTS}"));
    assert_eq!(times("NEW"), times("OLD"), "with their times");
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.snapshot("NEW/Users"), before);
}

#[test]
fn what_a_restore_that_was_cut_off_left_waiting_is_gone_after_the_next_one_and_after_the_undo() {
    for then in ["restore", "undo"] {
        let bench = bench();
        bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
        let before = bench.snapshot("NEW/Users");
        bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
        // As if the power had failed while two folders were filled and a file was written: all of it was
        // announced before.
        let (path, mark, lines) = journal(&bench);
        assert!(lines.last().unwrap().contains("\"end\""));
        fs::write(&path, lines[..lines.len() - 1].join("\n") + "\n").unwrap();
        let documents = bench.path(&format!("NEW/{DOCUMENTS}"));
        fs::rename(documents.join("Kites/Sails"), documents.join(format!("Kites/.porter-{mark}-3.part")))
            .unwrap();
        fs::write(documents.join(format!("Kites/.porter-{mark}-3.part/002 plan.txt")), "Kites/Sa").unwrap();
        fs::rename(documents.join("Winds"), documents.join(format!(".porter-{mark}-4.part"))).unwrap();
        fs::rename(documents.join("list.txt"), documents.join(format!(".porter-{mark}-9.part"))).unwrap();
        // Not one of ours, whatever its name looks like.
        bench.write(&format!("NEW/{DOCUMENTS}/.porter-00000000-4.part"), "somebody's");
        let theirs = PathBuf::from("odile/Documents/.porter-00000000-4.part");
        let words: &[&str] =
            if then == "undo" { &["undo", "NEW", "--yes"] } else { &["restore", "trunk", "NEW", "--yes"] };
        bench.porter(words).with_status(0);
        if then == "undo" {
            let mut left = bench.snapshot("NEW/Users");
            assert!(left.remove(&theirs).is_some(), "somebody's file went too");
            left.remove(&PathBuf::from("odile/Documents"));
            let mut before = before;
            before.remove(&PathBuf::from("odile/Documents"));
            assert_eq!(left, before);
        } else {
            let mut now = contents(&bench, "NEW");
            assert!(now.remove(&theirs).is_some(), "somebody's file went too");
            assert_eq!(now, contents(&bench, "OLD"));
        }
    }
}

#[test]
fn a_damaged_file_in_a_new_folder_is_named_and_the_others_land() {
    let bench = bench();
    bench.porter(&["capture", "OLD", "trunk", "--form", "open", "--quiet"]).with_status(0);
    let found = bench.snapshot("trunk");
    let damaged = found.keys().find(|path| path.ends_with("Kites/Sails/003 plan.txt")).unwrap();
    let path = bench.path("trunk").join(damaged);
    let length = fs::read(&path).unwrap().len();
    fs::write(&path, "?".repeat(length)).unwrap();

    let said = bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(3);
    assert!(said.out.contains("Kites/Sails/003 plan.txt"), "{}", said.out);
    let mut expected = contents(&bench, "OLD");
    expected.remove(&PathBuf::from("odile/Documents/Kites/Sails/003 plan.txt")).unwrap();
    assert_eq!(contents(&bench, "NEW"), expected, "nothing is under its name, and nothing waits");
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json"]).with_status(3).json();
    assert!(receipt.to_string().contains("Kites/Sails/003 plan.txt"), "{receipt}");
}
