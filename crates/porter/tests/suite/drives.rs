//! Machines that are named by a drive or an image of it.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::{Workbench, run};
use porter_demo::{DemoSize, build_drive_image, build_windsock};
use serde_json::{Value, json};
use std::fs;

const VOLUME: &[u8] = include_bytes!("../../../porter-disk/tests/images/kites.ntfs.zst");
const LOCKED: &[u8] = include_bytes!("../../../porter-disk/tests/images/locked.fat.zst");
const KEY_FILE: &[u8] = include_bytes!("../../../porter-disk/tests/images/locked.fat.bek");
const KEYS: &str = include_str!("../../../porter-disk/tests/images/locked.txt");

fn unpacked(image: &[u8]) -> Vec<u8> {
    zstd::decode_all(image).unwrap()
}

fn ids(document: &Value) -> Vec<&str> {
    document["items"].as_array().unwrap().iter().map(|item| item["id"].as_str().unwrap()).collect()
}

/// The drive of a Windows XP: its folder, and an image with one partition.
fn with_windsock() -> Workbench {
    let bench = Workbench::new();
    build_windsock(&bench.path("WINDSOCK"), DemoSize::Small).unwrap();
    build_drive_image(&bench.path("WINDSOCK"), &bench.path("WINDSOCK.img"), "WINDSOCK").unwrap();
    bench
}

