//! Files that are there several times: proved once, damaged together, landed each.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::writing::{noise, text};
use std::fs;
use std::path::Path;

/// A small picture three times, a photo twice, and two texts of several contents each, one of them twice.
/// With the person's registry these are nine files.
fn bench() -> (Workbench, Vec<u8>, Vec<u8>) {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    let (icon, photo) = (noise("icon", 5000), noise("photo", 3_000_000));
    let letters = text("letters", 4000);
    let write =
        |path: &str, content: &[u8]| bench.write(&format!("PC/Users/odile/Documents/{path}"), content);
    for folder in ["a", "b/b", "z"] {
        write(&format!("{folder}/icon.png"), &icon);
    }
    write("2012/IMG_1.JPG", &photo);
    write("best of/IMG_1.JPG", &photo);
    write("all letters.txt", &letters);
    write("old/all letters.txt", &letters);
    write("other.txt", &text("other", 4000));
    (bench, icon, photo)
}

fn flip(pack: &Path, content: &[u8]) {
    let mut bytes = fs::read(pack).unwrap();
    let at = bytes.windows(content.len()).position(|window| window == content).unwrap();
    bytes[at] ^= 1;
    fs::write(pack, bytes).unwrap();
}

#[test]
fn a_content_that_is_damaged_is_told_of_every_file_that_has_it_and_of_no_other() {
    let (bench, icon, photo) = bench();
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    let whole = bench.porter(&["check", "trunk", "--json", "-"]).with_status(0).json();
    assert_eq!(whole["totals"]["files"]["landed"], 9, "{whole}");
    let pack = bench.path("trunk/pack-00001.pack");
    flip(&pack, &icon[2000..2100]);
    flip(&pack, &photo[1_000_000..1_000_100]);
    let receipt = bench.porter(&["check", "trunk", "--json", "-"]).with_status(3).json();
    assert_eq!(receipt["totals"]["files"]["changed"], 5, "{receipt}");
    let item = |id: &str| {
        let items = receipt["items"].as_array().unwrap();
        items.iter().find(|item| item["id"] == id).unwrap().clone()
    };
    let documents = item("odile/folder/documents");
    let mut named: Vec<&str> =
        documents["reasons"].as_array().unwrap().iter().map(|row| row["path"].as_str().unwrap()).collect();
    named.sort_unstable();
    let expected = ["2012/IMG_1.JPG", "a/icon.png", "b/b/icon.png", "best of/IMG_1.JPG", "z/icon.png"];
    assert_eq!(named, expected);
    // One damaged byte in a file that was not read is not found, and nobody says that it was looked for.
    let shallow = bench.porter(&["check", "trunk", "--depth", "listing", "--json", "-"]).json();
    assert_eq!(shallow["files_not_read"], 9, "{shallow}");
}

#[test]
fn mailboxes_with_the_same_attachments_far_apart_are_whole_or_damaged_each() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    let letter = |name: &str| text(name, 300);
    let attachments = noise("attachments", 20_000_000);
    // A file that begins as densely as a photo would be cut into longer pieces.
    let inbox = [&text("letters", 90_000)[..5_000_000], &attachments].concat();
    let (early, late) = (&attachments[1_000_000..1_600_000], &attachments[19_000_000..19_600_000]);
    let sent = [&letter("one")[..], late, &letter("two"), early, &letter("three")].concat();
    let drafts = [&letter("four")[..], &letter("five")].concat();
    let captured = |mailboxes: &[(&str, &Vec<u8>)]| {
        for (name, content) in mailboxes {
            bench.write(&format!("PC/Users/odile/Documents/Mail/{name}"), content);
        }
        bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    };
    captured(&[("Inbox", &inbox), ("Drafts", &drafts)]);
    captured(&[("Sent", &sent), ("old/Sent", &sent)]);
    let pack = bench.path("trunk/pack-00001.pack");
    let later = fs::metadata(bench.path("trunk/pack-00002.pack")).unwrap();
    assert!(later.len() < 700_000, "attachments are kept once: {}", later.len());
    let landed = |status: i32| {
        let receipt = bench.porter(&["check", "trunk", "--json", "-"]).with_status(status).json();
        let damaged = receipt["items"].as_array().unwrap().iter().flat_map(|item| {
            item["reasons"].as_array().into_iter().flatten().map(|row| row["path"].to_string())
        });
        let mut damaged: Vec<String> = damaged.collect();
        damaged.sort();
        damaged
    };
    assert_eq!(landed(0), [""; 0]);
    flip(&pack, &attachments[12_000_000..12_000_100]);
    assert_eq!(landed(3), ["\"Mail/Inbox\""]);
    flip(&pack, &early[300_000..300_100]);
    assert_eq!(landed(3), ["\"Mail/Inbox\"", "\"Mail/Sent\"", "\"Mail/old/Sent\""]);
}

#[test]
fn a_disk_that_spins_gives_the_same_files() {
    let (bench, ..) = bench();
    for form in ["packed", "open"] {
        let (trunk, new) = (format!("trunk {form}"), format!("NEW {form}"));
        bench.porter(&["capture", "PC", &trunk, "--spinning", "--quiet", "--form", form]).with_status(0);
        bench.empty_machine(&new, "odile");
        bench.porter(&["restore", &trunk, &new, "--spinning", "--yes", "--quiet"]).with_status(0);
        bench.porter(&["check", &trunk, "--spinning", "--quiet"]).with_status(0);
        bench.porter(&["check", &trunk, &new, "--spinning", "--quiet"]).with_status(0);
        let documents = |machine: &str| bench.snapshot(&format!("{machine}/Users/odile/Documents"));
        let contents = |machine: &str| -> Vec<_> {
            documents(machine).into_iter().map(|(path, (kind, content, _))| (path, kind, content)).collect()
        };
        assert_eq!(contents("PC"), contents(&new));
    }
}
