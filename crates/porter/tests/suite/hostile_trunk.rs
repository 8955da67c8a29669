//! Trunks that a stranger made, or that were damaged.

use crate::workbench::{Workbench, forge};
use std::fs;

/// A trunk with one honest file, and one line more for each way out.
#[cfg(unix)]
fn hostile_bench() -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write("PC/Users/odile/Documents/honest.txt", "honest");
    bench.porter(&["capture", "PC", "trunk", "--form", "open"]).with_status(0);
    bench
}

#[cfg(unix)]
#[test]
fn nothing_leaves_its_place_and_every_attempt_is_named() {
    let bench = hostile_bench();
    let line =
        bench.read("trunk/porter/entries.jsonl").lines().find(|l| l.contains("honest")).unwrap().to_owned();
    let with_path = |path: &str| {
        line.replace("\"path\":\"honest.txt\"", &format!("\"path\":\"{path}\",\"stored\":\"honest.txt\""))
    };
    let link = |path: &str, target: &str| {
        format!(
            "{{\"item\":\"odile/folder/documents\",\"owner\":\"odile\",\"place\":\"documents\",\"path\":\"{path}\",\"kind\":\"link\",\"target\":\"{target}\"}}"
        )
    };
    let lines = [
        with_path("../../../../evil-1.txt"),
        with_path("/tmp/evil-2.txt"),
        with_path("C:\\\\evil-3.txt"),
        with_path("evil-4\\u0000.txt"),
        with_path("NUL"),
        link("out", "../../../.."),
        with_path("out/evil-5.txt"),
        link("absolute", "/etc"),
        link("inside", "."),
        with_path("inside/through a link.txt"),
        line.replace("\"owner\":\"odile\"", "\"owner\":\"..\""),
        line.replace("\"place\":\"documents\"", "\"place\":\"documents/deep\""),
        line.replace("honest.txt\"", "stolen.txt\",\"stored\":\"../../../label.json\""),
        line.replace("odile/folder/documents", "odile/folder/unheard-of")
            .replace("honest.txt\"", "unheard.txt\",\"stored\":\"honest.txt\""),
    ];
    forge(&bench.path("trunk"), "porter/entries.jsonl", |text| text + &lines.join("\n") + "\n");
    let before = bench.snapshot("");

    let report = bench.porter(&["restore", "trunk", "NEW", "--yes", "--json"]).with_status(3).json();
    let after = bench.snapshot("");
    let new: Vec<String> = after
        .keys()
        .filter(|path| !before.contains_key(*path))
        .map(|path| path.to_string_lossy().into_owned())
        .filter(|path| !path.contains("Loyal Porter"))
        .collect();
    assert!(new.iter().all(|path| path.starts_with("NEW/Users/odile/Documents/")), "{new:#?}");
    assert!(new.iter().all(|path| !path.ends_with("/NUL") && !path.contains(':')), "{new:#?}");
    // Two attempts are harmless under a safe name, and one link leads to its own folder.
    let honest = ["honest.txt", "inside", "out", "C__evil-3~", "NUL~", "out/evil-5.txt"];
    let unexpected = new.iter().filter(|path| !honest.iter().any(|name| path.contains(name)));
    assert_eq!(unexpected.collect::<Vec<_>>(), Vec::<&String>::new());
    let refused = report["refused"].as_array().unwrap();
    let refused_for = |words: &str| {
        refused
            .iter()
            .any(|row| row["needs_attention"] == true && row["reason"].as_str().unwrap().contains(words))
    };
    for words in [
        "leads out of its folder",
        "absolute path",
        "NUL byte",
        "leads out of its place, to ../../../..",
        "to /etc",
        "not the name of an account",
        "does not list its item",
    ] {
        assert!(refused_for(words), "{words} is not in {refused:#?}");
    }
    assert!(fs::symlink_metadata("/tmp/evil-2.txt").is_err());
    // The trunk's own check does not believe these lines either.
    let said = bench.porter(&["check", "trunk"]).with_status(3);
    assert!(said.out.contains("of `porter/entries.jsonl`: it is an absolute path"), "{}", said.out);
}

