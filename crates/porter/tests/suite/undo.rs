//! A restore taken back: the machine as it was, but for what somebody has worked on since.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;
use std::time::SystemTime;

type Snapshot = BTreeMap<PathBuf, (String, Vec<u8>, Option<SystemTime>)>;

fn without_records(bench: &Workbench) -> Snapshot {
    let mut found = bench.snapshot("TIDEWATER");
    found.retain(|path, _| !path.to_string_lossy().contains("Loyal Porter"));
    found
}

const RESTORE: [&str; 6] = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes"];

#[test]
fn undo_leaves_the_machine_as_it_was_and_keeps_what_was_worked_on() {
    let bench = Workbench::with_trunk();
    let before = without_records(&bench);
    let none = bench.porter(&["undo", "TIDEWATER", "--yes"]).with_status(1);
    assert!(none.err.contains("no restore to take back"), "{}", none.err);

    bench.porter(&RESTORE).with_status(0);
    let restored = without_records(&bench);
    bench.porter(&["undo", "TIDEWATER"]).with_status(2);
    let tried = bench.porter(&["undo", "TIDEWATER", "--try", "--json"]).with_status(0).json();
    assert_eq!(without_records(&bench), restored, "--try changed something");
    let done = bench.porter(&["undo", "TIDEWATER", "--yes", "--json"]).with_status(0).json();
    assert_eq!((&done["removed"], &done["put_back"]), (&tried["removed"], &tried["put_back"]));
    assert_eq!(done["put_back"], 7);
    assert_eq!(without_records(&bench), before);

    // Again, and this time somebody works on the new machine before it is taken back.
    bench.porter(&RESTORE).with_status(0);
    bench.write("TIDEWATER/Users/odile/Documents/Kite plans/added.txt", "new work");
    let landed: Vec<PathBuf> = restored
        .keys()
        .filter(|path| !before.contains_key(*path) && bench.path("TIDEWATER").join(path).is_file())
        .cloned()
        .collect();
    let changed = bench.path("TIDEWATER").join(&landed[0]);
    fs::write(&changed, "worked on").unwrap();
    let undone = bench.porter(&["undo", "TIDEWATER", "--yes"]).with_status(3);
    assert!(undone.out.contains("somebody has worked on it since"), "{}", undone.out);
    assert_eq!(fs::read(&changed).unwrap(), b"worked on");
    assert_eq!(bench.read("TIDEWATER/Users/odile/Documents/Kite plans/added.txt"), "new work");

    let list = bench.porter(&["undo", "TIDEWATER", "--list", "--json"]).with_status(0).json();
    let states: Vec<_> =
        list["restores"].as_array().unwrap().iter().map(|row| row["state"].clone()).collect();
    assert_eq!(states, ["taken-back", "taken-back"]);
    bench.porter(&["undo", "TIDEWATER", "--yes"]).with_status(1);
}

