//! Linux machines: to another Linux, where names and permissions mean the same, and to and from Windows,
//! where they do not.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::process::Command;

/// A Linux with one person, whose documents are called something else.
fn linux(bench: &Workbench, name: &str, documents: &str) {
    bench.write(&format!("{name}/etc/os-release"), "PRETTY_NAME=\"Kite Linux 3\"\nVERSION_ID=3\n");
    bench.write(&format!("{name}/etc/hostname"), format!("{name}\n"));
    bench.write(
        &format!("{name}/etc/passwd"),
        "root:x:0:0::/root:/bin/sh\nodile:x:1000:1000:Odile Marchetti:/home/odile:/bin/sh\n",
    );
    let dirs = format!("XDG_DOCUMENTS_DIR=\"$HOME/{documents}\"\n");
    bench.write(&format!("{name}/home/odile/.config/user-dirs.dirs"), dirs);
    fs::create_dir_all(bench.path(&format!("{name}/var/lib"))).unwrap();
}

fn set_mode(bench: &Workbench, below: &str, mode: u32) {
    fs::set_permissions(bench.path(below), fs::Permissions::from_mode(mode)).unwrap();
}

fn mode(bench: &Workbench, below: &str) -> u32 {
    fs::symlink_metadata(bench.path(below)).unwrap().permissions().mode() & 0o7777
}

#[test]
fn a_linux_home_lands_on_another_linux_with_its_permissions_and_any_name() {
    let bench = Workbench::new();
    linux(&bench, "sailroom", "Papiere");
    linux(&bench, "loft", "Documents");
    let home = "sailroom/home/odile";
    bench.write(&format!("{home}/Papiere/NUL"), "a name like any other");
    bench.write(&format!("{home}/Papiere/Plan: \"sail\"?.txt"), "so is this");
    bench.write(&format!("{home}/Papiere/plan.txt"), "small");
    bench.write(&format!("{home}/Papiere/PLAN.txt"), "large");
    bench.write(&format!("{home}/.ssh/key"), "secret");
    bench.write(&format!("{home}/bin/fly.sh"), "#!/bin/sh\n");
    bench.write(&format!("{home}/.cache/kitecad/tile"), "a cache");
    bench.write(&format!("{home}/.config/kitecad/Cache/tile"), "another");
    bench.write(&format!("{home}/.config/kitecad/settings"), "colour=red");
    for (below, bits) in [(".ssh", 0o700), (".ssh/key", 0o600), ("bin/fly.sh", 0o4755)] {
        set_mode(&bench, &format!("{home}/{below}"), bits);
    }
    let survey = bench.porter(&["survey", "sailroom", "--json"]).with_status(0).json();
    assert_eq!(survey["machine"]["name"], "sailroom");
    assert_eq!(survey["machine"]["system"]["family"], "linux");
    assert_eq!(survey["accounts"][0]["cautions"], serde_json::json!([]), "a Linux profile has no registry");

    bench.porter(&["capture", "sailroom", "trunk", "--quiet"]).with_status(0);
    let restored = bench.porter(&["restore", "trunk", "loft", "--yes", "--quiet"]).with_status(0);
    assert!(!restored.out.contains('~'), "no name needed another: {}", restored.out);
    bench.porter(&["check", "trunk", "loft", "--quiet"]).with_status(0);
    let there = "loft/home/odile";
    for (name, content) in [
        ("NUL", "a name like any other"),
        ("Plan: \"sail\"?.txt", "so is this"),
        ("plan.txt", "small"),
        ("PLAN.txt", "large"),
    ] {
        assert_eq!(bench.read(&format!("{there}/Documents/{name}")), content);
    }
    assert_eq!(bench.read(&format!("{there}/.config/kitecad/settings")), "colour=red");
    assert!(!bench.path(&format!("{there}/.cache")).exists());
    assert!(!bench.path(&format!("{there}/.config/kitecad/Cache")).exists());
    assert_eq!(
        (mode(&bench, &format!("{there}/.ssh")), mode(&bench, &format!("{there}/.ssh/key"))),
        (0o700, 0o600)
    );
    // Whose rights a program lends is for the new machine's owner to say.
    assert_eq!(mode(&bench, &format!("{there}/bin/fly.sh")), 0o755);
    // A permission that was changed since is named, and needs no attention.
    set_mode(&bench, &format!("{there}/.ssh/key"), 0o644);
    let checked = bench.porter(&["check", "trunk", "loft", "--json", "-", "--quiet"]).with_status(0);
    assert!(checked.out.contains("attributes-differ"), "{}", checked.out);
}

