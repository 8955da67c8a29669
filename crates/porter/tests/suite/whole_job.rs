//! The whole job on the demo machines, as a technician does it.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

/// The paths of all findings that need attention, with their verdicts.
fn attention(receipt: &Value) -> Vec<(String, String)> {
    let mut rows: Vec<(String, String)> = receipt["items"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|item| item["reasons"].as_array().unwrap())
        .filter(|reason| reason["needs_attention"] == true)
        .map(|reason| {
            (reason["path"].as_str().unwrap().to_owned(), reason["verdict"].as_str().unwrap().to_owned())
        })
        .collect();
    rows.sort();
    rows
}

#[test]
fn the_demo_runs_through_and_everything_lands() {
    let bench = Workbench::new();
    let said = bench.porter(&["demo", "demo", "--small"]).with_status(0);
    for shown in [
        "$ porter survey",
        "$ porter capture",
        "--try",
        "$ porter check",
        "Everything that can travel arrived",
    ] {
        assert!(said.out.contains(shown), "{shown} is not in\n{}", said.out);
    }
    let receipt: Value = serde_json::from_str(&bench.read("demo/receipt.json")).unwrap();
    assert_eq!(receipt["format"], "porter-receipt/2");
    let items = receipt["items"].as_array().unwrap();
    let is_of_files = |item: &&Value| item["kind"] != "setting" && item["kind"] != "printer";
    let not_landed: Vec<&Value> = items
        .iter()
        .filter(is_of_files)
        .filter(|item| item["verdict"] != "landed")
        .map(|item| &item["id"])
        .collect();
    assert!(items.len() > 50);
    let its_own = [
        "odile/mail/thunderbird",
        "tamsin/browser/chrome",
        "machine/network/hosts",
        "machine/network/wifi",
        "machine/task/scheduled",
        "machine/folder/shared-data/kitecad",
        "machine/folder/shared-data/ledger-for-small-workshops",
        "machine/printer-driver/ropewalk-laser-200",
    ];
    assert_eq!(not_landed, its_own, "the new system has its own");

    // Settings that are the same landed; others are to be set by hand, with what to type; so are programs.
    let verdict = |id: &str| &items.iter().find(|item| item["id"] == id).unwrap()["verdict"];
    assert_eq!(verdict("machine/setting/time-zone"), "landed");
    assert_eq!(verdict("machine/printer/front-desk"), "kept_in_trunk");
    let by_hand = receipt["by_hand"].as_array().unwrap();
    let usual = by_hand.iter().find(|row| row["item"] == "odile/setting/default-printer").unwrap();
    let expected = serde_json::json!(["rundll32 printui.dll,PrintUIEntry /y /n 'Front desk'"]);
    assert_eq!(usual["type"], expected);
    assert_eq!(verdict("odile/setting/drive/k"), "landed");
    let programs = receipt["programs"].as_array().unwrap().iter();
    let installed: Vec<_> =
        programs.filter(|row| row["installed_as"] != Value::Null).map(|row| &row["name"]).collect();
    assert_eq!(installed, ["KiteCAD"], "as a later version");

    let page = bench.read("demo/receipt.html");
    assert!(
        page.contains("but for 15 passwords that do not open here: 6 of odile, 9 of tamsin")
            && !page.contains("src=")
            && !page.contains("href="),
        "nothing from outside"
    );
    assert!(
        page.contains("Windrose Forecast") && page.contains("Add-PrinterPort"),
        "what is left to do by hand"
    );
    bench.porter(&["demo", "demo"]).with_status(2);
}

