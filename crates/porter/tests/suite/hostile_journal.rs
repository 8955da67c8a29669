//! Journals that somebody has tampered with, or that were never ours: an undo believes a line only if the
//! machine bears it out.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::{Value, json};
use std::fs;
use std::path::PathBuf;

const RECORDS: &str = "NEW/ProgramData/Loyal Porter";
const DOCUMENTS: &str = "Users/odile/Documents";

/// A machine with things of its own, onto which one letter was restored.
fn restored() -> (Workbench, PathBuf) {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write(&format!("OLD/{DOCUMENTS}/letter.txt"), "Dear Odile");
    bench.write(&format!("NEW/{DOCUMENTS}/own.txt"), "ten years of work");
    bench.write(&format!("NEW/{DOCUMENTS}/Own folder/own too.txt"), "and more of it");
    bench.write("outside.txt", "on another drive");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let journal = bench.journal_on("NEW");
    (bench, journal)
}

/// Puts lines before the last one.
fn tamper(journal: &PathBuf, lines: &[Value]) {
    let text = fs::read_to_string(journal).unwrap();
    let (first, last) = text.trim_end().rsplit_once('\n').unwrap();
    let lines: String = lines.iter().map(|line| format!("{line}\n")).collect();
    fs::write(journal, format!("{first}\n{lines}{last}\n")).unwrap();
}

fn land(path: &str, blake3: &str, aside: Option<&str>) -> Value {
    let mut line = json!({
        "step": "land",
        "entry": {"owner": "odile", "place": "documents", "path": path},
        "at": {"path": path},
        "blake3": blake3,
    });
    if let Some(aside) = aside {
        line["aside"] = json!({"path": aside});
    }
    line
}

/// The proof of no content that is there.
const OF_NONE: &str = "af1349b9f5f9a1a6a0404dea36dcc9494f4b4a3e3c1f7b1f2a2b3c4d5e6f7081";

#[test]
fn an_undo_removes_nothing_that_is_not_byte_for_byte_what_a_line_says_was_restored() {
    let (bench, journal) = restored();
    let own = format!("{DOCUMENTS}/own.txt");
    tamper(
        &journal,
        &[
            land(&own, OF_NONE, None),
            land(&own, OF_NONE, Some(&format!("{DOCUMENTS}/never was.txt"))),
            land(DOCUMENTS, OF_NONE, None),
            land("../outside.txt", OF_NONE, None),
            land("/etc/hostname", OF_NONE, None),
            land(&format!("{DOCUMENTS}/../../../../outside.txt"), OF_NONE, None),
            json!({"step": "folder", "at": {"path": format!("{DOCUMENTS}/Own folder")}}),
            json!({"step": "folder", "at": {"path": ""}}),
            json!({"step": "folder", "at": {"path": ".."}}),
            json!({"step": "set-aside", "at": {"path": "../taken.txt"}, "to": {"path": own}}),
            json!({"step": "set-aside", "at": {"path": own}, "to": {"path": format!("{DOCUMENTS}/Own folder")}}),
            json!({"step": "folder-was", "at": {"path": ".."}, "modified_utc": "1999-01-01T00:00:00Z"}),
            json!({"step": "fly", "at": {"path": own}}),
            json!(["land", own]),
            json!(null),
        ],
    );
    let outside = fs::metadata(bench.path("")).unwrap().modified().unwrap();
    let tried = bench.porter(&["undo", "NEW", "--try", "--json", "--quiet"]).with_status(3).json();
    let done = bench.porter(&["undo", "NEW", "--yes", "--json", "--quiet"]).with_status(3).json();
    for told in [&tried, &done] {
        assert_eq!(told["removed"]["files"], 1, "more than the letter: {told}");
        assert!(told["unreadable_lines"].as_u64().unwrap() >= 8, "{told}");
    }
    assert!(done["kept"].to_string().contains("own.txt"), "{done}");
    assert_eq!(bench.read(&format!("NEW/{own}")), "ten years of work");
    assert_eq!(bench.read(&format!("NEW/{DOCUMENTS}/Own folder/own too.txt")), "and more of it");
    assert_eq!(bench.read("outside.txt"), "on another drive");
    assert!(!bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());
    assert!(!bench.path("taken.txt").exists() && bench.path(&format!("NEW/{DOCUMENTS}")).is_dir());
    assert_eq!(fs::metadata(bench.path("")).unwrap().modified().unwrap(), outside);
}

