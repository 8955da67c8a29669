//! The targets of items without a place on the new machine, and the plan's words about them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;

const ROOT: &str = "machine/folder/drive/kite-plans";

fn linux(bench: &Workbench) {
    bench.write("NEW/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n");
    bench.write("NEW/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n");
    std::fs::create_dir_all(bench.path("NEW/var/lib")).unwrap();
    std::fs::create_dir_all(bench.path("NEW/home/odile/Documents")).unwrap();
}

fn goes_to(plan: &Value, id: &str) -> Vec<String> {
    let rows = plan["destinations"].as_array().unwrap();
    let row = rows.iter().find(|row| row["id"] == id).unwrap_or_else(|| panic!("no {id}"));
    row["to"].as_array().unwrap().iter().map(|to| to.as_str().unwrap().to_owned()).collect()
}

#[test]
fn what_was_at_the_root_of_a_windows_drive_goes_to_what_everybody_shares_on_linux_or_where_it_is_sent() {
    let bench = Workbench::with_trunk();
    linux(&bench);
    let words = ["restore", "trunk", "NEW", "--only", "machine/folder/drive/*", "--yes"];
    let plan = bench.porter(&[&words[..], &["--try", "--json"]].concat()).with_status(0).json();
    assert_eq!(goes_to(&plan, ROOT), ["srv/shared/Documents/From the drive of LOFT-PC/Kite Plans"]);
    let wrong = bench.porter(&[&words[..], &["--drive-root", "documents"]].concat()).with_status(2);
    assert!(wrong.err.contains("no place `documents` for everybody"), "{}", wrong.err);

    let sent = [&words[..], &["--drive-root", "shared-pictures/Old drive", "--quiet"]].concat();
    bench.porter(&sent).with_status(0);
    let plans = "NEW/srv/shared/Pictures/Old drive/Kite Plans/Plan 001/cutting list.csv";
    assert!(
        bench.path(plans).exists()
            && bench.path("NEW/srv/shared/Pictures/Old drive/insurance letter.txt").exists()
    );
    // The check knows where they went, and so does the next restore, though nobody says it again.
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    let again = bench.porter(&[&words[..], &["--json"]].concat()).with_status(0).json();
    assert_eq!(again["written"]["files"], 0, "{again}");
}

#[test]
fn between_systems_of_one_kind_the_root_stays_the_root_and_the_plan_says_where_each_item_goes() {
    let bench = Workbench::with_trunk();
    let words = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--try"];
    let plan = bench.porter(&[&words[..], &["--json"]].concat()).with_status(0).json();
    assert_eq!(goes_to(&plan, ROOT), ["Kite Plans"]);
    assert_eq!(goes_to(&plan, "tamsin/folder/documents"), ["Users/tamsin.okafor/Documents"]);
    let written: u64 = plan["destinations"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["written"]["files"].as_u64().unwrap())
        .sum();
    assert_eq!(
        written,
        plan["written"]["files"].as_u64().unwrap(),
        "what is written for the items is all that is"
    );
    let said = bench.porter(&words).with_status(0).out;
    let (_, of_tamsin) = said.split_once("\ntamsin\n").unwrap();
    let row = of_tamsin.lines().position(|line| line.contains("folder/documents")).unwrap();
    let to = of_tamsin.lines().nth(row + 1).unwrap();
    assert!(to.ends_with("to Users/tamsin.okafor/Documents"), "{to}");
}
