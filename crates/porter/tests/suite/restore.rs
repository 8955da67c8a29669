//! Accounts, choices and obstacles when restoring; looking and taking.

use crate::workbench::Workbench;
use std::fs;

#[test]
fn nobodys_things_are_put_into_a_strangers_account() {
    let bench = Workbench::with_trunk();
    let before = bench.snapshot("TIDEWATER");
    for (words, status, said) in [
        (&["--yes"][..], 1, "no account for tamsin"),
        (
            &["--account", "tamsin=nobody", "--yes"],
            2,
            "no account `nobody`; it has bram, juno, odile, tamsin.okafor",
        ),
        (&["--account", "zelda=odile", "--yes"], 2, "the trunk has no account `zelda`"),
        (&["--account", "tamsin=odile", "--yes"], 2, "would both land in the account `odile`"),
        (&["--account", "tamsin=tamsin.okafor", "--only", "attic", "--yes"], 2, "no item fits `attic`"),
    ] {
        let words = [&["restore", "trunk", "TIDEWATER"], words].concat();
        let told = bench.porter(&words).with_status(status);
        assert!(told.err.contains(said), "{}", told.err);
    }
    assert_eq!(bench.snapshot("TIDEWATER"), before);
}

#[test]
fn a_part_can_be_restored_and_the_receipt_tells_what_was_left_out() {
    let bench = Workbench::with_trunk();
    bench
        .porter(&["restore", "trunk", "TIDEWATER", "--account", "odile", "--skip", "*/pictures", "--yes"])
        .with_status(0);
    assert!(bench.path("TIDEWATER/Users/odile/Music/Lines in the wind 1.wav").exists());
    assert!(!bench.path("TIDEWATER/Users/odile/Pictures/2012").exists());
    assert!(!bench.path("TIDEWATER/Kite Plans").exists());
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    let verdict = |id: &str| {
        receipt["items"].as_array().unwrap().iter().find(|i| i["id"] == id).unwrap()["verdict"].clone()
    };
    assert_eq!(verdict("odile/folder/music"), "landed");
    assert_eq!(verdict("odile/folder/pictures"), "kept_in_trunk");
    assert_eq!(verdict("bram/folder/documents"), "kept_in_trunk");
    // A trunk of a part: what was not captured is on the receipt too.
    bench.porter(&["capture", "LOFT-PC", "part", "--only", "bram/folder/documents"]).with_status(0);
    let receipt = bench.porter(&["check", "part", "--json", "-"]).with_status(0).json();
    assert_eq!(receipt["totals"]["items"]["landed"], 1);
    assert!(receipt["totals"]["items"]["not_chosen"].as_u64().unwrap() > 20);
}

