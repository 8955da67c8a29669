//! A saved receipt: shown again, as a page, as JUnit XML, and beside a later one.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod workbench;

use std::fs;
use workbench::Workbench;

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

    for (content, says) in [
        ("{", "no receipt"),
        ("{\"format\": \"porter-look/1\"}", "it is a `porter-look/1`"),
        ("", "no receipt"),
    ] {
        bench.write("bad.json", content);
        let refused = bench.porter(&["receipt", "bad.json"]).with_status(1);
        assert!(refused.err.contains(says), "{}", refused.err);
    }
}