#[cfg(unix)]
#[test]
fn a_trunk_cannot_make_us_read_the_benchs_own_files() {
    let bench = hostile_bench();
    bench.write("secret/honest.txt", "honest");
    fs::remove_dir_all(bench.path("trunk/data/odile/documents")).unwrap();
    std::os::unix::fs::symlink(bench.path("secret"), bench.path("trunk/data/odile/documents")).unwrap();
    let said = bench.porter(&["check", "trunk"]).with_status(3);
    assert!(said.out.contains("is not a plain file"), "{}", said.out);
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(3);
    assert!(!bench.path("NEW/Users/odile/Documents/honest.txt").exists());
}

#[cfg(unix)]
#[test]
fn nothing_is_written_through_a_link_where_porter_has_files_of_its_own() {
    let bench = hostile_bench();
    fs::remove_dir_all(bench.path("trunk")).unwrap();
    for (trunk, spare) in [("trunk", "1%"), ("spared", "10%")] {
        bench.porter(&["capture", "PC", trunk, "--quiet", "--recovery", spare]).with_status(0);
    }
    let link_to = |content: &[u8], at: &str| {
        bench.write("the technician's own", content);
        let _ = fs::remove_file(bench.path(at));
        std::os::unix::fs::symlink(bench.path("the technician's own"), bench.path(at)).unwrap();
    };
    let mut hurt = fs::read(bench.path("spared/list-00001.list")).unwrap();
    hurt[200] ^= 1;
    fs::create_dir(bench.path("elsewhere")).unwrap();
    fs::create_dir_all(bench.path("NEW/ProgramData")).unwrap();
    let records = bench.path("NEW/ProgramData/Loyal Porter");
    std::os::unix::fs::symlink(bench.path("elsewhere"), &records).unwrap();
    for (content, at, words, told) in [
        (&b"precious"[..], "trunk/lock", &["capture", "PC", "trunk"][..], "`lock` is not a plain file"),
        (&hurt, "spared/list-00001.list", &["check", "spared", "--mend"], "list` is not a plain file"),
        (b"", "trunk/other", &["restore", "trunk", "NEW", "--yes"], "a link leads there"),
    ] {
        link_to(content, at);
        let said = bench.porter(words).with_status(1);
        assert!(said.err.contains(told), "{at}: {}", said.err);
        assert_eq!(fs::read(bench.path("the technician's own")).unwrap(), content, "{at}");
    }
    assert_eq!(fs::read_dir(bench.path("elsewhere")).unwrap().count(), 0);
    assert!(!bench.path("NEW/Users/odile/Documents/honest.txt").exists(), "nothing landed without a record");
}

#[cfg(unix)]
#[test]
fn links_on_the_new_machine_are_not_written_through() {
    let bench = hostile_bench();
    fs::create_dir(bench.path("elsewhere")).unwrap();
    fs::remove_dir(bench.path("NEW/Users/odile/Documents")).unwrap();
    std::os::unix::fs::symlink(bench.path("elsewhere"), bench.path("NEW/Users/odile/Documents")).unwrap();
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(3);
    assert_eq!(fs::read_dir(bench.path("elsewhere")).unwrap().count(), 0);
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(3).json();
    assert_eq!(receipt["totals"]["files"]["kept_existing"], 1, "{receipt:#}");
}

#[cfg(unix)]
#[test]
fn what_lies_behind_a_link_has_not_landed() {
    let bench = hostile_bench();
    bench.write("PC/Users/odile/Documents/Kites/plan.txt", "plan");
    bench.porter(&["capture", "PC", "second", "--form", "open"]).with_status(0);
    bench.porter(&["restore", "second", "NEW", "--yes"]).with_status(0);
    bench.porter(&["check", "second", "NEW"]).with_status(0);
    // Moved away, and a link put in its place: the bytes can still be reached, but not on this machine's own
    // paths.
    fs::rename(bench.path("NEW/Users/odile/Documents/Kites"), bench.path("elsewhere")).unwrap();
    std::os::unix::fs::symlink(bench.path("elsewhere"), bench.path("NEW/Users/odile/Documents/Kites"))
        .unwrap();
    let receipt = bench.porter(&["check", "second", "NEW", "--json", "-"]).with_status(3).json();
    assert_eq!(receipt["totals"]["files"]["missing"], 1, "{receipt:#}");
    // And a restore does not write through it.
    let report = bench.porter(&["restore", "second", "NEW", "--yes", "--json"]).with_status(3).json();
    assert_eq!(report["written"]["files"], 0);
    let reasons: Vec<&str> =
        report["refused"].as_array().unwrap().iter().map(|row| row["reason"].as_str().unwrap()).collect();
    assert!(reasons.iter().any(|reason| reason.contains("a link stands in its way")), "{reasons:?}");
}

