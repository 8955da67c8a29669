//! The contents that a capture puts into a trunk, and the captures that are refused.

use crate::workbench::Workbench;
use serde_json::Value;
use std::collections::BTreeMap;
use std::fs;

#[test]
fn a_packing_list_says_what_is_carried_and_the_capture_what_has_changed_since() {
    let bench = Workbench::with_demo_machines();
    bench.porter(&["survey", "LOFT-PC", "--skip", "tamsin", "--list", "list.toml", "--quiet"]).with_status(0);
    let list = bench.read("list.toml");
    assert!(list.contains("# Documents: 59 files, 75.1 kB"), "{list}");
    let odiles = "id = \"odile/folder/music\"\ncarry = true";
    assert!(
        list.contains(odiles) && list.contains("id = \"tamsin/folder/desktop\"\ncarry = false"),
        "{list}"
    );
    let edited = list.replace(odiles, "id = \"odile/folder/music\"\ncarry = false");
    bench.write("list.toml", format!("{edited}\n[[item]]\nid = \"odile/folder/attic\"\ncarry = true\n"));
    // A second survey does not take the edited list away.
    let edited = bench.read("list.toml");
    let again = bench.porter(&["survey", "LOFT-PC", "--list", "list.toml", "--quiet"]).with_status(1);
    assert!(again.err.contains("Somebody may have edited that list"), "{}", again.err);
    assert!(again.out.is_empty() && bench.read("list.toml") == edited);
    // The machine goes on living.
    bench.write("LOFT-PC/Scans/page.txt", "new");
    bench.write("LOFT-PC/Users/odile/Documents/new.txt", "new");

    let said =
        bench.porter(&["capture", "LOFT-PC", "trunk", "--list", "list.toml", "--quiet"]).with_status(0);
    for told in [
        "left out: machine/folder/drive/scans",
        "not there any more: odile/folder/attic",
        "odile/folder/documents (",
    ] {
        assert!(said.err.contains(told), "{}", said.err);
    }
    let label = bench.porter(&["look", "trunk", "--json"]).with_status(0).json();
    let chosen = |id: &str| {
        let items = label["items"].as_array().unwrap();
        items.iter().find(|item| item["id"] == id).unwrap()["chosen"].as_bool().unwrap()
    };
    assert!(chosen("odile/folder/documents") && chosen("bram/folder/documents"));
    for left in ["odile/folder/music", "tamsin/folder/desktop", "machine/folder/drive/scans"] {
        assert!(!chosen(left), "{left}");
    }
    bench.write("list.toml", "format = \"porter-packing-list/1\"\nmachine = 7\n");
    let refused = bench.porter(&["capture", "LOFT-PC", "other", "--list", "list.toml"]).with_status(2);
    assert!(refused.err.contains("line 2") && !bench.path("other").exists(), "{}", refused.err);
    bench.porter(&["capture", "LOFT-PC", "other", "--list", "nowhere.toml"]).with_status(1);
}

#[test]
fn every_entry_is_accounted_for_and_the_trunk_can_be_browsed() {
    let bench = Workbench::with_demo_machines();
    let before = bench.snapshot("LOFT-PC");
    let words = [
        "capture",
        "LOFT-PC",
        "trunk",
        "--json",
        "--form",
        "open",
        "--job",
        "SK-1",
        "--workshop",
        "Saltmarsh\nKiteworks",
        "--events",
        "events.jsonl",
    ];
    let report = bench.porter(&words).with_status(0).json();
    assert_eq!(bench.snapshot("LOFT-PC"), before, "a capture only reads");

    assert_eq!(report["format"], "porter-capture/1");
    for key in ["files", "folders", "links", "bytes"] {
        let number = |of: &str| report[of][key].as_u64().unwrap();
        assert_eq!(number("seen"), number("captured") + number("left"), "{key}");
    }
    let left: BTreeMap<&str, &str> = report["left_behind"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| (row["path"].as_str().unwrap(), row["reason"].as_str().unwrap()))
        .collect();
    assert!(left["Users/odile/AppData/Local/Temp"].contains("temporary"), "{left:#?}");
    assert!(left["Program Files"].contains("installed again"));

    // BagIt's own words, and plain files under their own names.
    assert_eq!(bench.read("trunk/bagit.txt"), "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n");
    let info = bench.read("trunk/bag-info.txt");
    assert!(info.contains("Source-Organization: Saltmarsh Kiteworks\n"), "{info}");
    let manifest = bench.read("trunk/manifest-sha512.txt");
    assert_eq!(manifest.lines().count() as u64, report["captured"]["files"].as_u64().unwrap());
    let rules = "Documents/Workshop rules.txt";
    let payload = "trunk/data/odile/documents/Workshop rules.txt";
    assert_eq!(bench.read(payload), bench.read(&format!("LOFT-PC/Users/odile/{rules}")));
    // `%` would be read in two ways by BagIt tools, so it never gets into a manifest.
    assert!(!manifest.contains('%') && manifest.contains("100_ wind~"), "{manifest}");
    let events = bench.read("events.jsonl");
    let events: Vec<Value> = events.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(events.iter().filter(|e| e["event"] == "stage-began").count(), 4);
}

