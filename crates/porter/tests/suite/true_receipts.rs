//! Claims of a receipt are true on the new machine, and its numbers add up.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

const FIREFOX: &str = "Users/odile/AppData/Roaming/Mozilla/Firefox";
const RESTORE: [&str; 7] =
    ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
const CHECK: [&str; 5] = ["check", "trunk", "TIDEWATER", "--quiet", "--json"];

#[track_caller]
fn item<'v>(json: &'v Value, id: &str) -> &'v Value {
    let items = json["items"].as_array().unwrap();
    items.iter().find(|item| item["id"] == id).unwrap_or_else(|| panic!("no {id}"))
}

/// `81 of 81`, by name.
fn count(item: &Value, name: &str) -> (u64, u64) {
    let rows = item["counts"].as_array().unwrap();
    let row = rows.iter().find(|row| row["name"] == name).unwrap_or_else(|| panic!("no {name}: {item}"));
    (row["landed"].as_u64().unwrap(), row["captured"].as_u64().unwrap())
}

#[test]
fn a_profile_that_was_there_before_is_not_read_for_one_that_did_not_land() {
    let bench = Workbench::with_trunk();
    // The new machine has a profile of the same name with things of its own, and a browser too old for the
    // trunk's.
    let (old, new) = (bench.path(&format!("LOFT-PC/{FIREFOX}")), bench.path(&format!("TIDEWATER/{FIREFOX}")));
    let profile = "Profiles/k7r2m1xw.default-release";
    fs::create_dir_all(new.join(profile)).unwrap();
    for file in ["places.sqlite", "logins.json", "key4.db", "prefs.js"] {
        fs::copy(old.join(profile).join(file), new.join(profile).join(file)).unwrap();
    }
    fs::write(new.join(profile).join("prefs.js"), "// mine").unwrap();
    bench.write("TIDEWATER/Program Files/Mozilla Firefox/application.ini", "[App]\r\nVersion=91.0\r\n");
    bench.porter(&RESTORE).with_status(3);
    let receipt = bench.porter(&CHECK).with_status(3).json();
    let refused = item(&receipt, "odile/browser/firefox/default-release");
    assert_eq!(refused["verdict"], "left_behind");
    let (bookmarks, passwords) = (count(refused, "bookmarks"), count(refused, "passwords"));
    assert_eq!((bookmarks.0, passwords.0), (0, 0), "{refused}");
    assert!(bookmarks.1 > 0 && passwords.1 > 0);
    // One sentence for the item, not one for each file.
    assert_eq!(
        refused["reasons"].as_array().unwrap().iter().filter(|r| r["needs_attention"] == true).count(),
        1
    );
}

#[test]
fn passwords_are_counted_by_whether_they_open_and_the_first_sentence_tells_whose_do_not() {
    let bench = Workbench::with_trunk();
    bench.porter(&RESTORE).with_status(0);
    let receipt = bench.porter(&CHECK).with_status(0).json();
    assert_eq!(count(item(&receipt, "tamsin/browser/chrome/tamsin"), "passwords").0, 0);
    let opens = count(item(&receipt, "odile/browser/firefox/default-release"), "passwords");
    assert_eq!(opens.0, opens.1);
    assert_eq!(receipt["ending"], "to-do");
    let said = bench.porter(&["check", "trunk", "TIDEWATER", "--quiet"]).with_status(0).out;
    let last = said.trim_end().lines().next_back().unwrap();
    assert!(last.starts_with("Everything that can travel arrived, but for 15 passwords that do not open here: 6 of odile, 9 of tamsin."), "{last}");
    assert!(said.contains("0 of 9 passwords open here"), "{said}");
    let to_do = receipt["to_do"].as_array().unwrap();
    assert!(last.contains(&format!("{} things are left to do", to_do.len())), "{last}");
}

#[test]
fn what_no_program_reads_on_the_new_system_stays_in_the_trunk() {
    let bench = Workbench::new();
    porter_demo::build_sailroom(&bench.path("SAILROOM"), porter_demo::DemoSize::Small).unwrap();
    porter_demo::build_tidewater(&bench.path("TIDEWATER")).unwrap();
    bench.porter(&["capture", "SAILROOM", "trunk", "--account", "tamsin", "--quiet"]).with_status(0);
    bench.porter(&RESTORE).with_status(0);
    let receipt = bench.porter(&CHECK).with_status(0).json();
    for id in ["tamsin/mail/apple-mail", "tamsin/browser/safari"] {
        let foreign = item(&receipt, id);
        assert_eq!(foreign["verdict"], "kept_in_trunk", "{foreign}");
        assert_eq!(
            (&foreign["files"]["landed"], foreign["reasons"].as_array().unwrap().len()),
            (&0.into(), 1)
        );
    }
    assert!(!bench.path("TIDEWATER/Users/tamsin.okafor/Library/Mail").exists());
    let to_do = receipt["to_do"].to_string();
    assert!(to_do.contains("porter take TRUNK tamsin/mail/apple-mail FOLDER"), "{to_do}");
    // A person who wants its files in spite of that gets them.
    bench.porter(&[&RESTORE[..], &["--land-held", "tamsin/mail/apple-mail"]].concat()).with_status(0);
    let receipt = bench.porter(&CHECK).with_status(0).json();
    let letters = item(&receipt, "tamsin/mail/apple-mail");
    assert_eq!(letters["verdict"], "landed", "{letters}");
    assert!(letters["files"]["landed"].as_u64().unwrap() > 0, "{letters}");
    let folder = "TIDEWATER/Users/tamsin.okafor/Documents/From SAILROOM";
    assert!(bench.path(folder).is_dir(), "beside the documents, with where it is from");
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(folder).exists());
}

