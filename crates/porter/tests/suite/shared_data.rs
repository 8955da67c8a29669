//! Programs' data for everybody, folders that were added by name, and files that land on request although the
//! rules hold them back.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::{Workbench, forge};

const LEDGER: &str = "ProgramData/Kite Ledger";

fn machines() -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write(&format!("OLD/{LEDGER}/books/2026.ledger"), "spar 12 mm");
    bench.write(&format!("OLD/{LEDGER}/cache/page.img"), "made anew");
    bench.write("OLD/ProgramData/Microsoft/Windows/Start Menu/Programs/StartUp/x.bat", "the system's");
    bench.write("OLD/Program Files/Tide Tables/data/tides.mdb", "high 06:12");
    bench
}

#[test]
fn each_folder_that_a_program_keeps_for_everybody_is_captured_and_lands_when_asked_for() {
    let bench = machines();
    bench.porter(&["capture", "OLD", "trunk", "--form", "open", "--quiet"]).with_status(0);
    let entries = bench.read("trunk/porter/entries.jsonl");
    assert!(entries.contains("2026.ledger") && !entries.contains("page.img") && !entries.contains("StartUp"));
    let restore = ["restore", "trunk", "NEW", "--yes", "--quiet"];
    bench.porter(&restore).with_status(0);
    assert!(!bench.path(&format!("NEW/{LEDGER}")).exists());
    let receipt = bench.porter(&["check", "trunk", "NEW"]).with_status(0);
    assert!(receipt.out.contains("kept in the trunk  folder/shared-data/kite-ledger"), "{}", receipt.out);
    assert!(receipt.out.contains("--land-held"), "{}", receipt.out);

    for nothing in ["machine/folder/shared-data/kites", "odille"] {
        bench.porter(&[&restore[..], &["--land-held", nothing]].concat()).with_status(2);
    }
    bench
        .porter(&[&restore[..], &["--land-held", "machine/folder/shared-data/kite-ledger"]].concat())
        .with_status(0);
    assert_eq!(bench.read(&format!("NEW/{LEDGER}/books/2026.ledger")), "spar 12 mm");
    let files = || {
        let checked = bench.porter(&["check", "trunk", "NEW", "--json"]).json();
        let rows = checked["items"].as_array().unwrap().clone();
        rows.into_iter().find(|row| row["id"] == "machine/folder/shared-data/kite-ledger").unwrap()["files"]
            .clone()
    };
    assert_eq!(files()["landed"], 1, "{}", files());
    let ledger = bench.path(&format!("NEW/{LEDGER}/books/2026.ledger"));
    std::fs::rename(&ledger, bench.path("away")).unwrap();
    assert_eq!(files()["missing"], 1, "{}", files());
    std::fs::rename(bench.path("away"), &ledger).unwrap();
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(&format!("NEW/{LEDGER}")).exists());
}

#[test]
fn a_path_in_an_item_lands_alone_and_a_trunk_cannot_use_the_rule_for_what_it_passes_by() {
    let bench = machines();
    bench.porter(&["capture", "OLD", "trunk", "--form", "open", "--quiet"]).with_status(0);
    forge(&bench.path("trunk"), "porter/entries.jsonl", |text| {
        text.replace("Kite Ledger/books/2026.ledger", "Microsoft/books/2026.ledger")
            .replace("\"held\"", "\"was\"")
    });
    let all = ["restore", "trunk", "NEW", "--yes", "--quiet", "--land-held", "*"];
    bench.porter(&all).with_status(3);
    assert!(!bench.path("NEW/ProgramData/Microsoft").exists());
    let other = machines();
    other.write("OLD/Users/odile/AppData/Roaming/Microsoft/Protect/S-1/key", "bound");
    other.write("OLD/Users/odile/AppData/Roaming/Microsoft/Credentials/a", "bound, too");
    other.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let one = "odile/folder/roaming-data/Microsoft/Protect";
    other.porter(&["restore", "trunk", "NEW", "--yes", "--quiet", "--land-held", one]).with_status(0);
    assert_eq!(other.read("NEW/Users/odile/AppData/Roaming/Microsoft/Protect/S-1/key"), "bound");
    assert!(!other.path("NEW/Users/odile/AppData/Roaming/Microsoft/Credentials").exists());
}

#[test]
fn work_among_the_programs_is_pointed_at_and_carried_when_it_is_named() {
    let bench = machines();
    let survey = bench.porter(&["survey", "OLD"]).with_status(0);
    assert!(survey.out.contains("among the programs: Program Files/Tide Tables"), "{}", survey.out);
    bench.write("OLD/Kites/plan.txt", "spar");
    let also = ["--also", r"C:\Program Files\tide tables\data", "--also", "Kites/plan.txt"];
    bench.porter(&[&["survey", "OLD", "--list", "list.toml"], &also[..]].concat()).with_status(0);
    assert!(
        bench.read("list.toml").contains("also = [\"Program Files/Tide Tables/data\", \"Kites/plan.txt\"]")
    );
    bench.porter(&["capture", "OLD", "trunk", "--list", "list.toml", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    assert_eq!(bench.read("NEW/Kites/plan.txt"), "spar");
    assert!(!bench.path("NEW/Program Files").exists(), "nothing is restored there by itself");
    bench.porter(&["take", "trunk", "machine/folder/also/data", "taken", "--quiet"]).with_status(0);
    let taken = bench.snapshot("taken");
    assert!(
        taken.iter().any(|(path, row)| path.ends_with("tides.mdb") && row.1 == b"high 06:12"),
        "{taken:?}"
    );
    for nothing in ["Kites/none", "C:\\", "../OLD"] {
        bench.porter(&["survey", "OLD", "--also", nothing]).with_status(2);
    }
}