#[test]
fn a_folder_that_holds_something_is_never_written_into() {
    let bench = Workbench::with_open_trunk();
    bench.write("box/letter.txt", "mine");
    fs::create_dir_all(bench.path("cut/porter")).unwrap();
    fs::copy(bench.path("trunk/porter/label.json"), bench.path("cut/porter/label.json")).unwrap();
    for (folder, status, words) in [
        ("box", 1, "holds something else"),
        ("trunk", 1, "holds a finished trunk"),
        ("trunk/data/inner", 2, "inside another one"),
        ("cut", 1, "was not finished"),
        ("LOFT-PC/Users/odile/trunk", 2, "on the old machine itself"),
    ] {
        let before = bench.snapshot("");
        let said = bench.porter(&["capture", "LOFT-PC", folder, "--form", "open"]).with_status(status);
        assert!(said.err.contains(words), "{}", said.err);
        assert!(bench.snapshot("") == before, "something was written for {folder}");
    }
    for command in [&["check", "cut"][..], &["look", "cut"], &["restore", "cut", "TIDEWATER", "--yes"]] {
        let said = bench.porter(command).with_status(1);
        assert!(said.err.contains("was not finished"), "{}", said.err);
    }
    bench.porter(&["capture", "LOFT-PC", "new", "--skip", "*"]).with_status(2);
}

#[cfg(unix)]
#[test]
fn files_that_may_not_be_read_are_named_one_by_one() {
    use std::os::unix::fs::PermissionsExt;
    use std::os::unix::process::CommandExt;
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    for number in 0..100 {
        let file = format!("PC/Users/odile/Documents/locked {number:02}.txt");
        bench.write(&file, "secret");
        fs::set_permissions(bench.path(&file), fs::Permissions::from_mode(0o000)).unwrap();
    }
    bench.write("PC/Users/odile/Documents/open.txt", "open");
    bench.write("PC/Users/odile/Documents/shut/inside.txt", "x");
    fs::set_permissions(bench.path("PC/Users/odile/Documents/shut"), fs::Permissions::from_mode(0o000))
        .unwrap();
    fs::set_permissions(bench.path(""), fs::Permissions::from_mode(0o777)).unwrap();
    let mut command = bench.command(&["capture", "PC", "trunk", "--json"]);
    if rustix::process::geteuid().is_root() {
        // Nothing is forbidden to root, so an ordinary user has to do it.
        command.uid(65_534).gid(65_534);
    }
    let report = crate::workbench::run(command).with_status(3).json();
    let denied: Vec<&str> = report["left_behind"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|row| row["code"] == "permission-denied")
        .map(|row| row["path"].as_str().unwrap())
        .collect();
    let mut expected: Vec<String> =
        (0..100).map(|number| format!("Users/odile/Documents/locked {number:02}.txt")).collect();
    expected.push("Users/odile/Documents/shut".to_owned());
    assert_eq!(denied, expected);
    assert_eq!((&report["left"]["files"], &report["captured"]["files"]), (&100.into(), &2.into()));

    // They stay named on every receipt of this trunk.
    let receipt = bench.porter(&["check", "trunk", "--json", "-"]).with_status(3).json();
    assert_eq!(receipt["totals"]["files"]["not_read"], 100);
    fs::set_permissions(bench.path("PC/Users/odile/Documents/shut"), fs::Permissions::from_mode(0o755))
        .unwrap();
}

