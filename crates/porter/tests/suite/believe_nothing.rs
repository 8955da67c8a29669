//! A trunk, a journal or a folder cannot make porter write where the rules here do not allow it; and only one
//! porter runs at a time.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::{Workbench, forge};
use serde_json::{Value, json};
use std::fs;

const DOCUMENTS: &str = "Users/odile/Documents";
const RECORDS: &str = "NEW/ProgramData/Loyal Porter";

fn machines() -> Workbench {
    let bench = Workbench::new();
    for name in ["OLD", "NEW"] {
        bench.empty_machine(name, "odile");
        bench.write(&format!("{name}/Users/tamsin/NTUSER.DAT"), "x");
        fs::create_dir_all(bench.path(&format!("{name}/Users/tamsin/Documents"))).unwrap();
    }
    bench.write(&format!("OLD/{DOCUMENTS}/letter.txt"), "Dear Odile");
    bench
}

fn refusals(document: &Value) -> String {
    let rows = document["refused"].as_array().unwrap().iter();
    rows.map(|row| format!("{}: {}\n", row["path"].as_str().unwrap(), row["reason"].as_str().unwrap()))
        .collect()
}

#[test]
fn porters_own_records_are_no_landing_place_whatever_rule_asks_for_it() {
    let bench = machines();
    bench.write("OLD/ProgramData/Loyal Porter/restore-2030-01-01T000000Z-01-00000000.jsonl", "{}\n");
    bench.write("OLD/ProgramData/Kite Ledger/2026.ledger", "spar 12 mm");
    for (name, path) in [("own", "Loyal Porter"), ("ledger", "Kite Ledger")] {
        let rule = format!(
            "id = \"kites/{name}\"\ntitle = \"{name}\"\n[[find]]\nplace = \"shared-data\"\npath = \"{path}\"\n"
        );
        bench.write(&format!("{name}.toml"), rule);
    }
    let rules = ["--rules", "own.toml", "--rules", "ledger.toml", "--quiet"];
    bench.porter(&[&["capture", "OLD", "trunk"], &rules[..]].concat()).with_status(0);
    let said =
        bench.porter(&[&["restore", "trunk", "NEW", "--yes", "--json"], &rules[..]].concat()).with_status(3);
    assert!(refusals(&said.json()).contains("porter keeps its own records there"), "{}", said.out);
    assert_eq!(bench.read("NEW/ProgramData/Kite Ledger/2026.ledger"), "spar 12 mm");
    assert!(!bench.path(&format!("{RECORDS}/restore-2030-01-01T000000Z-01-00000000.jsonl")).exists());
    bench.porter(&[&["undo", "NEW", "--yes"], &rules[..]].concat()).with_status(0);
    assert!(!bench.path("NEW/ProgramData/Kite Ledger").exists());
}

#[test]
fn the_rules_here_hold_back_what_a_trunk_says_is_free_and_nothing_goes_to_somebody_else() {
    let bench = machines();
    let startup = "Users/odile/AppData/Roaming/Microsoft/Windows/Start Menu/Programs/Startup";
    bench.write(&format!("OLD/{startup}/planner.lnk"), "runs by itself");
    bench.write("OLD/Users/odile/AppData/Roaming/Microsoft/Protect/key", "bound");
    bench.write("OLD/Kites/plan.txt", "spar");
    bench.porter(&["capture", "OLD", "trunk", "--form", "open", "--quiet"]).with_status(0);
    let entries = bench.read("trunk/porter/entries.jsonl");
    let held = |text: &str| text.lines().filter(|line| line.contains("\"held\"")).count();
    assert!(held(&entries) >= 5, "{entries}");
    forge(&bench.path("trunk"), "porter/entries.jsonl", |text| {
        let free = |line: &str| {
            let mut entry: Value = serde_json::from_str(line).unwrap();
            entry.as_object_mut().unwrap().remove("held");
            if entry["path"] == "letter.txt" {
                entry["owner"] = "tamsin".into();
            }
            if entry["path"] == "Kites/plan.txt" {
                entry["path"] = "Windows/System32/plan.txt".into();
                entry["stored"] = "Kites/plan.txt".into();
            }
            format!("{entry}\n")
        };
        text.lines().map(free).collect()
    });
    assert_eq!(held(&bench.read("trunk/porter/entries.jsonl")), 0);
    let before = bench.snapshot("NEW");
    let said = bench.porter(&["restore", "trunk", "NEW", "--yes", "--json", "--quiet"]).with_status(3).json();
    let told = refusals(&said);
    for words in [
        "letter.txt: refused: it says that it is somebody else's",
        "plan.txt: refused: it lies outside of its item",
        "NTUSER.DAT: kept in the trunk",
        "key: kept in the trunk",
        "planner.lnk: kept in the trunk: it would start automatically",
    ] {
        assert!(told.contains(words), "{words}\n{told}");
    }
    let after = bench.snapshot("NEW");
    let own = |path: &std::path::Path| path.to_string_lossy().contains("Loyal Porter");
    let landed: Vec<_> = after.keys().filter(|path| !before.contains_key(*path) && !own(path)).collect();
    assert!(landed.iter().all(|path| after[*path].0 == "folder"), "{landed:?}");
    assert_eq!(after[std::path::Path::new("Users/odile/NTUSER.DAT")].1, b"x");
}