#[test]
fn folders_and_files_in_each_others_way_are_set_aside_whole() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write("PC/Users/odile/Documents/plan/a.txt", "old a");
    bench.write("PC/Users/odile/Documents/letter", "old letter");
    bench.write("NEW/Users/odile/Documents/plan", "a file where a folder comes");
    bench.write("NEW/Users/odile/Documents/letter/inside.txt", "a folder where a file comes");
    bench.porter(&["capture", "PC", "trunk"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes"]).with_status(0);
    bench.porter(&["check", "trunk", "NEW"]).with_status(0);
    let names: Vec<String> = fs::read_dir(bench.path("NEW/Users/odile/Documents"))
        .unwrap()
        .map(|row| row.unwrap().file_name().into_string().unwrap())
        .collect();
    let aside = |start: &str| names.iter().find(|name| name.starts_with(start)).cloned().unwrap();
    let file = format!("NEW/Users/odile/Documents/{}", aside("plan (set aside"));
    assert_eq!(bench.read(&file), "a file where a folder comes");
    let folder = format!("NEW/Users/odile/Documents/{}/inside.txt", aside("letter (set aside"));
    assert_eq!(bench.read(&folder), "a folder where a file comes");
}

#[test]
fn looking_and_taking_reach_every_file() {
    let bench = Workbench::with_trunk();
    let whole = bench.porter(&["look", "trunk"]).with_status(0);
    assert!(whole.out.contains("captured from LOFT-PC") && whole.out.contains("\ntamsin\n  folder/desktop"));
    let folder = bench.porter(&["look", "trunk", "odile/folder/documents/Kites/2014"]).with_status(0);
    assert!(
        folder.out.contains("Job 001 - notes.txt") && folder.out.contains("in 3 files"),
        "{}",
        folder.out
    );
    let rows = bench.porter(&["look", "trunk", "odile/folder/documents", "--json"]).with_status(0).json();
    let kinds: Vec<_> =
        rows["entries"].as_array().unwrap().iter().map(|row| (&row["path"], &row["kind"])).collect();
    // Windows lets not everybody make links.
    let has_link = bench.path("LOFT-PC/Users/odile/Documents/Latest jobs").is_symlink();
    let listed = kinds.iter().any(|(path, kind)| *path == "Latest jobs" && *kind == "link");
    assert_eq!(listed, has_link, "{kinds:?}");
    let nowhere = bench.porter(&["look", "trunk", "odile/folder/documents/attic"]).with_status(2);
    assert!(nowhere.err.contains("holds no `attic`"), "{}", nowhere.err);

    bench
        .porter(&["take", "trunk", "odile/folder/documents/Kites/2014/Job 001 - notes.txt", "desk"])
        .with_status(0);
    let source = bench.read("LOFT-PC/Users/odile/Documents/Kites/2014/Job 001 - notes.txt");
    assert_eq!(bench.read("desk/Job 001 - notes.txt"), source);
    // A file that is kept in the trunk can be taken by anybody who asks for it.
    bench.porter(&["take", "trunk", "odile/folder/home/NTUSER.DAT", "desk"]).with_status(0);
    assert!(bench.path("desk/NTUSER.DAT").exists());
    // A file that differs there is set aside, and taking the same file twice changes nothing.
    bench.write("desk/Job 001 - notes.txt", "scribbled over");
    bench.porter(&["take", "trunk", "odile/folder/documents/Kites/2014", "desk"]).with_status(0);
    assert_eq!(bench.read("desk/2014/Job 001 - notes.txt"), source);
    bench
        .porter(&["take", "trunk", "odile/folder/documents/Kites/2014/Job 001 - notes.txt", "desk"])
        .with_status(0);
    assert_eq!(bench.read("desk/Job 001 - notes.txt"), source);
    assert!(fs::read_dir(bench.path("desk")).unwrap().count() == 4);
}

#[test]
fn what_fits_a_pattern_is_taken_in_its_folders_and_nothing_goes_into_a_trunk() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    for path in
        ["Kites/2014/plan.kite", "Kites/2014/notes.txt", "Kites/PLAN.KITE", "Rota/June/week.txt", "rota.txt"]
    {
        bench.write(&format!("OLD/Users/odile/Documents/{path}"), path);
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["capture", "OLD", "open", "--form", "open", "--quiet"]).with_status(0);
    let documents = "odile/folder/documents";
    let files = |folder: &str| {
        let found = bench.snapshot(folder).into_iter();
        let mut files: Vec<String> = found
            .filter(|(_, (kind, ..))| kind == "file")
            .map(|(path, _)| path.to_string_lossy().replace('\\', "/"))
            .collect();
        files.sort();
        files
    };
    for (folder, item, patterns, expected) in [
        ("a", documents, &["*.kite"][..], &["Kites/2014/plan.kite", "Kites/PLAN.KITE"][..]),
        ("b", documents, &["june", "rota.*"], &["Rota/June/week.txt", "rota.txt"]),
        (
            "c",
            "odile/folder/documents/Kites",
            &["**/2014"],
            &["Kites/2014/notes.txt", "Kites/2014/plan.kite"],
        ),
        ("d", "odile/folder/documents/Kites", &["Kites/*.kite"], &["Kites/PLAN.KITE"]),
    ] {
        let mut words = vec!["take", "trunk", item, folder, "--quiet"];
        patterns.iter().for_each(|pattern| words.extend(["--find", pattern]));
        let said = bench.porter(&words).with_status(0).out;
        assert_eq!(files(folder), expected, "{patterns:?}: {said}");
    }
    let none = bench.porter(&["take", "trunk", documents, "e", "--find", "*.mast"]).with_status(2);
    assert!(none.err.contains("fits --find") && !bench.path("e").exists(), "{}", none.err);
    bench.porter(&["take", "trunk", documents, "e", "--find", "[a"]).with_status(2);
    bench.porter(&["take", "trunk", documents, "-", "--find", "*.kite"]).with_status(2);

    // Neither into this trunk nor another, nor by a detour; nor a page made from it.
    let before = (bench.snapshot("trunk"), bench.snapshot("open"));
    fs::create_dir_all(bench.path("beside")).unwrap();
    for folder in ["trunk", "trunk/new/folder", "open/data/odile", "beside/../trunk/x", "./open"] {
        let refused = bench.porter(&["take", "trunk", documents, folder]).with_status(2);
        assert!(refused.err.contains("lies in a trunk"), "{}", refused.err);
    }
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(bench.path("open/data"), bench.path("shortcut")).unwrap();
        bench.porter(&["take", "trunk", documents, "shortcut/odile"]).with_status(2);
        let inside = bench.porter(&["capture", "OLD", "shortcut/third", "--quiet"]).with_status(2);
        assert!(inside.err.contains("inside another one"), "{}", inside.err);
    }
    assert!(
        (bench.snapshot("trunk"), bench.snapshot("open")) == before,
        "something was written into a trunk"
    );
}

#[test]
fn what_comes_from_several_places_is_taken_whole_and_a_setting_has_no_files_to_take() {
    let bench = Workbench::with_trunk();
    bench.porter(&["take", "trunk", "tamsin/mail/outlook-lists", "out", "--quiet"]).with_status(0);
    for path in [
        "out/roaming-data/Microsoft/Outlook/Outlook.srs",
        "out/local-data/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0_2012.dat",
    ] {
        assert!(bench.path(path).exists(), "{path}");
    }
    let values = bench.porter(&["look", "trunk", "machine/setting/time-zone"]).with_status(0);
    assert!(values.out.contains("GMT Standard Time"), "{}", values.out);
    let refused = bench.porter(&["take", "trunk", "machine/setting/time-zone", "out2"]).with_status(2);
    assert!(refused.err.contains("is a setting"), "{}", refused.err);
}