#[test]
fn windows_and_linux_meet_by_place() {
    let bench = Workbench::with_trunk();
    linux(&bench, "loft", "Papiere");
    let words =
        ["restore", "trunk", "loft", "--account", "odile", "--only", "*/documents", "--yes", "--quiet"];
    bench.porter(&words).with_status(0);
    assert!(bench.path("loft/home/odile/Papiere/Kites/2014/Job 001 - notes.txt").is_file());
    assert!(fs::read_dir(bench.path("loft/var/lib/loyal-porter")).unwrap().count() == 1);
    bench.porter(&["check", "trunk", "loft", "--account", "odile", "--quiet"]).with_status(0);

    // And back, with names that Windows cannot hold.
    bench.write("loft/home/odile/Papiere/aux.txt", "a device on Windows");
    set_mode(&bench, "loft/home/odile/Papiere/aux.txt", 0o644);
    bench.porter(&["capture", "loft", "back", "--only", "*/documents", "--quiet"]).with_status(0);
    bench.empty_machine("NEW", "odile");
    let said = bench.porter(&["restore", "back", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(said.out.contains("aux~"), "{}", said.out);
    bench.porter(&["check", "back", "NEW", "--quiet"]).with_status(0);
    let names: Vec<String> = fs::read_dir(bench.path("NEW/Users/odile/Documents"))
        .unwrap()
        .map(|row| row.unwrap().file_name().into_string().unwrap())
        .collect();
    assert!(names.iter().any(|name| name.starts_with("aux~") && name.ends_with(".txt")), "{names:?}");
    // Permissions of a Linux mean nothing there, so differences are not reported.
    let checked = bench.porter(&["check", "back", "NEW", "--json", "-", "--quiet"]).with_status(0);
    assert!(!checked.out.contains("attributes-differ"), "{}", checked.out);
}

#[test]
fn what_is_only_in_a_cloud_is_left_and_named() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.write("PC/Users/odile/Documents/here.txt", "here");
    bench.write("PC/Users/odile/Documents/in the cloud.docx", [0; 4096]);
    // A file system that keeps no extended attributes has to be declared.
    if std::env::var_os("PORTER_TESTS_WITHOUT_XATTRS").is_some() {
        return;
    }
    rustix::fs::setxattr(
        bench.path("PC/Users/odile/Documents/in the cloud.docx"),
        "user.DOSATTRIB",
        b"0x401020",
        rustix::fs::XattrFlags::empty(),
    )
    .unwrap();
    let said = bench.porter(&["capture", "PC", "trunk", "--form", "open"]).with_status(3);
    assert!(said.out.contains("in the cloud.docx") && said.out.contains("only in the cloud"), "{}", said.out);
    assert!(!bench.path("trunk/data/odile/documents/in the cloud.docx").exists());
    let receipt = bench.porter(&["check", "trunk", "--json", "-"]).with_status(3).json();
    assert!(receipt.to_string().contains("cloud-only"), "the receipt names it too");
}

/// Folders that a program copied into themselves again and again: no system takes such a path at once.
#[test]
fn what_lies_deeper_than_a_path_can_be_long_is_captured_and_can_be_taken_out() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    let documents = bench.path("OLD/Users/odile/Documents");
    let dig = "i=0; while [ $i -lt 300 ]; do mkdir \"copy of everything\" && cd -P \"copy of everything\" || exit 1; i=$((i+1)); \
               if [ $i = 299 ]; then printf 'spar 12 mm' > plan.txt; fi; done";
    let dug = Command::new("sh").args(["-c", dig]).current_dir(&documents).status().unwrap();
    assert!(dug.success());
    let capture = bench.porter(&["capture", "OLD", "trunk", "--json"]).with_status(0).json();
    let is_lost = |row: &serde_json::Value| row["needs_attention"] == true;
    assert_eq!(capture["captured"]["folders"], 300);
    assert!(!capture["left_behind"].as_array().unwrap().iter().any(is_lost));

    // From its middle on it is short enough.
    let below = vec!["copy of everything"; 298].join("/");
    bench
        .porter(&["take", "trunk", &format!("odile/folder/documents/{below}"), "out", "--quiet"])
        .with_status(0);
    let plan = bench.path("out/copy of everything/copy of everything/plan.txt");
    assert_eq!(fs::read_to_string(plan).unwrap(), "spar 12 mm");

    // Where it cannot be, each thing says so and nothing stands there half.
    let restore = bench.porter(&["restore", "trunk", "NEW", "--yes", "--json"]).with_status(3).json();
    let all = restore["refused"].as_array().unwrap();
    let refused: Vec<_> = all.iter().filter(|row| row["needs_attention"] == true).collect();
    assert!(refused.iter().any(|row| row["path"].as_str().unwrap().ends_with("plan.txt")), "{refused:?}");
    assert!(
        refused.iter().all(|row| row["reason"].as_str().unwrap().contains("longer than this system takes"))
    );
    let receipt = bench.porter(&["check", "trunk", "NEW"]).with_status(3);
    assert!(
        receipt.out.lines().all(|line| line.chars().count() < 400),
        "nobody reads paths of thousands of characters"
    );
    assert!(!receipt.out.contains("had landed"), "{}", receipt.out);
}

