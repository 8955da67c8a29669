//! Printers of a Linux in a trunk: all that was set is told, and a system that does not run gets nothing
//! written into its files. (`.ci/printers` sets them in a real print system.)
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::{Value, json};
use std::fs;

const QUEUES: &str = "<DefaultPrinter plans>\nInfo Plotter\nLocation Sail room\nDeviceURI lpd://192.0.2.31/plans\n\
    MakeModel Ropewalk Plotter 36\nShared Yes\nDenyUser bram\nErrorPolicy abort-job\nJobSheets standard none\n</DefaultPrinter>\n\
    <Printer labels>\nDeviceURI usb://Ropewalk/Label?serial=1\nOption media a6\n</Printer>\n";
const CLASSES: &str = "<Class loft>\nPrinter plans\nPrinter labels\n</Class>\n";
const PPD: &str = "*PPD-Adobe: \"4.3\"\n*NickName: \"Ropewalk Plotter 36, rev 2\"\n*OpenUI *PageSize: PickOne\n*DefaultPageSize: A1\n*CloseUI: *PageSize\n";

fn linux(bench: &Workbench, name: &str) {
    bench.write(&format!("{name}/etc/os-release"), "PRETTY_NAME=\"Kite Linux 3\"\n");
    bench.write(&format!("{name}/etc/passwd"), "odile:x:1000:1000::/home/odile:/bin/sh\n");
    bench.write(&format!("{name}/home/odile/Documents/plan.txt"), "spar");
    fs::create_dir_all(bench.path(&format!("{name}/var/lib"))).unwrap();
}

#[test]
fn queues_are_told_with_all_that_was_set_and_only_a_running_print_system_gets_them() {
    let bench = Workbench::new();
    linux(&bench, "OLD");
    linux(&bench, "NEW");
    bench.write("OLD/etc/cups/printers.conf", QUEUES);
    bench.write("OLD/etc/cups/classes.conf", CLASSES);
    bench.write("OLD/etc/cups/ppd/plans.ppd", PPD);
    let survey = bench.porter(&["survey", "OLD", "--json"]).with_status(0).json();
    let items = survey["items"].as_array().unwrap();
    let facts = |id: &str| &items.iter().find(|item| item["id"] == id).unwrap()["facts"];
    assert_eq!(
        *facts("machine/printer/plans"),
        json!({
            "name": "plans", "address": "lpd://192.0.2.31/plans", "description": "Plotter", "location": "Sail room",
            "driver": "Ropewalk Plotter 36, rev 2", "shared": "yes", "denied": "bram", "error-policy": "abort-job",
            "banners": "standard none", "option PageSize": "A1",
        })
    );
    assert_eq!(facts("machine/printer/labels")["option media"], "a6");
    assert_eq!(*facts("machine/printer/loft"), json!({"name": "loft", "members": "plans, labels"}));
    assert_eq!(*facts("machine/setting/default-printer"), json!({"name": "plans"}));

    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let before = bench.snapshot("NEW/etc");
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(bench.snapshot("NEW/etc") == before, "a print system that does not run is not touched");
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    let by_hand: Vec<&Value> =
        receipt["by_hand"].as_array().unwrap().iter().map(|row| &row["item"]).collect();
    for id in ["machine/printer/plans", "machine/printer/labels", "machine/printer/loft"] {
        assert!(by_hand.contains(&&json!(id)), "{id}: {by_hand:?}");
    }

    // The same queues there, in another spelling and with another driver, are the same.
    bench.write(
        "NEW/etc/cups/printers.conf",
        QUEUES
            .replace("lpd://192.0.2.31/plans", "LPD://192.0.2.31:515/plans")
            .replace("Plotter 36", "Plotter (class)"),
    );
    bench.write("NEW/etc/cups/classes.conf", CLASSES);
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    let verdict = |receipt: &Value, id: &str| {
        receipt["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap()["verdict"].clone()
    };
    for id in ["machine/printer/plans", "machine/printer/loft", "machine/setting/default-printer"] {
        assert_eq!(verdict(&receipt, id), "landed", "{id}");
    }
    // Somebody who may not print is part of it.
    bench.write("NEW/etc/cups/printers.conf", QUEUES.replace("DenyUser bram\n", ""));
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    assert_eq!(verdict(&receipt, "machine/printer/plans"), "kept_in_trunk");
}
