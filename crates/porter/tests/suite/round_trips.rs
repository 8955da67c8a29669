//! From each system to each other, on the demo: everything lands or is named, a second restore writes
//! nothing, and after the undo the new machine is as it was.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::{DemoSize, build_loft_pc, build_sailroom, build_tidewater, build_windsock};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;
use std::time::SystemTime;

/// A Linux on which everybody has an account already.
fn build_mooring(bench: &Workbench) {
    bench
        .write("MOORING/etc/os-release", "NAME=Debian\nPRETTY_NAME=\"Debian GNU/Linux 12\"\nVERSION_ID=12\n");
    let people = ["odile", "tamsin", "bram", "juno"];
    let rows: String = (1000..)
        .zip(people)
        .map(|(number, name)| format!("{name}:x:{number}:{number}::/home/{name}:/bin/sh\n"))
        .collect();
    bench.write("MOORING/etc/passwd", rows);
    for name in people {
        fs::create_dir_all(bench.path(&format!("MOORING/home/{name}/Documents"))).unwrap();
    }
    fs::create_dir_all(bench.path("MOORING/var/lib")).unwrap();
    bench.write("MOORING/home/odile/Documents/Price list.csv", "a draft");
}

fn build(bench: &Workbench, machine: &str) {
    let at = bench.path(machine);
    match machine {
        "LOFT-PC" => build_loft_pc(&at, DemoSize::Small).unwrap(),
        "WINDSOCK" => build_windsock(&at, DemoSize::Small).unwrap(),
        "SAILROOM" => build_sailroom(&at, DemoSize::Small).unwrap(),
        "TIDEWATER" => build_tidewater(&at).unwrap(),
        _ => build_mooring(bench),
    }
}

type State = BTreeMap<PathBuf, (String, Vec<u8>, Option<SystemTime>)>;

fn state(bench: &Workbench, machine: &str) -> State {
    let mut state = bench.snapshot(machine);
    state.retain(|path, _| {
        let path = path.to_string_lossy();
        !path.contains("Loyal Porter") && !path.contains("loyal-porter")
    });
    state
}

fn rows_to_look_at(document: &Value, list: &str) -> Vec<String> {
    let rows = document[list].as_array().unwrap().iter();
    rows.filter(|row| row["needs_attention"] == true).map(|row| row["path"].to_string()).collect()
}

#[test]
fn from_each_system_to_each_other_everything_lands_or_is_named_and_can_be_taken_back() {
    for (old, new, accounts) in [
        ("LOFT-PC", "TIDEWATER", &["tamsin=tamsin.okafor"][..]),
        ("WINDSOCK", "TIDEWATER", &["bram-old=juno"]),
        ("SAILROOM", "TIDEWATER", &["tamsin=tamsin.okafor"]),
        ("LOFT-PC", "MOORING", &[]),
        ("SAILROOM", "MOORING", &[]),
        ("MOORING", "TIDEWATER", &["tamsin=tamsin.okafor"]),
    ] {
        let what = format!("{old} to {new}");
        let bench = Workbench::new();
        build(&bench, old);
        build(&bench, new);
        let before = state(&bench, new);
        bench.porter(&["capture", old, "trunk", "--quiet"]);
        let mut restore = vec!["restore", "trunk", new, "--yes", "--json"];
        accounts.iter().for_each(|account| restore.extend(["--account", account]));
        let done = bench.porter(&restore);
        assert!([0, 3].contains(&done.status), "{what}: {}", done.err);
        let done = done.json();
        assert!(done["written"]["files"].as_u64().unwrap() > 0, "{what}");

        let again = bench.porter(&restore).json();
        assert_eq!(again["written"]["files"], 0, "{what}: {:?}", again["set_aside"]);
        assert_eq!(again["written"]["links"], 0, "{what}");

        // The check names exactly the files that the restore could not land.
        let receipt = bench.porter(&["check", "trunk", new, "--json", "-"]).json();
        let mut named: Vec<String> = receipt["items"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|item| item["files"]["missing"] != 0 || item["files"]["changed"] != 0)
            .flat_map(|item| rows_to_look_at(item, "reasons"))
            .collect();
        let refused = rows_to_look_at(&done, "refused");
        named.retain(|path| !refused.contains(path));
        assert_eq!(named, [] as [String; 0], "{what}");

        for _ in 0..2 {
            bench.porter(&["undo", new, "--yes", "--quiet"]).with_status(0);
        }
        let after = state(&bench, new);
        let differs: Vec<_> =
            after.iter().filter(|(path, is)| before.get(*path) != Some(*is)).map(|(path, _)| path).collect();
        assert_eq!((differs, after.len()), (vec![], before.len()), "{what}");
    }
}
