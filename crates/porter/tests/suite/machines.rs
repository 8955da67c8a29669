//! The demo's other machines: a Windows XP that was hibernated, and a Mac.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::{DemoSize, build_sailroom, build_windsock};
use serde_json::{Value, json};

fn item<'v>(document: &'v Value, id: &str) -> &'v Value {
    document["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap_or(&Value::Null)
}

fn codes(cautions: &Value) -> Vec<&str> {
    cautions.as_array().unwrap().iter().map(|caution| caution["code"].as_str().unwrap()).collect()
}

#[test]
fn windows_xp_tells_its_people_its_settings_and_how_it_was_left() {
    let bench = Workbench::new();
    build_windsock(&bench.path("WINDSOCK"), DemoSize::Small).unwrap();
    let before = bench.snapshot("WINDSOCK");
    let survey = bench.porter(&["survey", "WINDSOCK", "--json"]).with_status(0).json();
    assert_eq!(survey["machine"]["name"], "WINDSOCK");
    assert_eq!(survey["machine"]["system"]["product"], "Microsoft Windows XP Service Pack 3");
    let people = survey["accounts"].as_array().unwrap().iter().map(|row| {
        json!([row["id"], row["full_name"], row["administrator"], row["disabled"], codes(&row["cautions"])])
    });
    assert_eq!(
        people.collect::<Vec<_>>(),
        [
            json!(["bram", "Bram Lindqvist", true, false, []]),
            json!(["bram-old", null, null, null, ["no-registry", "no-owner", "unused-account"]]),
            json!(["odile", "Odile Marchetti", true, true, ["disabled-account"]]),
        ]
    );
    assert_eq!(survey["accounts"][0]["last_used_utc"], "2013-09-22T18:10:00Z");
    assert_eq!(codes(&survey["cautions"]), ["hibernated", "without-folder"]);
    assert_eq!(survey["without_folder"], json!(["stall"]));
    assert_eq!(item(&survey, "bram/mail/outlook-express")["files"], 3);
    assert_eq!(item(&survey, "bram/contacts/windows-address-book")["files"], 1);
    let printer = &item(&survey, "machine/printer/festival-receipt-printer")["facts"];
    assert_eq!((&printer["port"], &printer["driver"]), (&"LPT1:".into(), &"Generic / Text Only".into()));
    assert_eq!(item(&survey, "machine/setting/time-zone")["facts"]["iana"], "Europe/London");
    assert_eq!(item(&survey, "bram/setting/default-printer")["facts"]["name"], "Festival receipt printer");
    assert_eq!(survey["programs"][0]["name"], "Wind Log");
    assert!(bench.snapshot("WINDSOCK") == before, "a survey only reads");
}

#[test]
fn a_mac_tells_its_people_and_its_documents_are_documents_on_windows() {
    let bench = Workbench::with_demo_machines();
    build_sailroom(&bench.path("SAILROOM"), DemoSize::Small).unwrap();
    let survey = bench.porter(&["survey", "SAILROOM", "--json"]).with_status(0).json();
    assert_eq!(survey["machine"]["name"], "SAILROOM");
    let system = &survey["machine"]["system"];
    assert_eq!((&system["product"], &system["version"]), (&"Mac OS X 10.11.6".into(), &"15G31".into()));
    let tamsin = &survey["accounts"][1];
    assert_eq!((&tamsin["full_name"], &tamsin["administrator"]), (&"Tamsin Okafor".into(), &true.into()));
    assert_eq!(survey["accounts"].as_array().unwrap().len(), 2, "the system's own accounts are nobody");
    assert_eq!(item(&survey, "tamsin/mail/apple-mail")["files"], 4);
    assert_eq!(item(&survey, "machine/printer/plotter")["facts"]["address"], "ipp://192.0.2.31/ipp/print");
    assert_eq!(item(&survey, "machine/setting/wifi/saltmarsh-loft")["facts"]["name"], "Saltmarsh Loft");
    let programs: Vec<&Value> =
        survey["programs"].as_array().unwrap().iter().map(|row| &row["name"]).collect();
    assert_eq!(programs, ["Colour Book", "Sail Nester"]);

    bench.porter(&["capture", "SAILROOM", "trunk", "--account", "tamsin", "--quiet"]).with_status(0);
    let to = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"];
    bench.porter(&to).with_status(0);
    let lands = |below: &str| bench.path(&format!("TIDEWATER/Users/tamsin.okafor/{below}")).exists();
    assert!(lands("Documents/Sails/Sail 001.rtf") && lands("Documents/Cafe\u{301} am Deich.txt"));
    assert!(lands("AppData/Roaming/Sail Nester/cuts.db"));
    assert!(lands("AppData/Local/Microsoft/Windows/Fonts/Halyard Hand.ttf"), "where Windows has it");
    assert!(!lands("Library/Keychains"), "kept in the trunk");
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).with_status(0).json();
    assert_eq!(item(&receipt, "tamsin/font/own")["counts"][0]["landed"], 1);
}

#[test]
fn a_drive_that_cannot_be_read_is_told_by_its_first_bytes() {
    let bench = Workbench::new();
    // The marks of the published formats, and the words that somebody needs.
    let marks: [(usize, &[u8], [&str; 2]); 9] = [
        (3, b"-FVE-FS-", ["is locked by BitLocker", "48 digits"]),
        (0, b"LUKS\xba\xbe\x00\x02", ["is encrypted by LUKS", "cryptsetup open --readonly"]),
        (32, b"NXSB", ["APFS container", "called Data"]),
        (1024, b"H+\x00\x04", ["HFS+", "read-only"]),
        (3, b"NTFS    ", ["the file system is damaged", "Make an image of the drive"]),
        (1080, b"\x53\xef", ["does not read itself", "read-only"]),
        (510, b"\x55\xaa", ["no file system that porter knows", "is mounted"]),
        (88, b"CS", ["Core Storage", "FileVault"]),
        (700, b"kites", ["no file system that porter knows", "is mounted"]),
    ];
    for (at, mark, words) in marks {
        let mut image = vec![0_u8; 4096];
        image[at..at + mark.len()].copy_from_slice(mark);
        bench.write("drive.img", &image);
        for command in [&["survey", "drive.img"][..], &["capture", "drive.img", "trunk"]] {
            let said = bench.porter(command).with_status(1);
            assert!(words.iter().all(|words| said.err.contains(words)), "{mark:?}: {}", said.err);
        }
    }
    assert!(!bench.path("trunk").exists());
    #[cfg(unix)]
    {
        // Nobody waits for somebody to write into it.
        let made = std::process::Command::new("mkfifo").arg(bench.path("pipe")).status().unwrap();
        assert!(made.success());
        bench.porter(&["survey", "pipe"]).with_status(1);
    }
    bench.write("letter.txt", "not a drive");
    let said = bench.porter(&["survey", "letter.txt"]).with_status(1);
    assert!(said.err.contains("`letter.txt` holds no file system"), "{}", said.err);
}
