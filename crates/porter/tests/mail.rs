//! Mail: the letters of a mailbox are told before anything is captured, and counted again where they landed.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod workbench;

use serde_json::Value;
use std::fs;
use workbench::Workbench;

const THUNDERBIRD: &str = "odile/mail/thunderbird";
const MAIL: &str =
    "Users/odile/AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default/Mail/mail.saltmarsh.example";

fn item<'d>(document: &'d Value, id: &str) -> &'d Value {
    document["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap()
}

/// Letters that a simple reader of lines finds in a folder of mailboxes, and those that nobody has read.
fn letters_in(bench: &Workbench, folder: &str) -> (u64, u64) {
    let mut letters = (0, 0);
    for row in fs::read_dir(bench.path(folder)).unwrap().flatten() {
        let text = fs::read_to_string(row.path()).unwrap();
        letters.0 += text.lines().filter(|line| line.starts_with("From ")).count() as u64;
        letters.1 += text.lines().filter(|line| *line == "X-Mozilla-Status: 0000").count() as u64;
    }
    letters
}

#[test]
fn letters_are_counted_at_the_old_machine_and_at_the_new_one() {
    let bench = Workbench::with_trunk();
    let (messages, unread) = letters_in(&bench, &format!("LOFT-PC/{MAIL}"));
    assert!(messages >= 9 && unread == 3, "{messages}, {unread}");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let counts = &item(&survey, THUNDERBIRD)["counts"];
    let number = |name: &str| counts[name].as_u64();
    assert_eq!((number("messages"), number("unread messages")), (Some(messages), Some(unread)), "{counts}");
    let said = bench.porter(&["survey", "LOFT-PC"]).with_status(0).out;
    assert!(said.contains(&format!("{messages} messages, 3 unread messages")), "{said}");
    // Nothing is wrong with a data file that holds no letters.
    let outlook = item(&survey, "tamsin/mail/outlook-data");
    assert_eq!(outlook["cautions"].as_array().unwrap().len(), 0, "{outlook}");

    bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/mail/*"]);
    let receipt =
        bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/mail/*", "--json", "-"]).json();
    let row = |receipt: &Value, name: &str| {
        let counts = item(receipt, THUNDERBIRD)["counts"].as_array().unwrap().clone();
        let row = counts.iter().find(|row| row["name"] == name).unwrap().clone();
        (row["captured"].as_u64().unwrap(), row["landed"].as_u64().unwrap())
    };
    assert_eq!(row(&receipt, "messages"), (messages, messages));
    // Somebody loses a folder of letters there.
    fs::remove_file(bench.path(&format!("TIDEWATER/{MAIL}/Sent"))).unwrap();
    let left = letters_in(&bench, &format!("TIDEWATER/{MAIL}")).0;
    let receipt =
        bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/mail/*", "--json", "-"]).json();
    assert_eq!(row(&receipt, "messages"), (messages, left));
}

#[test]
fn a_data_file_that_cannot_be_understood_is_named_and_carried() {
    let bench = Workbench::with_demo_machines();
    bench.write("LOFT-PC/Users/odile/Documents/Outlook Files/old.pst", b"!BDN and no more");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let outlook = item(&survey, "odile/mail/outlook-data");
    assert!(outlook["cautions"].to_string().contains("old.pst"), "{outlook}");
    bench.porter(&["capture", "LOFT-PC", "trunk", "--only", "odile/mail/*", "--quiet"]).with_status(0);
    bench.porter(&["take", "trunk", "odile/mail/outlook-data", "out"]).with_status(0);
    assert!(bench.snapshot("out").into_keys().any(|path| path.ends_with("old.pst")));
}
