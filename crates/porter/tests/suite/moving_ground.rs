//! Machines on which somebody goes on working: while they are captured, and while something is restored onto
//! them. (On Windows a program that writes a file keeps others out of it.)
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::dice::Dice;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

const FILES: usize = 240;

fn path_of(documents: &Path, number: usize) -> PathBuf {
    documents.join(format!("folder {}/note {number:03}.txt", number % 8))
}

/// Each file's content names the file and its state.
fn content_of(number: usize, state: usize) -> String {
    format!("note {number} state {state} {}", "the wind turns at four ".repeat(1 + number % 90))
}

fn write_all(documents: &Path, state: usize) {
    for number in 0..FILES {
        let path = path_of(documents, number);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content_of(number, state)).unwrap();
    }
}

/// Every content below a folder, with how often it is there.
fn contents_below(bench: &Workbench, below: &str) -> BTreeMap<Vec<u8>, usize> {
    let mut found = BTreeMap::new();
    for (kind, content, _) in bench.snapshot(below).into_values() {
        if kind == "file" {
            *found.entry(content).or_default() += 1;
        }
    }
    found
}

/// Runs `work` while `disturb` is called again and again.
fn while_somebody<R>(mut disturb: impl FnMut() + Send, work: impl FnOnce() -> R) -> R {
    let done = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let (done, disturb) = (&done, &mut disturb);
        scope.spawn(move || {
            while !done.load(Ordering::Relaxed) {
                disturb();
            }
        });
        let result = work();
        done.store(true, Ordering::Relaxed);
        result
    })
}

#[test]
fn what_changes_during_a_capture_is_whole_in_one_of_its_states_or_named() {
    for round in 0..4 {
        let bench = Workbench::new();
        bench.empty_machine("OLD", "odile");
        let documents = bench.path("OLD/Users/odile/Documents");
        write_all(&documents, 0);
        let mut dice = Dice::named(&format!("capture {round}"));
        let mut state = 0;
        let captured = while_somebody(
            || {
                let path = path_of(&documents, dice.below(FILES));
                let number: usize = path.file_stem().unwrap().to_str().unwrap()[5..].parse().unwrap();
                state += 1;
                match dice.below(4) {
                    // As careful programs write: beside it, and then under its name.
                    0 => {
                        let beside = documents.join("being written.tmp");
                        fs::write(&beside, content_of(number, state)).unwrap();
                        let _ = fs::rename(&beside, &path);
                    }
                    1 => drop(fs::remove_file(&path)),
                    2 => drop(fs::rename(&path, documents.join(format!("moved {number:03}.txt")))),
                    _ => drop(fs::write(&path, content_of(number, state))),
                }
            },
            || bench.porter(&["capture", "OLD", "trunk", "--json"]),
        );
        assert!([0, 3].contains(&captured.status), "{captured:?}");
        let report = captured.json();
        for key in ["files", "bytes"] {
            let number = |of: &str| report[of][key].as_u64().unwrap();
            assert_eq!(number("seen"), number("captured") + number("left"), "{key}");
        }
        let receipt = bench.porter(&["check", "trunk", "--json", "-"]).json();
        let damaged =
            ["changed", "missing"].map(|verdict| receipt["totals"]["files"][verdict].as_u64().unwrap());
        assert_eq!(damaged, [0, 0], "{receipt}");
        bench.porter(&["take", "trunk", "odile/folder/documents", "out", "--quiet"]).with_status(0);
        let torn: BTreeSet<String> = report["left_behind"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|row| row["item"] == "odile/folder/documents")
            .map(|row| row["path"].as_str().unwrap().to_owned())
            .collect();
        for (path, (kind, content, _)) in bench.snapshot("out") {
            let text = String::from_utf8(content).unwrap();
            if kind != "file" || text.is_empty() || path.ends_with("being written.tmp") {
                continue;
            }
            let words: Vec<usize> = text.split(' ').filter_map(|word| word.parse().ok()).collect();
            let whole = words.len() == 2 && text == content_of(words[0], words[1]);
            assert!(whole, "round {round}: {} is torn, and not among {torn:?}", path.display());
        }
    }
}

#[test]
fn what_somebody_writes_during_a_restore_is_never_lost() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    write_all(&bench.path("OLD/Users/odile/Documents"), 0);
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    for round in 0..4 {
        let name = format!("NEW {round}");
        bench.empty_machine(&name, "odile");
        let documents = bench.path(&format!("{name}/Users/odile/Documents"));
        for folder in 0..8 {
            fs::create_dir_all(documents.join(format!("folder {folder}"))).unwrap();
        }
        let mut dice = Dice::named(&format!("restore {round}"));
        let mut written = Vec::new();
        let restored = while_somebody(
            || {
                // Somebody saves under a name that is to come, if it is still free.
                let path = path_of(&documents, dice.below(FILES));
                let content = format!("somebody's own {}", written.len());
                if let Ok(mut file) = fs::File::create_new(&path) {
                    std::io::Write::write_all(&mut file, content.as_bytes()).unwrap();
                    written.push(content);
                }
                std::thread::yield_now();
            },
            || bench.porter(&["restore", "trunk", &name, "--yes", "--json"]),
        );
        assert!([0, 3].contains(&restored.status), "{restored:?}");
        let there = contents_below(&bench, &name);
        for content in &written {
            assert_eq!(there.get(content.as_bytes()), Some(&1), "round {round}: {content} is gone");
        }
        // A file that did not get its name is named; once nobody writes, it lands, and the file in its place
        // is set aside.
        let refused = restored.json()["refused"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|row| row["needs_attention"] == true)
            .count();
        assert_eq!(restored.status == 3, refused > 0, "{restored:?}");
        bench.porter(&["restore", "trunk", &name, "--yes", "--quiet"]).with_status(0);
        bench.porter(&["check", "trunk", &name, "--quiet"]).with_status(0);
        let there = contents_below(&bench, &name);
        assert!(written.iter().all(|content| there.contains_key(content.as_bytes())), "round {round}");
    }
}