#[test]
fn a_journal_is_believed_no_further_than_a_restore_goes() {
    let bench = machines();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.write(&format!("NEW/{DOCUMENTS}/diary.txt"), "mine");
    let journal = bench.journal_on("NEW");
    let text = fs::read_to_string(&journal).unwrap();
    let (first, last) = text.trim_end().rsplit_once('\n').unwrap();
    // It knows the very bytes of what it wants to have removed.
    let hash = blake3::hash(b"x").to_hex().to_string();
    let land = |at: &str, aside: Option<&str>| {
        let entry = json!({"owner": "odile", "place": "documents", "path": at});
        let mut line = json!({"step": "land", "entry": entry, "at": {"path": at}, "blake3": hash});
        if let Some(aside) = aside {
            line["aside"] = json!({"path": aside});
        }
        line
    };
    let lines = [
        land("Windows/System32/kernel32.dll", None),
        land(&format!("{DOCUMENTS}/none.txt"), Some("Users/tamsin/NTUSER.DAT")),
        json!({"step": "set-aside", "at": {"path": "Users/tamsin/taken.txt"}, "to": {"path": format!("{DOCUMENTS}/diary.txt")}}),
        json!({"step": "registry-key", "sid": "S-1-5-21-1", "key": "Software\\Microsoft\\Windows\\CurrentVersion\\Run"}),
    ];
    let lines: String = lines.iter().map(|line| format!("{line}\n")).collect();
    fs::write(&journal, format!("{first}\n{lines}{last}\n")).unwrap();
    for words in [&["undo", "NEW", "--try", "--json"][..], &["undo", "NEW", "--yes", "--json"]] {
        let said = bench.porter(words).with_status(3).json();
        assert_eq!(
            (said["kept"].as_array().unwrap().len(), &said["removed"]["files"]),
            (4, &1.into()),
            "{said}"
        );
        assert!(said["kept"].to_string().contains("no rule names this key"), "{said}");
    }
    for (path, content) in [
        ("NEW/Windows/System32/kernel32.dll", "x"),
        ("NEW/Users/tamsin/NTUSER.DAT", "x"),
        (&format!("NEW/{DOCUMENTS}/diary.txt"), "mine"),
    ] {
        assert_eq!(bench.read(path), content, "{path}");
    }
}

#[test]
fn two_porters_do_not_work_on_one_machine() {
    let bench = machines();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let lock = fs::File::create(bench.path(&format!("{RECORDS}/lock"))).unwrap();
    lock.lock().unwrap();
    for words in [&["undo", "NEW", "--yes"][..], &["restore", "trunk", "NEW", "--yes"]] {
        let said = bench.porter(words).with_status(1);
        assert!(said.err.contains("another porter is at work on this machine"), "{}", said.err);
    }
    bench.porter(&["undo", "NEW", "--try"]).with_status(0);
    assert!(bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());
    // A killed program's lock is the system's to give back.
    drop(lock);
    bench.porter(&["undo", "NEW", "--yes"]).with_status(0);
}

#[cfg(unix)]
#[test]
fn a_records_folder_that_strangers_may_write_to_is_not_used() {
    use std::os::unix::fs::PermissionsExt;
    let bench = machines();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let mode = |path: &std::path::Path| fs::metadata(path).unwrap().permissions().mode() & 0o777;
    let records = bench.path(RECORDS);
    assert_eq!((mode(&records), mode(&bench.journal_on("NEW"))), (0o700, 0o600));
    fs::set_permissions(&records, fs::Permissions::from_mode(0o777)).unwrap();
    for words in
        [&["undo", "NEW", "--yes"][..], &["undo", "NEW", "--try"], &["restore", "trunk", "NEW", "--yes"]]
    {
        let said = bench.porter(words).with_status(1);
        assert!(
            said.err.contains("others may write to it") && said.err.contains("move it away"),
            "{}",
            said.err
        );
    }
    // A volume that keeps no permissions says the same of all its folders.
    fs::set_permissions(bench.path("NEW"), fs::Permissions::from_mode(0o777)).unwrap();
    bench.porter(&["undo", "NEW", "--yes"]).with_status(0);
}