#[cfg(target_os = "linux")]
#[test]
fn names_that_are_no_text_and_names_that_differ_by_case_go_there_and_back() {
    use std::os::unix::ffi::OsStrExt;
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.empty_machine("NEW", "odile");
    let documents = bench.path("PC/Users/odile/Documents");
    let names: [&[u8]; 7] =
        [b"Plan.txt", b"plan.TXT", b"bad \xff name.txt", b"NUL", b"aux.txt", b"dot.", b"a:b?.txt"];
    for name in names {
        fs::write(documents.join(std::ffi::OsStr::from_bytes(name)), name).unwrap();
    }
    for form in ["open", "packed"] {
        let trunk = if form == "open" { "open trunk" } else { "trunk" };
        bench.porter(&["capture", "PC", trunk, "--form", form]).with_status(0);
        let taken = bench.porter(&["take", trunk, "odile/folder/documents", form]).with_status(0);
        assert!(taken.out.contains("7 files written"), "{}", taken.out);
        for name in names {
            let back = bench.path(form).join(std::ffi::OsStr::from_bytes(name));
            assert_eq!(fs::read(back).unwrap(), name, "{name:?}");
        }
    }
    // A Windows volume cannot hold most of them: they land under safe names, and the receipt names them.
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(0);
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    let documents =
        receipt["items"].as_array().unwrap().iter().find(|i| i["id"] == "odile/folder/documents").unwrap();
    let renamed = documents["reasons"].as_array().unwrap().iter();
    assert_eq!(renamed.filter(|reason| reason["details"]["code"] == "landed-as").count(), 6, "{documents:#}");
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--json"]).with_status(0);
    assert_eq!(
        fs::read_dir(bench.path("NEW/Users/odile/Documents")).unwrap().count(),
        7,
        "nothing landed twice"
    );
}

#[test]
fn settings_are_in_the_trunk_as_values_and_a_trunk_of_the_first_version_is_read() {
    let bench = Workbench::with_open_trunk();
    let look = bench.porter(&["look", "trunk"]).with_status(0);
    let line = |id: &str| look.out.lines().find(|line| line.trim_start().starts_with(id)).unwrap().to_owned();
    assert!(line("setting/time-zone").ends_with("iana Europe/London, windows GMT Standard Time"));
    assert!(line("setting/drive/k").contains(r"server-folder \\TIDEHOUSE\kites"));
    let restored = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    let restored = bench.porter(&restored).with_status(0);
    assert!(restored.out.contains("`porter check` says which of them to set by hand"), "{}", restored.out);

    // Before 1.1 there was no list of programs, and items had fewer fields.
    fs::remove_file(bench.path("trunk/porter/programs.json")).unwrap();
    let proofs = bench.read("trunk/tagmanifest-sha512.txt");
    let proofs: String =
        proofs.lines().filter(|line| !line.contains("programs")).map(|line| format!("{line}\n")).collect();
    bench.write("trunk/tagmanifest-sha512.txt", proofs);
    let missing = bench.porter(&["look", "trunk"]).with_status(1);
    assert!(missing.err.contains("programs.json"), "{}", missing.err);
    crate::workbench::forge(&bench.path("trunk"), "porter/label.json", |label| {
        label.replace("\"minor\": 2", "\"minor\": 0")
    });
    crate::workbench::forge(&bench.path("trunk"), "porter/items.json", |items| {
        let mut items: Vec<Value> = serde_json::from_str(&items).unwrap();
        items.retain(|item| item.get("facts").is_none());
        for item in &mut items {
            for newer in ["rule", "parts", "needs", "counts"] {
                item.as_object_mut().unwrap().remove(newer);
            }
        }
        serde_json::to_string(&items).unwrap()
    });
    let receipt =
        bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-", "--quiet"]).with_status(0).json();
    assert_eq!((&receipt["programs"], &receipt["by_hand"]), (&serde_json::json!([]), &serde_json::json!([])));
}