#[test]
fn profiles_whose_folders_have_odd_names_are_told_apart_in_an_open_trunk() {
    let bench = Workbench::new();
    linux(&bench, "sailroom", "Papiere");
    linux(&bench, "loft", "Documents");
    let browser = "home/odile/.mozilla/firefox";
    let mut list = "[General]\nVersion=2\n".to_owned();
    let folders = ["a:b.work", "a?b.work"];
    for (number, folder) in folders.iter().enumerate() {
        list.push_str(&format!("[Profile{number}]\nName=of {number}\nIsRelative=1\nPath={folder}\n"));
        bench.write(&format!("sailroom/{browser}/{folder}/prefs.js"), format!("// {folder}"));
        bench.write(&format!("sailroom/{browser}/{folder}/s:t/u|v.txt"), folder);
    }
    bench.write(&format!("sailroom/{browser}/profiles.ini"), list);
    bench.porter(&["capture", "sailroom", "open", "--form", "open", "--quiet"]).with_status(0);
    // Names that Windows and FAT cannot hold are nowhere in the bag.
    for (path, _) in bench.snapshot("open/data") {
        let path = path.to_string_lossy().into_owned();
        assert!(!path.contains([':', '?', '|']), "{path}");
    }
    bench.porter(&["restore", "open", "loft", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["check", "open", "loft", "--quiet"]).with_status(0);
    for folder in folders {
        assert_eq!(bench.read(&format!("loft/{browser}/{folder}/s:t/u|v.txt")), folder);
    }
}

#[test]
fn what_two_items_have_in_folders_whose_names_count_as_one_goes_into_one_folder() {
    let bench = Workbench::new();
    linux(&bench, "sailroom", "Papiere");
    bench.empty_machine("NEW", "odile");
    let browser = "sailroom/home/odile/.mozilla/firefox";
    let list = "[General]\nVersion=2\n[Profile0]\nName=default\nIsRelative=1\nPath=a.work\n";
    bench.write(&format!("{browser}/profiles.ini"), list);
    bench.write(&format!("{browser}/a.work/prefs.js"), "// kites");
    bench.write("sailroom/home/odile/.config/mozilla/plans/spar.txt", "12 mm");
    // Both are of one item, so both stay: the second one under a name of its own.
    bench.write("sailroom/home/odile/.config/loft/low.txt", "low");
    bench.write("sailroom/home/odile/.config/Loft/high.txt", "high");
    bench.porter(&["capture", "sailroom", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let roaming = "NEW/Users/odile/AppData/Roaming";
    let names = |below: &str| -> Vec<String> {
        let rows = std::fs::read_dir(bench.path(below)).unwrap();
        rows.map(|row| row.unwrap().file_name().into_string().unwrap()).collect()
    };
    let mozilla = names(roaming).into_iter().find(|name| name.to_lowercase() == "mozilla").unwrap();
    assert_eq!(bench.read(&format!("{roaming}/{mozilla}/plans/spar.txt")), "12 mm");
    assert_eq!(bench.read(&format!("{roaming}/{mozilla}/Firefox/Profiles/a.work/prefs.js")), "// kites");
    assert!(bench.path(&format!("{roaming}/{mozilla}/Firefox/profiles.ini")).exists());
    let lofts = names(roaming).iter().filter(|name| name.to_lowercase().starts_with("loft")).count();
    assert_eq!((names(roaming).len(), lofts), (3, 2), "{:?}", names(roaming));
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
}

#[test]
fn what_somebody_asked_for_is_installed_again_with_one_command_and_nothing_of_windows_layout_is_made() {
    let bench = Workbench::new();
    for (name, pretty) in [("sailroom", "Debian GNU/Linux 11"), ("loft", "Debian GNU/Linux 12")] {
        linux(&bench, name, "Documents");
        bench.write(&format!("{name}/etc/os-release"), format!("PRETTY_NAME=\"{pretty}\"\n"));
    }
    let package = |name: &str, more: &str| {
        format!("Package: {name}\nStatus: install ok installed\nVersion: 1\n{more}\n")
    };
    let status = [
        package("bash", "Essential: yes\nPriority: required\n"),
        package("kitecad", "Priority: optional\n"),
        package("libkite", "Priority: optional\n"),
        package("spars", "Priority: optional\n"),
        package("$(rm)", "Priority: optional\n"),
    ];
    bench.write("sailroom/var/lib/dpkg/status", status.concat());
    bench.write("sailroom/var/lib/apt/extended_states", "Package: libkite\nAuto-Installed: 1\n");
    bench.write("loft/var/lib/dpkg/status", package("spars", "Priority: optional\n"));
    bench.write("sailroom/home/odile/Documents/plan.txt", "spar");
    bench.porter(&["capture", "sailroom", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "loft", "--yes", "--quiet"]).with_status(0);
    let receipt = bench.porter(&["check", "trunk", "loft", "--quiet", "--json"]).with_status(0).json();
    let install = &receipt["to_do"][0];
    // A name that is not a package's name is shown, and not in the command.
    assert_eq!(install["type"], serde_json::json!(["sudo apt install kitecad"]), "{install}");
    assert!(install["how"].as_str().unwrap().contains("$(rm)"), "{install}");
    let said = bench.porter(&["check", "trunk", "loft", "--quiet"]).with_status(0).out;
    assert!(said.contains("      sudo apt install kitecad\n"), "{said}");

    // From Windows: what only its layout needs is not made.
    bench.empty_machine("PC", "odile");
    bench.write("PC/Users/odile/AppData/Roaming/KiteCAD/settings.ini", "colour=red");
    bench.write("PC/Users/odile/Documents/kite.txt", "tail");
    bench.porter(&["capture", "PC", "of-windows", "--quiet"]).with_status(0);
    bench.porter(&["restore", "of-windows", "loft", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.read("loft/home/odile/Documents/kite.txt"), "tail");
    assert!(!bench.path("loft/home/odile/AppData").exists());
    bench.porter(&["check", "of-windows", "loft", "--quiet"]).with_status(0);
}
