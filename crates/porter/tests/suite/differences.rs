//! Whatever is not as it was captured is found by a check and called by what differs. (Marks and streams of
//! Windows are kept as Samba and Wine keep them on a Linux volume.)
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use rustix::fs::{CWD, FileType, Mode, XattrFlags, mknodat, removexattr, setxattr};
use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::os::unix::fs::symlink;
use std::path::Path;
use std::time::{Duration, SystemTime};

const DOCUMENTS: &str = "Users/odile/Documents";
const ZONE: &str = "user.Zone.Identifier";
const MARKS: &str = "user.DOSATTRIB";

fn mark(path: &Path, name: &str, content: &[u8]) {
    setxattr(path, name, content, XattrFlags::empty()).unwrap();
}

fn set_day(path: &Path, day: u64) {
    let at = SystemTime::UNIX_EPOCH + Duration::from_secs(day * 86_400);
    File::options().append(true).open(path).unwrap().set_modified(at).unwrap();
}

/// The receipt's row for each path of the documents: verdict, code, and whether it needs attention.
fn found(bench: &Workbench, status: i32) -> BTreeMap<String, String> {
    let receipt =
        bench.porter(&["check", "trunk", "NEW", "--json", "-", "--quiet"]).with_status(status).json();
    let items = receipt["items"].as_array().unwrap();
    let item = items.iter().find(|item| item["id"] == "odile/folder/documents").unwrap();
    let mut rows = BTreeMap::new();
    for row in item["reasons"].as_array().unwrap() {
        let attention = if row["needs_attention"] == true { " !" } else { "" };
        let said = format!("{} {}{attention}", row["verdict"], row["details"]["code"]).replace('"', "");
        let before: &mut String = rows.entry(row["path"].as_str().unwrap().to_owned()).or_default();
        *before = if before.is_empty() { said } else { format!("{before}, {said}") };
    }
    rows
}

#[test]
fn each_difference_is_called_by_its_name_and_only_what_is_lost_needs_attention() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    let old = bench.path("OLD").join(DOCUMENTS);
    for name in [
        "content",
        "date",
        "device",
        "folder",
        "gone",
        "hidden",
        "kept",
        "link-instead",
        "longer",
        "moved",
        "stream",
        "worked on",
    ] {
        fs::write(old.join(name), format!("the file {name}")).unwrap();
        set_day(&old.join(name), 15_000);
    }
    fs::create_dir(old.join("dir")).unwrap();
    fs::write(old.join("dir/inside"), "inside").unwrap();
    symlink("dir", old.join("leads")).unwrap();
    mark(&old.join("stream"), ZONE, b"[ZoneTransfer]\r\nZoneId=3\r\n");
    mark(&old.join("kept"), ZONE, b"[ZoneTransfer]\r\nZoneId=3\r\n");
    // Hidden, and a mark that no check minds.
    mark(&old.join("hidden"), MARKS, b"0x22");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(found(&bench, 0).is_empty(), "nothing differs: {:?}", found(&bench, 0));

    let new = bench.path("NEW").join(DOCUMENTS);
    let replaced = |name: &str| {
        fs::remove_file(new.join(name)).unwrap();
        new.join(name)
    };
    // A content of the same length with its old date is damage, not somebody's work.
    fs::write(new.join("content"), "the fool content").unwrap();
    set_day(&new.join("content"), 15_000);
    fs::write(new.join("longer"), "the file longer than it was").unwrap();
    set_day(&new.join("longer"), 15_000);
    fs::write(new.join("worked on"), "with a later date").unwrap();
    set_day(&new.join("date"), 15_003);
    mknodat(CWD, replaced("device"), FileType::Fifo, Mode::from_raw_mode(0o600), 0).unwrap();
    fs::create_dir(replaced("folder")).unwrap();
    replaced("gone");
    symlink("kept", replaced("link-instead")).unwrap();
    fs::rename(new.join("moved"), new.join("moved elsewhere")).unwrap();
    removexattr(new.join("stream"), ZONE).unwrap();
    mark(&new.join("hidden"), MARKS, b"0x20");
    symlink("kept", new.join("leads.new")).unwrap();
    fs::rename(new.join("leads.new"), new.join("leads")).unwrap();
    fs::rename(new.join("dir"), new.join("dir moved")).unwrap();
    fs::write(new.join("dir"), "a file where a folder was").unwrap();

    let expected: BTreeMap<String, String> = [
        ("content", "changed content-differs !"),
        ("longer", "changed content-differs !"),
        ("worked on", "changed changed-since"),
        ("date", "landed time-differs"),
        ("device", "changed other-kind-there !"),
        ("folder", "changed other-kind-there !"),
        ("gone", "missing gone-since !"),
        ("link-instead", "changed other-kind-there !"),
        ("moved", "missing gone-since !"),
        ("stream", "landed streams-differ"),
        ("hidden", "landed attributes-differ"),
        ("leads", "changed link-differs !"),
        ("dir", "changed other-kind-there !"),
        ("dir/inside", "missing gone-since !"),
    ]
    .map(|(path, said)| (path.to_owned(), said.to_owned()))
    .into();
    assert_eq!(found(&bench, 3), expected);

    // An undo takes what is as it landed, and nothing else; it waits for no pipe.
    let tried = bench.porter(&["undo", "NEW", "--try", "--json", "--quiet"]).with_status(3).json();
    let kept: BTreeSet<&str> =
        tried["kept"].as_array().unwrap().iter().map(|row| row["at"].as_str().unwrap()).collect();
    let changed = ["content", "device", "folder", "leads", "link-instead", "longer", "worked on"];
    assert_eq!(kept, changed.map(|name| format!("{DOCUMENTS}/{name}")).iter().map(String::as_str).collect());

    // Restored again, all of it is as it was; what stood there is set aside, not lost.
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let left: Vec<String> =
        found(&bench, 0).into_iter().map(|(path, said)| format!("{path}: {said}")).collect();
    assert_eq!(
        left,
        ["date: landed time-differs", "hidden: landed attributes-differ", "stream: landed streams-differ"],
        "what is there byte for byte is left as it is"
    );
    let contents: Vec<String> = bench
        .snapshot("NEW/Users/odile/Documents")
        .into_values()
        .filter(|(kind, ..)| kind == "file")
        .map(|(_, content, _)| String::from_utf8(content).unwrap())
        .collect();
    for kept in
        ["the fool content", "with a later date", "a file where a folder was", "the file longer than it was"]
    {
        assert!(contents.iter().any(|content| content == kept), "{kept} is lost: {contents:?}");
    }
}