#[test]
fn what_is_no_journal_is_passed_by_and_one_that_cannot_be_undone_is_refused_with_its_reason() {
    let (bench, journal) = restored();
    let text = fs::read_to_string(&journal).unwrap();
    for (name, content) in [
        ("restore-2030-01-01T000000Z-01-00000000.jsonl", ""),
        ("restore-2030-01-02T000000Z-01-00000000.jsonl", "\n\n"),
        ("restore-2030-01-03T000000Z-01-00000000.jsonl", "{\"step\":\"begin\"}\n"),
        ("restore-2030-01-04T000000Z-01-00000000.jsonl", "\u{0}\u{0}\u{0}\u{0}"),
        ("notes.txt", "not ours"),
    ] {
        bench.write(&format!("{RECORDS}/{name}"), content);
    }
    fs::create_dir(bench.path(&format!("{RECORDS}/folder.jsonl"))).unwrap();
    #[cfg(target_os = "linux")]
    {
        use rustix::fs::{CWD, FileType, Mode, mknodat};
        let pipe = bench.path(&format!("{RECORDS}/restore-2030-01-05T000000Z-01-00000000.jsonl"));
        mknodat(CWD, pipe, FileType::Fifo, Mode::from_raw_mode(0o600), 0).unwrap();
    }
    let list = bench.porter(&["undo", "NEW", "--list", "--json"]).with_status(3).json();
    assert_eq!(list["restores"].as_array().unwrap().len(), 1, "{list}");
    assert_eq!(list["unreadable"].as_array().unwrap().len(), 3, "{list}");
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    // The latest restore and its trunk are unknown: the restore before it is not taken back in its stead.
    let said = bench.porter(&["undo", "NEW", "--yes"]).with_status(1);
    assert!(
        said.err.contains("restore-2030-01-04") && said.err.contains("of the latest restore"),
        "{}",
        said.err
    );
    assert!(bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());
    for day in 2..=4 {
        let name = format!("{RECORDS}/restore-2030-01-0{day}T000000Z-01-00000000.jsonl");
        fs::remove_file(bench.path(&name)).unwrap();
    }
    bench.porter(&["undo", "NEW", "--list"]).with_status(0);

    // Once of the first version, and once of a version that never existed.
    let early = text.replacen("porter-journal/3", "porter-journal/1", 1);
    fs::write(&journal, &early).unwrap();
    let said = bench.porter(&["undo", "NEW", "--yes"]).with_status(1);
    assert!(said.err.contains("written by an earlier porter"), "{}", said.err);
    assert!(bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());
    fs::write(&journal, text.replacen("porter-journal/3", "porter-journal/99", 1)).unwrap();
    let said = bench.porter(&["undo", "NEW", "--yes"]).with_status(1);
    assert!(said.err.contains("written by a later porter"), "{}", said.err);
    assert!(bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());

    // Cut off in the middle of a line, as by a power failure: what was whole counts.
    // The version before is read and taken back as this one.
    let earlier = text.replacen("porter-journal/3", "porter-journal/2", 1);
    fs::write(&journal, &earlier[..earlier.len() - 9]).unwrap();
    let list = bench.porter(&["undo", "NEW", "--list"]).with_status(0).out;
    assert!(list.contains("was cut off"), "{list}");
    let checked = bench.porter(&["check", "trunk", "NEW", "--json", "-", "--quiet"]);
    assert!(checked.out.contains("restore-cut-off"), "{}", checked.out);
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(&format!("NEW/{DOCUMENTS}/letter.txt")).exists());
    assert_eq!(bench.read(&format!("NEW/{DOCUMENTS}/own.txt")), "ten years of work");
    assert_eq!(bench.read(&format!("{RECORDS}/notes.txt")), "not ours");
}

#[test]
fn what_a_damaged_journal_does_not_tell_is_said_until_the_restore_was_done_again() {
    let (bench, journal) = restored();
    let text = fs::read_to_string(&journal).unwrap();
    let (first, rest) = text.split_once('\n').unwrap();
    let letter = "{\"step\":\"land\"";
    let endless = "x".repeat(17 << 20);
    let check = ["check", "trunk", "NEW", "--json", "-", "--quiet"];
    for (damaged, lines) in [
        // A bad sector in the beginning: nothing is known. In a line, and in its stead one that would not
        // end: the others count.
        (format!("\0\0\0\n{rest}"), None),
        (format!("{first}\n{}", rest.replacen(letter, "\0", 1)), Some(1)),
        (format!("{first}\n{endless}\n{rest}"), Some(1)),
    ] {
        fs::write(&journal, damaged).unwrap();
        let receipt = bench.porter(&check).with_status(3).json();
        let reasons: Vec<&Value> =
            receipt["reasons"].as_array().unwrap().iter().map(|r| &r["details"]).collect();
        assert!(reasons.iter().all(|reason| reason["code"] == "journal-damaged"), "{reasons:?}");
        match lines {
            None => drop(bench.porter(&["undo", "NEW", "--try"]).with_status(1)),
            Some(lines) => {
                let tried =
                    bench.porter(&["undo", "NEW", "--try", "--json", "--quiet"]).with_status(3).json();
                assert_eq!(tried["unreadable_lines"], lines, "{tried}");
            }
        }
    }
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.porter(&check).with_status(0);
}