#[test]
fn any_damage_is_found_and_named() {
    let bench = Workbench::with_open_trunk();
    bench.porter(&["check", "trunk"]).with_status(0);
    let payload = bench.path("trunk/data/odile/documents/Workshop rules.txt");
    let whole = fs::read(&payload).unwrap();
    let mut flipped = whole.clone();
    flipped[7] ^= 0x10;
    fs::write(&payload, &flipped).unwrap();
    let said = bench.porter(&["check", "trunk"]).with_status(3);
    assert!(
        said.out.contains("Needs attention: 1 changed") && said.out.contains("Workshop rules.txt"),
        "{}",
        said.out
    );
    // A damaged file is never given its name on the new machine; everything else lands.
    fs::remove_file(bench.path("TIDEWATER/Users/odile/Documents/Workshop rules.txt")).unwrap();
    let words = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--json"];
    let report = bench.porter(&words).with_status(3).json();
    assert_eq!(
        report["refused"].as_array().unwrap().iter().filter(|r| r["needs_attention"] == true).count(),
        1
    );
    assert!(!bench.path("TIDEWATER/Users/odile/Documents/Workshop rules.txt").exists());

    fs::remove_file(&payload).unwrap();
    assert!(bench.porter(&["check", "trunk"]).with_status(3).out.contains("1 missing"));
    fs::write(&payload, &whole).unwrap();
    bench.write("trunk/data/odile/stowaway.txt", "x");
    assert!(bench.porter(&["check", "trunk"]).with_status(3).out.contains("is in no list"));
    fs::remove_file(bench.path("trunk/data/odile/stowaway.txt")).unwrap();
    bench.porter(&["check", "trunk"]).with_status(0);

    // Some of its lists are needed to understand it. Without the others the trunk is used, and the damage is
    // named.
    for (list, if_hurt, if_lost) in [
        ("porter/entries.jsonl", 3, 1),
        ("porter/label.json", 1, 1),
        ("porter/items.json", 1, 1),
        ("porter/left.jsonl", 3, 3),
        ("porter/programs.json", 3, 3),
        ("manifest-sha512.txt", 3, 3),
        ("bag-info.txt", 3, 3),
        ("tagmanifest-sha512.txt", 3, 3),
        ("bagit.txt", 3, 1),
    ] {
        let path = bench.path("trunk").join(list);
        let whole = fs::read(&path).unwrap();
        let mut flipped = whole.clone();
        flipped[5] ^= 0x40;
        for (left, status) in [(Some(flipped), if_hurt), (None, if_lost)] {
            match &left {
                Some(flipped) => fs::write(&path, flipped).unwrap(),
                None => fs::remove_file(&path).unwrap(),
            }
            let check = bench.porter(&["check", "trunk", "--quiet"]).with_status(status);
            let words = match (list, left.is_some(), status) {
                ("porter/label.json", false, _) => "is not a trunk",
                ("bagit.txt", false, _) => "was not finished",
                (_, _, 1) => "the trunk is damaged: ",
                _ => "It can still be used",
            };
            assert!(check.err.contains(words), "{list}: {}", check.err);
            assert!(check.err.contains(list) || words == "was not finished", "{list}: {}", check.err);
            assert_eq!(check.out.contains(list), status == 3, "{list}: {}", check.out);
        }
        fs::write(&path, whole).unwrap();
    }
    // A damaged list that describes no entries keeps none from landing; its damage is named there, too.
    let left = bench.path("trunk/porter/left.jsonl");
    fs::rename(&left, bench.path("left.jsonl")).unwrap();
    let report = bench.porter(&words).with_status(3).json();
    assert_eq!(report["written"]["files"], 1, "the one that was damaged before");
    assert!(report["refused"].to_string().contains("`porter/left.jsonl` is missing"), "{report:#}");
    let machine = ["check", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--quiet"];
    let receipt = bench.porter(&machine).with_status(3).out;
    assert!(receipt.contains("`porter/left.jsonl` is missing") && receipt.contains("1 changed"), "{receipt}");
    fs::rename(bench.path("left.jsonl"), left).unwrap();
    forge(&bench.path("trunk"), "porter/label.json", |text| text.replace("\"major\": 1", "\"major\": 9"));
    assert!(bench.porter(&["look", "trunk"]).with_status(1).err.contains("version 9"));
}

#[test]
fn a_flipped_bit_anywhere_in_the_trunk_is_noticed() {
    use porter_demo::dice::Dice;
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    for number in 0..12 {
        bench.write(&format!("PC/Users/odile/Documents/{number}.txt"), format!("letter {number}").repeat(40));
    }
    bench.porter(&["capture", "PC", "trunk", "--form", "open", "--quiet"]).with_status(0);
    let mut files: Vec<_> =
        bench.snapshot("trunk").into_iter().filter(|(_, (kind, ..))| kind == "file").collect();
    files.sort();
    let mut dice = Dice::named("flipped bits");
    for round in 0..120 {
        let (name, (_, whole, _)) = &files[round % files.len()];
        let mut flipped = whole.clone();
        let at = dice.below(flipped.len());
        flipped[at] ^= 1 << dice.below(8);
        fs::write(bench.path("trunk").join(name), &flipped).unwrap();
        let said = bench.porter(&["check", "trunk", "--quiet"]);
        assert!(matches!(said.status, 1 | 3), "byte {at} of {}: {said:?}", name.display());
        assert!(!said.err.contains("panicked"), "{}", said.err);
        fs::write(bench.path("trunk").join(name), whole).unwrap();
    }
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
}

#[test]
fn what_a_damaged_list_tells_no_more_of_is_missed_by_every_command() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.empty_machine("NEW", "odile");
    bench.empty_machine("RESTORED", "odile");
    for number in 0..60 {
        bench.write(&format!("PC/Users/odile/Documents/Kites/{number}.txt"), format!("spar {number}"));
    }
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "RESTORED", "--yes", "--quiet"]).with_status(0);
    let list = bench.path("trunk/list-00001.list");
    let whole = fs::read(&list).unwrap();
    let harmed_at = |at: usize| {
        let mut harmed = whole.clone();
        harmed[at] ^= 0x20;
        fs::write(&list, harmed).unwrap();
        bench.porter(&["check", "trunk", "--json", "-", "--quiet"])
    };
    // Wherever the entries stand in it.
    let at =
        (0..whole.len()).step_by(64).find(|at| harmed_at(*at).out.contains("captured entries are not in it"));
    let receipt = harmed_at(at.unwrap()).with_status(3).json();
    let documents = |receipt: &serde_json::Value| {
        let items = receipt["items"].as_array().unwrap();
        items.iter().find(|item| item["id"] == "odile/folder/documents").unwrap().clone()
    };
    let row = documents(&receipt);
    assert_eq!((&row["verdict"], &row["files"]["missing"]), (&"missing".into(), &60.into()), "{row}");
    assert_eq!(row["files"]["landed"], 0, "{row}");

    // The files on the machine may be right, but nothing proves it.
    let receipt =
        bench.porter(&["check", "trunk", "RESTORED", "--json", "-", "--quiet"]).with_status(3).json();
    assert_eq!(documents(&receipt)["verdict"], "missing");
    let tried = bench.porter(&["restore", "trunk", "NEW", "--try"]).with_status(3);
    assert!(tried.out.contains("61 of 61 captured entries are not in it"), "{}", tried.out);
    for words in [
        &["look", "trunk", "--tree"][..],
        &["look", "trunk", "odile/folder/documents"],
        &["look", "trunk", "--find", "*.txt"],
    ] {
        let said = bench.porter(words).with_status(3);
        assert!(said.err.contains("Part of the trunk's list is damaged"), "{words:?}: {}", said.err);
    }
    for to in ["out", "-"] {
        let said = bench.porter(&["take", "trunk", "odile/folder/documents/Kites/7.txt", to]).with_status(1);
        assert!(said.err.contains("--mend"), "{}", said.err);
    }
    assert!(!bench.path("out").exists());

    // Rebuilt from the packs, it names everything.
    bench.porter(&["look", "trunk", "--mend"]).with_status(0);
    bench.porter(&["take", "trunk", "odile/folder/documents/Kites/7.txt", "out"]).with_status(0);
    bench.porter(&["check", "trunk", "RESTORED", "--quiet"]).with_status(0);
}
