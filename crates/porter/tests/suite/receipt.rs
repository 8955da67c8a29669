//! A saved receipt: shown again, as a page, as JUnit XML, and beside a later one.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::fs;

#[test]
fn a_saved_receipt_says_again_what_the_check_said_and_tells_what_a_later_one_changed() {
    let bench = Workbench::with_trunk();
    let restore = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    bench.porter(&restore).with_status(0);
    let song = bench.path("TIDEWATER/Users/odile/Music/Lines in the wind 1.wav");
    fs::rename(&song, song.with_extension("hidden")).unwrap();
    let check = |json: &str, page: &str, status: i32| {
        bench.porter(&["check", "trunk", "TIDEWATER", "--json", json, "--page", page]).with_status(status)
    };
    let said = check("first.json", "first.html", 3).out;

    let again = bench
        .porter(&["receipt", "first.json", "--page", "again.html", "--junit", "first.xml"])
        .with_status(3);
    assert_eq!(again.out, said);
    assert_eq!(bench.read("again.html"), bench.read("first.html"));
    let xml = bench.read("first.xml");
    assert_eq!(xml.matches("<failure ").count(), 1, "{xml}");
    assert!(xml.contains("name=\"odile/folder/music\"") && xml.contains("missing Lines in the wind 1.wav: "));
    let tests = xml.matches("<testcase ").count();
    assert!(xml.contains(&format!("tests=\"{tests}\" failures=\"1\"")), "{xml}");

    fs::rename(song.with_extension("hidden"), &song).unwrap();
    fs::remove_file(bench.path("TIDEWATER/Kite Plans/Plan 002/drawing.png")).unwrap();
    check("second.json", "second.html", 3);
    let compared = bench.porter(&["receipt", "first.json", "second.json", "--json"]).with_status(3).json();
    assert_eq!(compared["settled"][0]["path"], "Lines in the wind 1.wav");
    assert_eq!(compared["new"][0]["path"], "Kite Plans/Plan 002/drawing.png");
    let items = compared["items"].as_array().unwrap();
    assert_eq!((compared["open"].as_array().unwrap().len(), items.len()), (0, 2));
    assert!(items.iter().any(|row| row["id"] == "odile/folder/music" && row["now"] == "landed"));
    let text = bench.porter(&["receipt", "first.json", "second.json"]).with_status(3).out;
    assert!(text.contains("settled 1 entry") && text.contains("new 1 entry"), "{text}");

    // The first version knew five verdicts: it is read, and no table is made of its numbers.
    let mut old: serde_json::Value = serde_json::from_str(&bench.read("first.json")).unwrap();
    let later = ["not_read", "kept_in_trunk", "not_chosen", "not_needed"];
    old["format"] = "porter-receipt/1".into();
    for item in old["items"].as_array_mut().unwrap() {
        for count in ["files", "bytes"] {
            later.iter().for_each(|verdict| drop(item[count].as_object_mut().unwrap().remove(*verdict)));
        }
        for name in ["there_already", "worked_on"] {
            item.as_object_mut().unwrap().remove(name);
        }
    }
    let old = later.iter().fold(old.to_string(), |text, verdict| {
        text.replace(&format!("\"verdict\":\"{verdict}\""), "\"verdict\":\"left_behind\"")
    });
    bench.write("old.json", old);
    let shown = bench.porter(&["receipt", "old.json", "--page", "old.html"]).with_status(3).out;
    assert!(
        shown.contains("Needs attention: 1 missing.") && !shown.contains("\non the old machine"),
        "{shown}"
    );
    assert!(!bench.read("old.html").contains("class=\"balance\""));

    for (content, says) in [
        ("{", "not a receipt"),
        ("{\"format\": \"porter-look/1\"}", "it is a `porter-look/1`"),
        ("", "not a receipt"),
    ] {
        bench.write("bad.json", content);
        let refused = bench.porter(&["receipt", "bad.json"]).with_status(1);
        assert!(refused.err.contains(says), "{}", refused.err);
    }
}