#[test]
fn a_drive_is_listed_with_its_system_and_gives_what_its_folder_gives() {
    let bench = with_windsock();
    let list = bench.porter(&["machines", "WINDSOCK.img", "--json"]).with_status(0).json();
    assert_eq!(list["format"], "porter-machines/1");
    let part = &list["drives"][0]["parts"][0];
    assert_eq!(
        (&part["number"], &part["file_system"], &part["label"]),
        (&json!(1), &json!("FAT32"), &json!("WINDSOCK"))
    );
    assert_eq!(part["system"]["name"], "WINDSOCK");
    assert_eq!(part["system"]["people"], json!(["bram", "bram-old", "odile"]));

    let folder = bench.porter(&["survey", "WINDSOCK", "--json"]).with_status(0).json();
    for named in ["WINDSOCK.img", "WINDSOCK.img#1"] {
        let image = bench.porter(&["survey", named, "--json"]).with_status(0).json();
        assert_eq!(ids(&image), ids(&folder));
        let sizes = |survey: &Value| -> Vec<Value> {
            survey["items"]
                .as_array()
                .unwrap()
                .iter()
                .map(|item| json!([item["files"], item["size_in_bytes"]]))
                .collect()
        };
        assert_eq!(sizes(&image), sizes(&folder));
    }
    bench.porter(&["capture", "WINDSOCK.img", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["take", "trunk", "bram/folder/documents", "taken", "--quiet"]).with_status(0);
    let taken = fs::read_dir(bench.path("taken")).unwrap().flatten().next().unwrap().path();
    for row in
        fs::read_dir(bench.path("WINDSOCK/Documents and Settings/bram/My Documents")).unwrap().flatten()
    {
        if row.file_type().unwrap().is_file() && row.file_name() != "desktop.ini" {
            assert_eq!(fs::read(row.path()).ok(), fs::read(taken.join(row.file_name())).ok(), "{row:?}");
        }
    }
    // An image is only read: nothing is restored to it, and nothing of it is taken for a trunk.
    let said = bench.porter(&["restore", "trunk", "WINDSOCK.img", "--yes"]);
    assert_ne!(said.status, 0, "{}", said.err);
    let said = bench.porter(&["survey", "WINDSOCK.img#7"]).with_status(2);
    assert!(
        said.err.contains("has no partition 7") && said.err.contains("porter machines WINDSOCK.img"),
        "{}",
        said.err
    );
    let said = bench.porter(&["machines", "nowhere.img"]).with_status(1);
    assert!(said.out.contains("nowhere.img"), "{}", said.out);
    // Options of drives mean nothing for a folder.
    for option in [&["--deleted"][..], &["--map", "x.map"]] {
        let said = bench.porter(&[&["survey", "WINDSOCK"], option].concat()).with_status(2);
        assert!(said.err.contains("is a folder"), "{}", said.err);
    }
}

#[test]
fn of_several_systems_on_a_drive_one_is_asked_for() {
    let bench = with_windsock();
    let one = fs::read(bench.path("WINDSOCK.img")).unwrap();
    let sectors = u32::from_le_bytes(one[458..462].try_into().unwrap());
    let mut both = one.clone();
    both.extend_from_slice(&one[2048 * 512..]);
    both[462..478].copy_from_slice(&one[446..462]);
    both[470..474].copy_from_slice(&(2048 + sectors).to_le_bytes());
    bench.write("both.img", both);
    let said = bench.porter(&["capture", "both.img", "trunk"]).with_status(2);
    assert!(said.err.contains("several systems"), "{}", said.err);
    assert!(
        said.err.contains("both.img#1  WINDSOCK") && said.err.contains("both.img#2  WINDSOCK"),
        "{}",
        said.err
    );
    assert!(!bench.path("trunk").exists());
    let survey = bench.porter(&["survey", "both.img#2", "--json"]).with_status(0).json();
    assert_eq!(survey["machine"]["name"], "WINDSOCK");
}

#[test]
fn a_locked_stick_tells_what_opens_it_and_opens_with_that_alone() {
    let bench = Workbench::new();
    bench.write("stick.img", unpacked(LOCKED));
    let mut keys = KEYS.lines();
    bench.write("passphrase.txt", format!("\u{feff}{}\r\n", keys.next().unwrap()));
    let recovery = keys.next().unwrap();
    bench.write("key.BEK", KEY_FILE);
    bench.write("wrong.txt", "forty kites at five");
    let survey = ["survey", "stick.img", "--as-drive", "--json"];
    let said = bench.porter(&survey).with_status(1);
    for words in [
        "is locked by BitLocker",
        "a passphrase",
        "the recovery key ",
        ".BEK",
        "--unlock-file",
        "PORTER_UNLOCK",
    ] {
        assert!(said.err.contains(words), "{words}: {}", said.err);
    }
    let list = bench.porter(&["machines", "stick.img"]).with_status(0).out;
    assert_eq!(list.matches("opens with").count(), 3, "{list}");
    for file in ["passphrase.txt", "key.BEK"] {
        let found = bench.porter(&[&survey[..], &["--unlock-file", file]].concat()).with_status(0).json();
        assert_eq!(found["items"][0]["files"], 2);
    }
    let mut by_environment = bench.command(&survey);
    by_environment.env("PORTER_UNLOCK", recovery);
    run(by_environment).with_status(0);
    let said = bench.porter(&[&survey[..], &["--unlock-file", "wrong.txt"]].concat()).with_status(1);
    assert!(said.err.contains("the key does not open it") && !said.err.contains("forty"), "{}", said.err);
    bench.porter(&[&survey[..], &["--unlock-file", "none.txt"]].concat()).with_status(2);
}

#[test]
fn an_image_is_believed_only_where_its_map_says_that_it_was_read() {
    let bench = Workbench::new();
    let image = unpacked(VOLUME);
    bench.write("drive.img", &image);
    // One sector of one file was not read: it stands in the image as it should, and is not believed.
    let sector =
        image.chunks_exact(512).position(|sector| sector.iter().all(|byte| *byte == 77)).unwrap() * 512;
    let behind = sector + 512;
    let left = image.len() - behind;
    let map = format!("# Mapfile.\n0x0 ? 1\n0 {sector} +\n{sector} 512 -\n{behind} {left} +\n");
    bench.write("other.map", &map);
    let capture = |trunk: &str, words: &[&str]| {
        bench.porter(&[&["capture", "drive.img", trunk, "--as-drive", "--quiet"], words].concat())
    };
    capture("whole", &[]).with_status(0);
    let said = capture("partly", &["--map", "other.map"]).with_status(3);
    assert!(said.out.contains("could not read 512 of its"), "{}", said.out);
    assert_eq!(said.out.matches("could not read").count(), 1, "{}", said.out);
    // Beside the image it is found by itself.
    bench.write("drive.img.map", &map);
    capture("by-itself", &[]).with_status(3);
    bench.write("drive.img.map", "# Mapfile.\n0x0 ? 1\n0x0 0x200 +\n");
    let said = capture("nothing", &[]).with_status(1);
    assert!(
        said.err.contains("Make an image of the drive") || said.err.contains("cannot be read"),
        "{}",
        said.err
    );
    bench.write("no.map", "# Mapfile.\nwhat is this\n0 1 x\n");
    let said = bench.porter(&["survey", "drive.img", "--as-drive", "--map", "no.map"]).with_status(1);
    assert!(said.err.contains("line 3 of the map"), "{}", said.err);
}

#[test]
fn a_copy_is_made_on_the_way_and_goes_on_where_it_was() {
    let bench = Workbench::new();
    bench.write("drive.img", unpacked(VOLUME));
    let capture = ["capture", "drive.img", "trunk", "--as-drive", "--quiet", "--copy-image", "copy.img"];
    let said = bench.porter(&capture).with_status(0);
    assert!(said.err.contains("copy.img.map"), "{}", said.err);
    assert_eq!(fs::metadata(bench.path("copy.img")).unwrap().len(), unpacked(VOLUME).len() as u64);
    // All that a capture needs is in the copy, and the copy alone serves.
    fs::rename(bench.path("drive.img"), bench.path("away.img")).unwrap();
    bench.porter(&["capture", "copy.img", "again", "--as-drive", "--quiet"]).with_status(0);
    let items = |trunk: &str| bench.porter(&["look", trunk, "--json"]).with_status(0).json()["items"].clone();
    assert_eq!(items("again"), items("trunk"));
    fs::rename(bench.path("away.img"), bench.path("drive.img")).unwrap();
    fs::remove_file(bench.path("copy.img.map")).unwrap();
    let said = bench.porter(&capture).with_status(1);
    assert!(said.err.contains("which of it was read is not known"), "{}", said.err);
}

#[test]
fn deleted_files_come_only_on_request_and_in_an_item_of_their_own() {
    let bench = Workbench::new();
    bench.write("drive.img", unpacked(VOLUME));
    let deleted = "machine/folder/drive/deleted-files";
    let without = bench.porter(&["survey", "drive.img", "--as-drive", "--json"]).with_status(0).json();
    assert!(!ids(&without).contains(&deleted));
    let with =
        bench.porter(&["survey", "drive.img", "--as-drive", "--deleted", "--json"]).with_status(0).json();
    let others: Vec<&str> = ids(&with).into_iter().filter(|id| *id != deleted).collect();
    assert_eq!(others, ids(&without));
    let capture = ["capture", "drive.img", "trunk", "--as-drive", "--deleted", "--only", deleted, "--quiet"];
    bench.porter(&capture).with_status(0);
    let found = bench.porter(&["look", "trunk", "--find", "*film*"]).with_status(0).out;
    assert!(found.contains("gone/inner/film (recovered "), "{found}");
}