#[test]
fn a_second_trunk_and_the_machine_itself_find_the_profile_that_is_there() {
    let bench = Workbench::with_trunk();
    let profiles =
        |machine: &str| fs::read_dir(bench.path(&format!("{machine}/{FIREFOX}/Profiles"))).unwrap().count();
    bench.porter(&RESTORE).with_status(0);
    let landed = profiles("TIDEWATER");
    // From another day, and into the same account.
    bench.porter(&["capture", "LOFT-PC", "later", "--quiet"]).with_status(0);
    let again = [&["restore", "later"], &RESTORE[2..]].concat();
    bench.porter(&again).with_status(0);
    assert_eq!(profiles("TIDEWATER"), landed, "no profile is there twice");

    let before = profiles("LOFT-PC");
    let said = bench.porter(&["restore", "trunk", "LOFT-PC", "--yes", "--quiet"]).with_status(0).out;
    assert!(said.contains("This is the machine that the trunk was captured from"), "{said}");
    assert!(said.contains("0 entries set aside"), "{said}");
    assert_eq!(profiles("LOFT-PC"), before);
    let receipt = bench.porter(&["check", "trunk", "LOFT-PC", "--quiet", "--json"]).with_status(0).json();
    let profile = item(&receipt, "odile/browser/firefox/work");
    assert_eq!((&profile["verdict"], count(profile, "bookmarks").0 > 0), (&"landed".into(), true));
    assert_eq!(receipt["balance"]["landed"]["files"], 0, "all was there already: {}", receipt["balance"]);
}

/// As somebody who may not look into everything; the one who runs the tests, if that is not root.
#[cfg(unix)]
#[test]
fn a_person_whose_folder_may_not_be_read_is_never_told_as_empty() {
    use std::os::unix::fs::PermissionsExt;
    use std::os::unix::process::CommandExt;
    const NOBODY: u32 = 65_534;
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.write("PC/Users/odile/Documents/plan.txt", "spar");
    bench.write("PC/Users/bram/NTUSER.DAT", "x");
    let shut =
        |path: &str, mode| fs::set_permissions(bench.path(path), fs::Permissions::from_mode(mode)).unwrap();
    shut("PC/Users/bram", 0o700);
    bench.program("porter", env!("CARGO_BIN_EXE_porter").as_ref());
    fs::create_dir(bench.path("out")).unwrap();
    shut("out", 0o777);
    shut("", 0o755);
    let as_nobody = |words: &[&str]| {
        let mut command = std::process::Command::new(bench.path("porter"));
        command
            .args(words)
            .current_dir(bench.path(""))
            .env("HOME", bench.path("out"))
            .env_remove("XDG_CONFIG_HOME");
        if rustix::process::geteuid().is_root() {
            command.uid(NOBODY).gid(NOBODY);
        } else {
            shut("PC/Users/bram", 0o000);
        }
        crate::workbench::run(command)
    };
    let survey = as_nobody(&["survey", "PC"]).with_status(3).out;
    assert!(survey.contains("\nbram  NOT READ: permission denied\n"), "{survey}");
    assert!(!survey.contains("nobody ever signed in"), "{survey}");
    let cautions = survey.split_once("\nCautions\n").unwrap().1;
    assert!(cautions.starts_with("  ! NOT READ "), "it is the first: {cautions}");
    assert!(survey.contains("To capture  at least 5 B in 2 files"), "{survey}");
    let said = as_nobody(&["capture", "PC", "out/trunk", "--quiet"]).with_status(3).out;
    assert!(said.contains("  Users/bram\n      permission denied"), "{said}");
    shut("PC/Users/bram", 0o755);
}

#[test]
fn looks_that_a_person_made_travel_and_a_trunk_is_not_packed_into_another() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    let documents = "PC/Users/odile/Documents";
    bench.write(
        &format!("{documents}/Kites/desktop.ini"),
        "[.ShellClassInfo]\r\nIconResource=C:\\Users\\odile\\kite.ico,0\r\n",
    );
    bench.write(
        &format!("{documents}/desktop.ini"),
        "[.ShellClassInfo]\r\nIconResource=%SystemRoot%\\system32\\imageres.dll,-112\r\n",
    );
    bench.write(&format!("{documents}/plan.txt"), "spar");
    for (form, folder) in [("packed", "Old stick"), ("open", "Old bag")] {
        let into = format!("{documents}/{folder}");
        bench
            .porter(&["capture", "PC", "made", "--form", form, "--only", "*/documents", "--quiet"])
            .with_status(0);
        fs::rename(bench.path("made"), bench.path(&into)).unwrap();
    }
    let survey = bench.porter(&["survey", "PC", "--json"]).with_status(0).json();
    let cautions = item(&survey, "odile/folder/documents")["cautions"].to_string();
    for folder in ["Old stick", "Old bag"] {
        assert!(
            cautions.contains(&format!("Users/odile/Documents/{folder} is a trunk that porter made")),
            "{cautions}"
        );
    }
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    let found = bench.porter(&["look", "trunk", "--find", "*"]).with_status(0).out;
    assert!(found.contains("Kites/desktop.ini") && found.contains("plan.txt"), "{found}");
    assert!(!found.contains("documents/desktop.ini") && !found.contains("pack-00001.pack"), "{found}");
    assert!(!found.contains("Old bag/data"), "{found}");
    // Who names it wants it.
    bench
        .porter(&["capture", "PC", "asked", "--also", "Users/odile/Documents/Old stick", "--quiet"])
        .with_status(0);
    let found = bench.porter(&["look", "asked", "--find", "*.pack"]).with_status(0).out;
    assert!(found.contains("pack-00001.pack"), "{found}");
}