#[test]
fn a_document_goes_where_it_can_be_kept_and_what_could_not_be_written_is_told_before_the_work() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write("OLD/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "--quiet", "--json", "saved.json"]).with_status(0);
    fs::create_dir(bench.path("folder.html")).unwrap();
    let before = bench.snapshot("trunk");
    for (words, status, says) in [
        (&["check", "trunk", "--page", "trunk/receipt.html"][..], 2, "lies in a trunk"),
        (&["check", "trunk", "--json", "trunk/receipt.json"], 2, "lies in a trunk"),
        (&["check", "trunk", "--events", "trunk/events.jsonl"], 2, "lies in a trunk"),
        (&["receipt", "saved.json", "--junit", "trunk/receipt.xml"], 2, "lies in a trunk"),
        (&["survey", "OLD", "--list", "trunk/list.json"], 2, "lies in a trunk"),
        (&["check", "trunk", "--page", "folder.html"], 1, "that is not a file"),
        (&["check", "trunk", "NEW", "--json", "nowhere/receipt.json"], 1, "its folder is not there"),
        (&["survey", "OLD", "--programs", "nowhere/programs.csv"], 1, "its folder is not there"),
    ] {
        let said = bench.porter(words).with_status(status);
        assert!(said.err.contains(says) && said.out.is_empty(), "{words:?}: {}{}", said.out, said.err);
    }
    assert!(bench.snapshot("trunk") == before, "something was written into the trunk");
    bench.porter(&["check", "trunk", "--quiet", "--page", "beside the trunk.html"]).with_status(0);

    // The name of a pipe, or of a device, stays what it is; a link stays, too, and what it leads to is
    // written.
    #[cfg(target_os = "linux")]
    {
        use rustix::fs::{CWD, FileType, Mode, mknodat};
        use std::os::unix::fs::{FileTypeExt, symlink};
        let pipe = bench.path("pipe.html");
        mknodat(CWD, &pipe, FileType::Fifo, Mode::from_raw_mode(0o600), 0).unwrap();
        symlink("pipe.html", bench.path("to the pipe.html")).unwrap();
        bench.porter(&["check", "trunk", "--quiet", "--page", "pipe.html"]).with_status(1);
        bench.porter(&["check", "trunk", "--quiet", "--page", "to the pipe.html"]).with_status(1);
        assert!(fs::symlink_metadata(&pipe).unwrap().file_type().is_fifo());
        bench.write("real.html", "an earlier one");
        symlink("real.html", bench.path("latest.html")).unwrap();
        bench.porter(&["check", "trunk", "--quiet", "--page", "latest.html"]).with_status(0);
        assert!(bench.path("latest.html").is_symlink() && bench.read("real.html").contains("All is well"));
    }
}

/// A receipt comes by mail, and says what its sender likes. Each code of the guide has words, and none of
/// them steers a terminal.
#[test]
fn each_code_of_a_receipt_has_words_and_nothing_in_it_steers_a_terminal() {
    let guide = include_str!("../../../../docs/json.md");
    let codes = guide.split_once("Codes of `details`: ").unwrap().1.split_once(". With").unwrap().0;
    let codes: Vec<&str> = codes.split('`').skip(1).step_by(2).collect();
    assert!(codes.len() > 40, "{codes:?}");
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.write("OLD/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "--json", "whole.json", "--quiet"]).with_status(0);
    let mut receipt: serde_json::Value = serde_json::from_str(&bench.read("whole.json")).unwrap();
    let evil = "\u{1b}[2J\u{202e}kites\u{7}\r";
    let time = "2026-10-30T16:42:00Z";
    let mut details = serde_json::json!({
        "captured_size": 1, "found_size": 2, "values": 3, "files": 4, "line": 5, "most_in_bytes": 6, "missing": 7, "captured": 8,
        "said": 9, "there": 1, "capture": 2, "missing_in_bytes": 3, "size_in_bytes": 4, "messages": 5, "is_copy": false,
        "started_utc": time, "landed_utc": time, "changed_utc": time, "was_so": false, "names": [evil], "needs": [evil],
        "now": {evil: evil}, "left": {"code": "medium", "detail": evil}, "folder": evil, "journal": evil, "path": evil,
        "what": evil, "detail": evil, "account": evil, "place": evil, "title": evil, "has": evil, "installed": evil,
        "name": evil, "file": evil, "why": evil, "problem": evil, "target": evil, "driver": evil,
        "then": {evil: evil}, "into": evil,
    });
    let more = serde_json::json!({"unfit": "refused", "letters": 3, "fonts": [evil], "is_enabled": false});
    details.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    receipt["machine"] = serde_json::json!({"name": evil, "system": receipt["trunk"]["machine"]["system"]});
    receipt["accounts"] = serde_json::json!([{"old": "odile", "new": evil}]);
    let mut told = std::collections::BTreeSet::new();
    for code in &codes {
        let mut details = details.clone();
        details["code"] = (*code).into();
        receipt["items"][0]["reasons"] = serde_json::json!([
            {"path": "a.txt", "verdict": "missing", "reason": evil, "needs_attention": true, "details": details, "expected_at": evil}
        ]);
        bench.write("evil.json", receipt.to_string());
        let said = bench.porter(&["receipt", "evil.json", "--page", "evil.html", "--junit", "evil.xml"]);
        assert!([0, 3].contains(&said.status), "{code}: {}", said.err);
        for text in [&said.out, &said.err, &bench.read("evil.html"), &bench.read("evil.xml")] {
            assert!(!text.contains(['\u{1b}', '\u{202e}', '\u{7}', '\r']), "{code}: {text:?}");
        }
        told.insert(said.out);
    }
    assert_eq!(told.len(), codes.len(), "each has its own words");
}