#[test]
fn a_restore_that_was_cut_off_is_gone_on_with_and_one_undo_takes_back_all_of_it() {
    let bench = machines();
    for number in 0..40 {
        bench.write(
            &format!("OLD/{DOCUMENTS}/Kites/{}/plan {number}.txt", number % 8),
            format!("plan {number}"),
        );
    }
    bench.write(&format!("NEW/{DOCUMENTS}/letter.txt"), "of the new machine");
    let old_time = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_300_000_000);
    let set_time = |path: &std::path::Path, time| {
        #[cfg(unix)]
        fs::File::open(path).unwrap().set_times(fs::FileTimes::new().set_modified(time)).unwrap();
        #[cfg(windows)]
        let _ = (path, time);
    };
    for number in 0..8 {
        set_time(&bench.path(&format!("OLD/{DOCUMENTS}/Kites/{number}")), old_time);
    }
    let before = bench.snapshot("NEW/Users");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    // As after a power failure: the end of the journal is missing, and with it a part of the files, and the
    // times of all folders.
    let journal = bench.journal_on("NEW");
    let text = fs::read_to_string(&journal).unwrap();
    let cut = text.trim_end().rfind('\n').unwrap() + 1 + 9;
    fs::write(&journal, &text[..cut]).unwrap();
    for number in 0..8 {
        let folder = bench.path(&format!("NEW/{DOCUMENTS}/Kites/{number}"));
        if number % 2 == 0 {
            fs::remove_file(folder.join(format!("plan {number}.txt"))).unwrap();
        }
        set_time(&folder, std::time::SystemTime::now());
    }
    let checked = bench.porter(&["check", "trunk", "NEW", "--json", "-", "--quiet"]).with_status(3);
    assert!(checked.out.contains("restore-cut-off"), "{}", checked.out);

    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    if cfg!(unix) {
        for number in 0..8 {
            let folder = bench.path(&format!("NEW/{DOCUMENTS}/Kites/{number}"));
            assert_eq!(fs::metadata(folder).unwrap().modified().unwrap(), old_time, "{number}");
        }
    }
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    let list = bench.porter(&["undo", "NEW", "--list", "--json"]).with_status(0).json();
    assert_eq!(list["restores"].as_array().unwrap().len(), 1, "{list}");
    let tried = bench.porter(&["undo", "NEW", "--try", "--json"]).with_status(0).json();
    let undone = bench.porter(&["undo", "NEW", "--yes", "--json"]).with_status(0).json();
    assert_eq!((&tried["removed"], &tried["put_back"]), (&undone["removed"], &undone["put_back"]));
    assert_eq!(bench.snapshot("NEW/Users"), before);
}

/// A path that was planned by name is written through its open folder.
#[cfg(target_os = "linux")]
#[test]
fn a_folder_that_is_exchanged_for_a_link_leads_nobody_outside() {
    let bench = machines();
    for number in 0..3000 {
        bench.write(&format!("OLD/{DOCUMENTS}/Kites/{}/{number}.txt", number % 10), format!("plan {number}"));
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    fs::create_dir(bench.path("outside")).unwrap();
    fs::create_dir_all(bench.path(&format!("NEW/{DOCUMENTS}/Kites"))).unwrap();
    let (kites, away) =
        (bench.path(&format!("NEW/{DOCUMENTS}/Kites")), bench.path(&format!("NEW/{DOCUMENTS}/away")));
    let done = std::sync::atomic::AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            while !done.load(std::sync::atomic::Ordering::Relaxed) {
                if fs::rename(&kites, &away).is_ok() {
                    let _ = std::os::unix::fs::symlink(bench.path("outside"), &kites);
                    let _ = fs::remove_file(&kites);
                    let _ = fs::rename(&away, &kites);
                }
            }
        });
        for _ in 0..4 {
            bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]);
            bench.porter(&["undo", "NEW", "--yes", "--quiet"]);
        }
        done.store(true, std::sync::atomic::Ordering::Relaxed);
    });
    assert_eq!(fs::read_dir(bench.path("outside")).unwrap().count(), 0);
}
