//! A trunk that has lost something, or was exchanged, is never reported as all well.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

/// A machine captured twice: the second capture adds a letter.
fn captured_twice(more: &[&str]) -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.write("OLD/Users/odile/Documents/first.txt", "first");
    bench.porter(&[&["capture", "OLD", "trunk", "--quiet"], more].concat()).with_status(0);
    bench.porter(&["check", "trunk", "--json", "first.json", "--quiet"]).with_status(0);
    bench.write("OLD/Users/odile/Documents/second.txt", "second");
    bench.porter(&[&["capture", "OLD", "trunk", "--quiet"], more].concat()).with_status(0);
    bench.porter(&["check", "trunk", "--json", "second.json", "--quiet"]).with_status(0);
    bench
}

#[test]
fn a_lost_list_a_lost_capture_and_lost_spare_data_are_told_by_every_command() {
    let all_tell = |bench: &Workbench, words: &str| {
        bench.empty_machine("NEW", "odile");
        for command in [
            &["look", "trunk"][..],
            &["check", "trunk", "--quiet"],
            &["restore", "trunk", "NEW", "--yes", "--quiet"],
        ] {
            let said = bench.porter(command).with_status(3);
            assert!((said.out + &said.err).contains(words), "{command:?}: {}", said.err);
        }
    };
    let bench = captured_twice(&[]);
    fs::remove_file(bench.path("trunk/list-00002.list")).unwrap();
    all_tell(&bench, "holds more than its list tells of");
    // Its pack, too: nothing is left of it but the number on the label.
    fs::remove_file(bench.path("trunk/pack-00002.pack")).unwrap();
    all_tell(&bench, "tells of 2 captures, and the latest that is there is the 1st");
    let label = bench.read("trunk/label.json");
    bench.write("trunk/label.json", label.replace("\"number\": 2", "\"number\": 1"));
    let said = bench.porter(&["check", "trunk", "--quiet"]).with_status(3).out;
    assert!(said.contains("label.json"), "a number that somebody wrote there is noticed: {said}");
    // Captured again, all is well.
    bench.write("trunk/label.json", label);
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);

    let bench = captured_twice(&["--recovery", "5%"]);
    fs::remove_file(bench.path("trunk/pack-00001.pack.spare")).unwrap();
    all_tell(&bench, "`pack-00001.pack.spare` is not there");
    bench.porter(&["check", "trunk", "--mend", "--quiet"]).with_status(0);
    for file in ["list-00002.list", "pack-00002.pack"] {
        fs::remove_file(bench.path(&format!("trunk/{file}"))).unwrap();
    }
    all_tell(&bench, "`pack-00002.pack` is missing");
}

#[test]
fn a_trunk_that_was_put_back_is_found_out_by_an_earlier_receipt() {
    let bench = captured_twice(&[]);
    for receipt in ["first.json", "second.json"] {
        bench.porter(&["check", "trunk", "--since", receipt, "--quiet"]).with_status(0);
    }
    // Put back whole, label and all.
    let label = bench.read("trunk/label.json");
    let mark =
        |number: u32, id: &str| blake3::hash(format!("{id} {number}").as_bytes()).to_hex()[..16].to_owned();
    let id = serde_json::from_str::<Value>(&label).unwrap()["trunk_id"].as_str().unwrap().to_owned();
    let earlier = label.replace("\"number\": 2", "\"number\": 1").replace(&mark(2, &id), &mark(1, &id));
    bench.write("trunk/label.json", earlier);
    for file in ["list-00002.list", "pack-00002.pack"] {
        fs::remove_file(bench.path(&format!("trunk/{file}"))).unwrap();
    }
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "--since", "first.json", "--quiet"]).with_status(0);
    let said = bench.porter(&["check", "trunk", "--since", "second.json", "--quiet"]).with_status(3).out;
    assert!(said.contains("an earlier receipt tells of capture 2"), "{said}");
    // Captured again over that, it is another capture of the same number.
    bench.write("OLD/Users/odile/Documents/third.txt", "third");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let said = bench.porter(&["check", "trunk", "--since", "second.json", "--quiet"]).with_status(3).out;
    assert!(said.contains("another one than an earlier receipt tells of"), "{said}");
}

#[test]
fn what_a_workshop_makes_is_signed_and_whatever_is_altered_is_told() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.write("OLD/Users/odile/Documents/first.txt", "first");
    bench.porter(&["capture", "OLD", "unsigned", "--quiet"]).with_status(0);
    let said =
        bench.porter(&["workshop-key", "new", "secret.txt", "--name", "Saltmarsh Kiteworks"]).with_status(0);
    let trust = said.out.lines().find(|line| line.contains("trust")).unwrap().to_owned();
    let key = trust.split_whitespace().find(|word| word.len() == 64).unwrap().to_owned();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["capture", "OLD", "bag", "--form", "open", "--quiet"]).with_status(0);
    let check = |trunk: &str| bench.porter(&["check", trunk, "--quiet"]);
    for trunk in ["trunk", "bag"] {
        let said = check(trunk).with_status(0).out;
        assert!(said.contains("signed by Saltmarsh Kiteworks."), "{said}");
    }
    assert!(check("unsigned").with_status(0).out.contains("not signed"));
    // A run that was killed while it signed leaves no damage, and the next one takes that away.
    bench.write("trunk/list-00001.list.new", "{");
    check("trunk").with_status(0);
    bench.write("OLD/Users/odile/Documents/second.txt", "second");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    assert!(!bench.path("trunk/list-00001.list.new").exists());
    // One workshop's signature under another trunk of the same shape.
    fs::copy(bench.path("trunk/list-00001.list.sig"), bench.path("unsigned/list-00001.list.sig")).unwrap();
    let said = check("unsigned").with_status(3).out;
    assert!(said.contains("altered since it was signed"), "{said}");

    bench
        .porter(&["check", "trunk", "--json", "receipt.json", "--page", "receipt.html", "--quiet"])
        .with_status(0);
    let receipt = bench.porter(&["receipt", "receipt.json"]).with_status(0).out;
    assert!(receipt.contains("signed by Saltmarsh Kiteworks"), "{receipt}");
    assert!(bench.read("receipt.html").trim_end().ends_with("-->"));
    let altered = bench.read("receipt.json").replace("\"landed\": 2", "\"landed\": 3");
    bench.write("altered.json", &altered);
    let said = bench.porter(&["receipt", "altered.json"]).with_status(3);
    assert!(said.err.contains("altered since it was signed"), "{}", said.err);

    // Elsewhere the name is only what the signer says, until somebody says whose key it is.
    fs::rename(bench.path("config"), bench.path("config of the workshop")).unwrap();
    let said = check("trunk").with_status(0).out;
    assert!(said.contains("whose key is not known here") && said.contains("says to be Saltmarsh"), "{said}");
    bench.porter(&["workshop-key", "trust", &key, "The kite people"]).with_status(0);
    assert!(check("trunk").with_status(0).out.contains("signed by The kite people."));
    bench.porter(&["workshop-key", "trust", "abc", "x"]).with_status(2);
}