#[test]
fn a_file_that_is_there_keeps_its_name_if_it_is_to_and_work_since_the_restore_is_no_fault() {
    let bench = Workbench::new();
    for (machine, letter) in [("OLD", "from the old machine"), ("NEW", "from the new one")] {
        bench.empty_machine(machine, "odile");
        bench.write(&format!("{machine}/Users/odile/Documents/letter.txt"), letter);
    }
    bench.write("OLD/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.write("OLD/Users/odile/Documents/gone.txt", "will be deleted");
    bench.porter(&["capture", "OLD", "trunk"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--existing", "ask"]).with_status(2);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--existing", "keep"]).with_status(0);
    assert_eq!(bench.read("NEW/Users/odile/Documents/letter.txt"), "from the new one");
    let again =
        bench.porter(&["restore", "trunk", "NEW", "--yes", "--existing", "keep", "--json"]).with_status(0);
    assert_eq!(again.json()["written"]["files"], 0);

    let documents = |receipt: &serde_json::Value| {
        let items = receipt["items"].as_array().unwrap();
        let item = items.iter().find(|item| item["id"] == "odile/folder/documents").unwrap();
        let mut rows: Vec<String> = item["reasons"]
            .as_array()
            .unwrap()
            .iter()
            .map(|row| {
                format!("{} {} {}", row["path"], row["verdict"], row["needs_attention"]).replace('"', "")
            })
            .collect();
        rows.sort();
        rows
    };
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    assert_eq!(documents(&receipt), ["letter.txt kept_existing false"]);

    bench.write("NEW/Users/odile/Documents/plan.txt", "14 mm spar");
    fs::remove_file(bench.path("NEW/Users/odile/Documents/gone.txt")).unwrap();
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(3).json();
    assert_eq!(
        documents(&receipt),
        ["gone.txt missing true", "letter.txt kept_existing false", "plan.txt changed false"]
    );
    let text = bench.porter(&["check", "trunk", "NEW"]).with_status(3).out;
    assert!(text.contains("was worked on until") || text.contains("removed or renamed it since"), "{text}");
}

#[test]
fn each_restore_in_the_list_says_what_became_of_it_and_what_stays_says_why() {
    let bench = Workbench::new();
    for (machine, letter) in [("OLD", "from the old machine"), ("NEW", "from the new one")] {
        bench.empty_machine(machine, "odile");
        for name in ["letter.txt", "rota.txt"] {
            bench.write(&format!("{machine}/Users/odile/Documents/{name}"), letter);
        }
    }
    bench.write("OLD/Users/odile/Documents/Kites/plan.txt", "12 mm spar");
    let documents = bench.path("NEW/Users/odile/Documents");
    let list = || bench.porter(&["undo", "NEW", "--list"]).with_status(0).out;
    assert!(list().contains("Nothing was restored to NEW yet"), "{}", list());
    bench.porter(&["capture", "OLD", "trunk"]).with_status(0);
    let before = bench.snapshot("NEW/Users");
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(0);
    assert!(list().contains("OLD, trunk ") && list().contains("  stands\n"), "{}", list());
    let tried = bench.porter(&["undo", "NEW", "--try"]).with_status(0).out;
    let numbers = |row: &str| {
        let line = tried.lines().find(|line| line.contains(row)).unwrap_or_else(|| panic!("{row}: {tried}"));
        line.split(row).nth(1).unwrap().trim().to_owned()
    };
    assert!(numbers("to remove").starts_with("3 files, ") && numbers("to remove").ends_with("; 1 folder"));
    assert_eq!(numbers("to put back"), "2 entries");

    // As if the power had failed before the last line.
    let journal = bench.journal_on("NEW");
    let text = fs::read_to_string(&journal).unwrap();
    let (all_but_last, _) = text.trim_end().rsplit_once('\n').unwrap();
    fs::write(&journal, format!("{all_but_last}\n")).unwrap();
    assert!(list().contains("  was cut off\n"), "{}", list());
    fs::write(&journal, &text).unwrap();

    // The file that was set aside for one letter is removed, the other letter itself is removed, and a folder
    // gets a stranger's file.
    let aside = |name: &str| {
        let stem = name.strip_suffix(".txt").unwrap();
        let rows = fs::read_dir(&documents).unwrap().flatten().map(|row| row.path());
        let mut found = rows.filter(|path| {
            let shown = path.file_name().unwrap().to_string_lossy().into_owned();
            shown.starts_with(stem) && shown != name
        });
        found.next().unwrap_or_else(|| panic!("nothing was set aside for {name}"))
    };
    let (lost, _) = (aside("letter.txt"), fs::remove_file(documents.join("rota.txt")).unwrap());
    fs::remove_file(&lost).unwrap();
    bench.write("NEW/Users/odile/Documents/Kites/guest.txt", "new work");
    let said = bench.porter(&["undo", "NEW", "--yes"]).with_status(3).out;
    for words in ["and is gone: this is all there is", "something that was not restored is in this folder"] {
        assert!(said.contains(words), "{words}: {said}");
    }
    assert!(list().contains("; 2 entries stayed\n"), "{}", list());
    assert_eq!(bench.read("NEW/Users/odile/Documents/letter.txt"), "from the old machine");
    assert_eq!(bench.read("NEW/Users/odile/Documents/rota.txt"), "from the new one");
    assert!(!documents.join("Kites/plan.txt").exists());
    // With the guest and the letter gone, the machine is as it was.
    fs::remove_dir_all(documents.join("Kites")).unwrap();
    let mut expected = before;
    expected.retain(|path, _| !path.ends_with("letter.txt"));
    let mut found = bench.snapshot("NEW/Users");
    found.retain(|path, _| !path.ends_with("letter.txt"));
    assert_eq!(found, expected);
}

#[cfg(unix)]
#[test]
fn undo_goes_through_no_link_and_a_damaged_journal_costs_only_its_damaged_lines() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    for name in ["Kites/plan.txt", "letter.txt", "rota.txt"] {
        bench.write(&format!("OLD/Users/odile/Documents/{name}"), name);
    }
    bench.porter(&["capture", "OLD", "trunk"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(0);
    // Somebody moved a folder elsewhere and left a link: the very same file is behind it.
    let kites = bench.path("NEW/Users/odile/Documents/Kites");
    fs::rename(&kites, bench.path("elsewhere")).unwrap();
    std::os::unix::fs::symlink(bench.path("elsewhere"), &kites).unwrap();
    let journal = bench.journal_on("NEW");
    let damaged: Vec<String> = fs::read_to_string(&journal)
        .unwrap()
        .lines()
        .map(|line| if line.contains("rota.txt") { line.replace("\"step\"", "\u{7}") } else { line.to_owned() } + "\n")
        .collect();
    fs::write(&journal, damaged.concat()).unwrap();

    let undone = bench.porter(&["undo", "NEW", "--yes", "--json"]).with_status(3).json();
    assert_eq!((&undone["unreadable_lines"], &undone["removed"]["files"]), (&1.into(), &1.into()));
    assert_eq!(bench.read("elsewhere/plan.txt"), "Kites/plan.txt");
    assert_eq!(bench.read("NEW/Users/odile/Documents/rota.txt"), "rota.txt");
    assert!(!bench.path("NEW/Users/odile/Documents/letter.txt").exists());
    assert!(undone["kept"][0]["at"].as_str().unwrap().ends_with("Documents/Kites/plan.txt"), "{undone}");
}

#[test]
fn an_undo_that_was_killed_and_is_run_again_does_not_take_what_it_put_back_for_somebodys_work() {
    let bench = Workbench::new();
    for (name, content) in [("OLD", "of the old machine"), ("NEW", "of the new machine")] {
        bench.empty_machine(name, "odile");
        bench.write(&format!("{name}/Users/odile/Documents/plan.txt"), content);
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    // As if the restore had been killed when it had set the file aside, and had gone on: the second time
    // nothing is set aside.
    let journal = bench.journal_on("NEW");
    let text = fs::read_to_string(&journal).unwrap();
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    let land = lines.iter().position(|line| line.contains("plan.txt") && line.contains("aside")).unwrap();
    let mut again: serde_json::Value = serde_json::from_str(&lines[land]).unwrap();
    again.as_object_mut().unwrap().remove("aside");
    let go_on =
        r#"{"step":"go-on","started_utc":"2026-11-29T00:00:00Z","accounts":{"odile":"odile"},"items":[]}"#;
    lines.splice(land + 1..land + 1, [go_on.to_owned(), again.to_string()]);
    fs::write(&journal, lines.join("\n") + "\n").unwrap();
    // As if the undo had been killed when it had put that file back.
    let documents = bench.path("NEW/Users/odile/Documents");
    let aside = fs::read_dir(&documents).unwrap().map(|row| row.unwrap().path());
    let aside = aside.into_iter().find(|path| path.to_string_lossy().contains("set aside")).unwrap();
    fs::rename(aside, documents.join("plan.txt")).unwrap();
    let said = bench.porter(&["undo", "NEW", "--yes", "--json"]).with_status(0).json();
    assert_eq!(said["stayed"].as_array().map_or(0, Vec::len), 0, "{said}");
    assert_eq!(bench.read("NEW/Users/odile/Documents/plan.txt"), "of the new machine");
}