#[test]
fn check_names_exactly_what_was_changed_deleted_and_replaced() {
    let bench = Workbench::with_trunk();
    let restore = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    bench.porter(&restore).with_status(0);
    // The mapping of accounts is known from the restore.
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    assert_eq!(attention(&receipt), []);

    let letter = bench.path("TIDEWATER/Users/tamsin.okafor/Documents/Letters/Letter 003.rtf");
    let mut content = fs::read(&letter).unwrap();
    content[20] ^= 1;
    // As a failing drive does it: a person's work leaves a later time.
    let modified = fs::metadata(&letter).unwrap().modified().unwrap();
    fs::write(&letter, content).unwrap();
    fs::File::options().write(true).open(&letter).unwrap().set_modified(modified).unwrap();
    fs::remove_file(bench.path("TIDEWATER/Users/odile/Music/Lines in the wind 1.wav")).unwrap();
    let plan = bench.path("TIDEWATER/Kite Plans/Plan 002/drawing.png");
    fs::remove_file(&plan).unwrap();
    fs::create_dir(&plan).unwrap();

    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(3).json();
    let expected = [
        ("Kite Plans/Plan 002/drawing.png", "changed"),
        ("Letters/Letter 003.rtf", "changed"),
        ("Lines in the wind 1.wav", "missing"),
    ];
    assert_eq!(attention(&receipt), expected.map(|(path, verdict)| (path.to_owned(), verdict.to_owned())));
    assert_eq!(receipt["totals"]["items"]["changed"], 2);
    assert_eq!(receipt["totals"]["files"]["missing"], 1);
    let said = bench.porter(&["check", "trunk", "TIDEWATER"]).with_status(3);
    assert!(said.out.contains("Needs attention: 2 changed, 1 missing."), "{}", said.out);

    // Restoring again brings back just these three, and sets aside what was put in their way.
    let again = bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--json"]).with_status(0).json();
    assert_eq!((&again["written"]["files"], again["set_aside"].as_array().unwrap().len()), (&3.into(), 2));
    bench.porter(&["check", "trunk", "TIDEWATER"]).with_status(0);
}

#[test]
fn restoring_keeps_what_was_there_and_a_second_time_writes_nothing() {
    let bench = Workbench::with_trunk();
    let before = bench.snapshot("TIDEWATER");
    let words = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor"];

    bench.porter(&words).with_status(2);
    let tried = bench.porter(&[&words[..], &["--try"]].concat()).with_status(0);
    assert!(tried.out.contains("nothing was changed"));
    assert_eq!(bench.snapshot("TIDEWATER"), before, "--try changed something");

    bench.porter(&[&words[..], &["--yes"]].concat()).with_status(0);
    let after = bench.snapshot("TIDEWATER");
    let contents: Vec<&Vec<u8>> = after.values().map(|(_, content, _)| content).collect();
    for (path, (kind, content, _)) in &before {
        assert!(contents.contains(&content), "the content of {kind} {} is gone", path.display());
    }
    let aside = after.keys().filter(|path| path.to_string_lossy().contains("(set aside 20")).count();
    assert_eq!(aside, 7, "three files, two lists of profiles, names of hosts, and a registry");

    let again = bench.porter(&[&words[..], &["--yes", "--json"]].concat()).with_status(0).json();
    assert_eq!(again["written"]["files"], 0);
    let mut unchanged = bench.snapshot("TIDEWATER");
    unchanged.retain(|path, _| !path.to_string_lossy().contains("Loyal Porter"));
    assert!(unchanged.iter().all(|(path, entry)| after.get(path) == Some(entry)));
}

#[cfg(unix)]
#[test]
fn times_marks_links_and_odd_names_land_as_they_were() {
    let bench = Workbench::with_trunk();
    bench
        .porter(&["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes"])
        .with_status(0);
    let old = bench.snapshot("LOFT-PC/Users/odile/Documents/Odds and ends");
    let new = bench.snapshot("TIDEWATER/Users/odile/Documents/Odds and ends");
    assert!(old.len() > 30);
    assert_eq!(old, new, "names, contents and times");

    let made_on = |pc: &str| {
        fs::metadata(bench.path(&format!("{pc}/Kite Plans/Plan 001"))).unwrap().modified().unwrap()
    };
    assert_eq!(made_on("LOFT-PC"), made_on("TIDEWATER"));
    let desk = bench.path("TIDEWATER/Users/tamsin.okafor/Desktop/Read me first.txt");
    assert!(fs::metadata(desk).unwrap().permissions().readonly());
    let mut hidden = [0; 8];
    let diary = bench.path("TIDEWATER/Users/tamsin.okafor/Documents/.diary.txt");
    if let Ok(length) = rustix::fs::lgetxattr(diary, "user.DOSATTRIB", &mut hidden) {
        assert_eq!(&hidden[..length], b"0x2");
    }
    let link = fs::read_link(bench.path("TIDEWATER/Users/odile/Documents/Latest jobs")).unwrap();
    assert_eq!(link.to_str(), Some("Kites/2026"));
}
