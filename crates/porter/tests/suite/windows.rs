//! Facts that only a Windows has: files that others hold open, attributes, paths of more than 260 characters,
//! its own spelling of paths.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::fs;
use std::os::windows::fs::{MetadataExt, OpenOptionsExt};

const READ_ONLY: u32 = 0x01;
const HIDDEN: u32 = 0x02;

#[test]
fn a_file_that_a_program_holds_is_named_and_the_run_goes_on() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.write("OLD/Users/odile/Documents/free.txt", "free");
    bench.write("OLD/Users/odile/Documents/open.docx", "held");
    // This test is another program than the one that captures.
    let held = fs::OpenOptions::new()
        .read(true)
        .write(true)
        .share_mode(0)
        .open(bench.path("OLD/Users/odile/Documents/open.docx"))
        .unwrap();
    let said = bench.porter(&["capture", "OLD", "trunk"]).with_status(3);
    assert!(said.out.contains("open.docx"), "{}", said.out);
    assert!(said.out.contains("close the program and capture again"), "{}", said.out);
    bench.porter(&["look", "trunk", "odile/folder/documents/free.txt"]).with_status(0);
    drop(held);
    let said = bench.porter(&["capture", "OLD", "again", "--quiet"]).with_status(0);
    assert!(!said.out.contains("open.docx"), "{}", said.out);
}

#[test]
fn marks_and_long_paths_arrive_and_windows_paths_are_understood() {
    let bench = Workbench::with_demo_machines();
    let deep =
        format!("Users\\odile\\Documents\\{}", ["forty characters of folder name, of them"; 10].join("\\"));
    let folder = fs::canonicalize(bench.path("LOFT-PC")).unwrap().join(&deep);
    fs::create_dir_all(&folder).unwrap();
    fs::write(folder.join("at the bottom.txt"), "deep").unwrap();
    // Either slash, and the quote that a backslash before it leaves behind.
    bench.porter(&["capture", ".\\LOFT-PC\"", "My jobs/one", "--quiet"]).with_status(0);
    let words =
        ["restore", "My jobs\\one", "TIDEWATER\\", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    let said = bench.porter(&words).with_status(0);
    assert!(!said.out.contains("\\\\?\\"), "{}", said.out);
    let said = bench.porter(&["check", "My jobs/one", "TIDEWATER"]).with_status(0);
    assert!(!said.out.contains("without a mark"), "{}", said.out);
    let landed = fs::canonicalize(bench.path("TIDEWATER")).unwrap().join(&deep).join("at the bottom.txt");
    assert_eq!(fs::read(landed).unwrap(), b"deep");
    let marks = |below: &str| fs::metadata(bench.path(below)).unwrap().file_attributes();
    assert_eq!(marks("TIDEWATER/Users/tamsin.okafor/Desktop/Read me first.txt") & READ_ONLY, READ_ONLY);
    let hidden = fs::read_dir(bench.path("TIDEWATER/Users/tamsin.okafor/Documents"))
        .unwrap()
        .filter(|row| row.as_ref().unwrap().metadata().unwrap().file_attributes() & HIDDEN != 0)
        .count();
    assert_eq!(hidden, 1);
}
