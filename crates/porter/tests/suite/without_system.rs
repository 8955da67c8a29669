//! Drives without a system, further drives beside one, and a person's folder alone.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_hive::KeyTree;
use porter_hive::write::{Heading, Version, to_bytes};
use std::fs;

fn hive(root: &KeyTree) -> Vec<u8> {
    let heading = Heading { version: Version::V1_5, last_written: 1, sequence: 1, file_name: "h".to_owned() };
    to_bytes(root, &heading).unwrap()
}

/// A person's registry that has their documents in that folder.
fn own_registry(documents: &str) -> Vec<u8> {
    let mut root = KeyTree::new("NTUSER");
    root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders")
        .set_expand_text("Personal", documents);
    hive(&root)
}

/// A Windows on which Odile has her documents on D:.
fn with_documents_on_d(bench: &Workbench, name: &str) {
    bench.empty_machine(name, "odile");
    bench.write(&format!("{name}/Users/odile/NTUSER.DAT"), own_registry("D:\\Papers of Odile"));
    let mut software = KeyTree::new("SOFTWARE");
    let current = software.key("Microsoft\\Windows NT\\CurrentVersion");
    current.set_text("ProductName", "Windows 7 Professional").set_text("SystemRoot", "C:\\Windows");
    current
        .key("ProfileList\\S-1-5-21-1-2-3-1001")
        .set_expand_text("ProfileImagePath", "%SystemDrive%\\Users\\odile");
    bench.write(&format!("{name}/Windows/System32/config/SOFTWARE"), hive(&software));
}

#[test]
fn a_stick_is_a_machine_with_an_item_for_each_folder_at_its_root() {
    let bench = Workbench::new();
    bench.write("stick/DCIM/100KITE/dawn.jpg", "a photo");
    bench.write("stick/plan.txt", "spar 12 mm");
    bench.write("stick/System Volume Information/tracking.log", "x");
    bench.write("stick/$RECYCLE.BIN/S-1-5/x.txt", "thrown away");
    fs::create_dir(bench.path("new")).unwrap();
    let refused = bench.porter(&["survey", "stick"]).with_status(2);
    assert!(refused.err.contains("--as-drive"), "{}", refused.err);
    bench.porter(&["capture", "stick", "trunk", "--as-drive", "--form", "open", "--quiet"]).with_status(0);
    let entries = bench.read("trunk/porter/entries.jsonl");
    assert!(entries.contains("dawn.jpg") && !entries.contains("S-1-5") && !entries.contains("tracking"));
    bench.porter(&["restore", "trunk", "new", "--as-drive", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "new", "--as-drive", "--quiet"]).with_status(0);
    assert_eq!(bench.read("new/DCIM/100KITE/dawn.jpg"), "a photo");
    assert!(
        !bench.path("new/$RECYCLE.BIN").exists() && !bench.path("new/System Volume Information").exists()
    );
    bench.porter(&["undo", "new", "--as-drive", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path("new/DCIM").exists() && !bench.path("new/plan.txt").exists());
}

#[test]
fn what_was_moved_to_another_drive_is_found_and_lands_there() {
    let bench = Workbench::new();
    with_documents_on_d(&bench, "OLD");
    with_documents_on_d(&bench, "NEW");
    bench.write("old-d/Papers of Odile/plan.txt", "spar 12 mm");
    fs::create_dir_all(bench.path("new-d")).unwrap();
    let alone = bench.porter(&["survey", "OLD"]).with_status(0);
    assert!(alone.out.contains("D:/Papers of Odile, which is not there now"), "{}", alone.out);
    bench.porter(&["capture", "OLD", "trunk", "--drive", "D:=old-d", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--drive", "d=new-d", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.read("new-d/Papers of Odile/plan.txt"), "spar 12 mm");
    bench.porter(&["check", "trunk", "NEW", "--drive", "D:=new-d", "--quiet"]).with_status(0);
    bench.porter(&["undo", "NEW", "--drive", "D:=new-d", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path("new-d/Papers of Odile/plan.txt").exists());
    for drive in ["data=old-d", "D:=", "old-d"] {
        bench.porter(&["survey", "OLD", "--drive", drive]).with_status(2);
    }
}

#[test]
fn one_persons_folder_is_captured_alone_and_lands_in_an_account() {
    let bench = Workbench::new();
    bench.write("copy/NTUSER.DAT", own_registry("C:\\Users\\somebody\\Papiere"));
    bench.write("copy/Papiere/plan.txt", "spar 12 mm");
    bench.write("copy/Desktop/note.txt", "to do");
    bench.write("copy/Wind/log.txt", "force 5");
    bench.write("copy/AppData/Roaming/Kite Planner/settings.ini", "colour=red");
    bench.empty_machine("NEW", "odile");
    let refused = bench.porter(&["survey", "copy"]).with_status(2);
    assert!(refused.err.contains("--as-person NAME"), "{}", refused.err);
    bench.porter(&["capture", "copy", "trunk", "--as-person", "Odile", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let home = "NEW/Users/odile";
    for (at, content) in [
        ("Documents/plan.txt", "spar 12 mm"),
        ("Desktop/note.txt", "to do"),
        ("Wind/log.txt", "force 5"),
        ("AppData/Roaming/Kite Planner/settings.ini", "colour=red"),
    ] {
        assert_eq!(bench.read(&format!("{home}/{at}")), content, "{at}");
    }
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    // If a folder of a machine is named, the message names the machine.
    let above = bench.porter(&["survey", "NEW/Users"]).with_status(2);
    assert!(above.err.contains("Name the machine:") && above.err.contains("NEW`"), "{}", above.err);
}
