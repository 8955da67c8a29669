//! The findings of a survey.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;

fn item<'j>(survey: &'j Value, id: &str) -> &'j Value {
    let items = survey["items"].as_array().unwrap();
    items.iter().find(|item| item["id"] == id).unwrap_or_else(|| panic!("no item {id} in {survey:#}"))
}

#[test]
fn a_survey_tells_people_from_the_rest_and_warns() {
    let bench = Workbench::with_demo_machines();
    let before = bench.snapshot("LOFT-PC");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
    assert_eq!(bench.snapshot("LOFT-PC"), before, "a survey only reads");

    assert_eq!(survey["format"], "porter-survey/1");
    assert_eq!(survey["machine"]["name"], "LOFT-PC");
    assert_eq!(survey["machine"]["system"]["product"], "Windows 7 Professional Service Pack 1");
    let names: Vec<&Value> = survey["accounts"].as_array().unwrap().iter().map(|row| &row["name"]).collect();
    assert_eq!(names, ["bram", "juno", "odile", "tamsin"]);
    assert_eq!(survey["accounts"][0]["last_used_utc"], "2025-08-15T14:20:00Z");
    assert_eq!(survey["accounts"][0]["cautions"][0]["code"], "unused-account");
    // The cache and the temporary files are not counted with what is carried.
    let local = item(&survey, "odile/folder/local-data");
    assert_eq!((&local["files"], &local["left_files"]), (&2.into(), &18.into()));
    assert_eq!(item(&survey, "machine/folder/drive/kite-plans")["files"], 6);
    assert_eq!(item(&survey, "machine/folder/shared-documents")["account"], Value::Null);

    let narrow = bench.porter(&["survey", "LOFT-PC", "--account", "ODILE", "--skip", "*/music", "--json"]);
    let chosen = narrow.with_status(0).json();
    let chosen = chosen["items"].as_array().unwrap().iter().filter(|item| item["chosen"] == true);
    assert!(chosen.clone().count() > 5 && chosen.clone().all(|item| item["account"] == "odile"));
    // An id that is not there is a mistake; a pattern may be for another PC.
    let mistake = bench.porter(&["survey", "LOFT-PC", "--only", "odil/folder/music"]).with_status(2);
    assert!(mistake.err.contains("no item fits `odil/folder/music`"), "{}", mistake.err);
    let wish = bench.porter(&["survey", "LOFT-PC", "--only", "odil/*", "--only", "*/music"]).with_status(0);
    assert!(wish.err.contains("Nothing here fits the pattern `odil/*`"), "{}", wish.err);
}

#[test]
fn a_registry_tells_whom_no_folder_shows_and_its_logs_the_newest() {
    let bench = Workbench::with_demo_machines();
    let config = |name: &str| format!("LOFT-PC/Windows/System32/config/{name}");
    let accounts = || -> (Vec<Value>, Value) {
        let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
        (survey["accounts"].as_array().unwrap().clone(), survey["cautions"].clone())
    };
    let (people, cautions) = accounts();
    let juno = &people[1];
    assert_eq!((&juno["name"], &juno["full_name"]), (&"juno".into(), &"Juno Abara".into()));
    assert_eq!((&juno["home"], &juno["administrator"]), (&"Apprentice/juno".into(), &false.into()));
    assert_eq!((&people[2]["administrator"], &people[2]["disabled"]), (&true.into(), &false.into()));
    assert_eq!(juno["identifier"], "S-1-5-21-1404114-2026-1123-1004");
    assert_eq!((cautions.as_array().unwrap().len(), &cautions[0]["code"]), (1, &"stopped-short".into()));

    // The programs of both kinds, everybody's and a person's own, as a table to tick off.
    bench.porter(&["survey", "LOFT-PC", "--programs", "programs.csv", "--quiet"]).with_status(0);
    let table = bench.read("programs.csv");
    assert_eq!(
        table.lines().collect::<Vec<_>>(),
        [
            "name,version,publisher,installed_on,size_in_bytes,account",
            "KiteCAD,4.2.1,Harbour Drawing Office,2012-03-06,421888000,",
            "Ledger for Small Workshops,2015.3,\"Quayside, \"\"Books & Co\"\"\",2015-01-07,98304000,",
            "Picture Shelf,7.0,Tidepool,2018-11-19,55296000,",
            "Sailcloth Cutter Driver,1.9,Ropewalk Machines,2013-02-11,7475200,",
            "Windrose Forecast,2.11,Lee Shore Software,2022-03-14,18841600,odile",
        ]
    );

    // A program's name from an old machine is not run by the spreadsheet that shows the table.
    bench.write("CALM/etc/passwd", "tamsin:x:1000:1000::/home/tamsin:/bin/sh\n");
    bench.write("CALM/etc/os-release", "NAME=Calm\n");
    bench.write(
        "CALM/var/lib/dpkg/status",
        "Package: =HYPERLINK(1)\nVersion: -2\nStatus: install ok installed\nPriority: optional\nMaintainer: @noon\n",
    );
    bench.porter(&["survey", "CALM", "--programs", "calm.csv", "--quiet"]).with_status(0);
    assert_eq!(bench.read("calm.csv").lines().nth(1), Some("'=HYPERLINK(1),'-2,'@noon,,,"));

    // Without the logs the hives are read as they are, and the survey says what that means.
    for hive in ["SOFTWARE", "SAM", "SYSTEM"] {
        std::fs::remove_file(bench.path(&config(&format!("{hive}.LOG1")))).unwrap();
    }
    let (people, cautions) = accounts();
    assert!(people.len() == 3 && people.iter().all(|person| person["name"] != "juno"));
    assert_eq!(people[1]["full_name"], "Odile Marchetti");
    let codes: Vec<&Value> = cautions.as_array().unwrap().iter().map(|caution| &caution["code"]).collect();
    assert_eq!(codes, ["registry-not-newest"; 3]);

    // Without the list of profiles, folders and accounts still show the people.
    bench.write(&config("SOFTWARE"), "no hive at all");
    let (people, cautions) = accounts();
    assert_eq!(
        (people.len(), &people[1]["name"], &people[1]["full_name"]),
        (3, &"odile".into(), &"Odile Marchetti".into())
    );
    assert!(cautions.as_array().unwrap().iter().any(|caution| caution["code"] == "registry-unreadable"));
}

#[test]
fn windows_xp_is_recognised_and_its_nested_places_are_items_of_their_own() {
    let bench = Workbench::new();
    let home = "WINDSOCK/Documents and Settings/Bram Lindqvist";
    for (file, content) in [
        ("WINDSOCK/WINDOWS/system32/ntoskrnl.exe", "x".to_owned()),
        ("WINDSOCK/Documents and Settings/All Users/Documents/My Pictures/team.png", "team".to_owned()),
        (&format!("{home}/NTUSER.DAT"), "x".to_owned()),
        (&format!("{home}/My Documents/plan.txt"), "plan".to_owned()),
        (&format!("{home}/My Documents/My Pictures/kite.png"), "kite".to_owned()),
        (&format!("{home}/Local Settings/Temp/junk.tmp"), "junk".to_owned()),
        (&format!("{home}/Local Settings/Application Data/KiteCAD/a.ini"), "ini".to_owned()),
        ("WINDSOCK/Documents and Settings/LocalService/NTUSER.DAT", "x".to_owned()),
    ] {
        bench.write(file, content);
    }
    let survey = bench.porter(&["survey", "WINDSOCK", "--json"]).with_status(0).json();
    assert_eq!(survey["machine"]["system"]["product"], "Windows XP");
    assert_eq!(survey["accounts"].as_array().unwrap().len(), 1);
    for id in ["documents", "pictures", "local-data"] {
        assert_eq!(item(&survey, &format!("bram-lindqvist/folder/{id}"))["files"], 1, "{id}");
    }
    assert_eq!(item(&survey, "machine/folder/shared-pictures")["files"], 1);
    let home = item(&survey, "bram-lindqvist/folder/home");
    assert_eq!((&home["files"], &home["left_files"]), (&1.into(), &1.into()), "NTUSER.DAT, and the junk");

    // Onto a newer system: My Documents are Documents there.
    bench.empty_machine("NEW", "bram");
    bench.porter(&["capture", "WINDSOCK", "trunk"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--account", "Bram Lindqvist=bram", "--yes"]).with_status(0);
    assert_eq!(bench.read("NEW/Users/bram/Pictures/kite.png"), "kite");
    assert_eq!(bench.read("NEW/Users/bram/AppData/Local/KiteCAD/a.ini"), "ini");
    bench.porter(&["check", "trunk", "NEW"]).with_status(0);
}

#[test]
fn what_is_no_machine_is_refused_with_what_was_looked_for() {
    let bench = Workbench::new();
    bench.write("box/letter.txt", "x");
    let said = bench.porter(&["survey", "box"]).with_status(2);
    for words in
        ["does not look like the system drive", "Windows/System32", "Documents and Settings", "letter.txt"]
    {
        assert!(said.err.contains(words), "{words} is not in {}", said.err);
    }
    bench.porter(&["survey", "nowhere"]).with_status(2);
}

#[test]
fn single_files_and_people_of_long_ago_are_left_out_by_choice_and_that_is_no_alarm() {
    let bench = Workbench::with_demo_machines();
    let lately = bench.porter(&["survey", "LOFT-PC", "--used-within", "6m", "--json"]).with_status(0).json();
    assert_eq!(item(&lately, "bram/folder/documents")["chosen"], false);
    assert_eq!(item(&lately, "odile/folder/documents")["chosen"], true);
    assert_eq!(item(&lately, "machine/folder/drive/kite-plans")["chosen"], true);
    bench.porter(&["survey", "LOFT-PC", "--used-within", "soon"]).with_status(2);

    let all = bench.porter(&["survey", "LOFT-PC", "--json"]).with_status(0).json();
    let less = ["--leave-files", "*.RTF", "--leave-files-over", "300kB"];
    let words = [&["survey", "LOFT-PC", "--list", "list.toml", "--json"], &less[..]].concat();
    let left = bench.porter(&words).with_status(0).json();
    let files = |survey: &Value| item(survey, "tamsin/folder/documents")["files"].as_u64().unwrap();
    let letters = std::fs::read_dir(bench.path("LOFT-PC/Users/tamsin/Documents/Letters")).unwrap();
    let letters = letters.filter(|row| row.as_ref().unwrap().path().extension().is_some()).count() as u64;
    assert_eq!(files(&all) - files(&left), letters);

    // The list remembers it; the capture accounts for it, and the check does not miss it.
    assert!(
        bench.read("list.toml").contains("leave_files = [\"*.RTF\"]\nleave_files_over_in_bytes = 300000\n")
    );
    let capture = [
        "capture",
        "LOFT-PC",
        "trunk",
        "--list",
        "list.toml",
        "--only",
        "tamsin/folder",
        "--json",
        "--quiet",
    ];
    let report = bench.porter(&capture).with_status(0).json();
    let chosen = report["left_behind"].as_array().unwrap().iter().filter(|row| row["code"] == "not-chosen");
    assert_eq!(chosen.count() as u64, letters);
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);

    let refused = bench.porter(&["survey", "LOFT-PC", "--choose"]).with_status(2);
    assert!(refused.err.contains("--choose needs a terminal"), "{}", refused.err);
}

#[test]
fn the_sheet_for_the_job_tells_people_cautions_settings_and_programs() {
    let bench = Workbench::with_demo_machines();
    let shown =
        bench.porter(&["survey", "LOFT-PC", "--page", "sheet.html", "--for", "trunks/new"]).with_status(0);
    assert!(shown.out.contains("it fits: up to"), "{}", shown.out);
    assert!(shown.out.contains("settings  Language and formats, Keyboard layouts"), "{}", shown.out);
    let sheet = bench.read("sheet.html");
    for part in [
        "<h1>Survey of LOFT-PC</h1>",
        "Odile Marchetti), last used 2026-10-30, administrator",
        "not used for 441 days",
        "Thunderbird “default”",
        "Printer Front desk",
        "address 192.0.2.20",
        "Windrose Forecast</bdi> (odile only)",
        // All that is typed into a mail program.
        "sends through smtp.saltmarsh.example port 587 with STARTTLS as odile, messages stay on the server",
        "Quayside, &quot;Books &amp; Co&quot;",
    ] {
        assert!(sheet.contains(part), "{part}");
    }
    assert!(!sheet.contains("src=") && !sheet.contains("href="), "nothing from outside");
}

/// Rare states of a drive, all on one; each is named with advice.
#[cfg(unix)]
#[test]
fn what_is_rare_on_a_drive_is_told_with_what_helps() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    let home = "PC/Users/odile";
    bench.write("PC/Windows.old/Users/odile/Documents/o.txt", "old");
    bench.write("PC/elsewhere/song.txt", "a song");
    std::os::unix::fs::symlink("../../elsewhere", bench.path(&format!("{home}/Music"))).unwrap();
    let deep = ["a long name of a folder with many words in it"; 6].join("/");
    bench.write(&format!("{home}/Pictures/{deep}/b.txt"), "b");
    bench.write(&format!("{home}/Desktop/a|b.txt"), "a name");
    let disk = std::fs::File::create(bench.path(&format!("{home}/Desktop/disk.img"))).unwrap();
    disk.set_len(5 << 30).unwrap();
    let pipe = bench.path(&format!("{home}/Desktop/pipe"));
    assert!(std::process::Command::new("mkfifo").arg(pipe).status().unwrap().success());

    let said = bench.porter(&["survey", "PC"]).with_status(0).out;
    for words in [
        "elsewhere       music is a link to somewhere else, which is not followed",
        "4 GiB files     1 file of 4 GiB or more (odile/folder/desktop)",
        "long paths      2 paths longer than 260 characters (odile/folder/pictures)",
        "odd names       1 name that Windows cannot hold (odile/folder/desktop)",
        "old Windows     Windows.old holds an earlier Windows",
        "do not put the trunk on a FAT32 stick",
        "survey that folder separately",
    ] {
        assert!(said.contains(words), "{words} in {said}");
    }
    let capture = ["capture", "PC", "trunk", "--quiet", "--leave-files-over", "1GB"];
    let said = bench.porter(&capture).with_status(3).out;
    for words in [
        "Users/odile/Desktop/pipe\n      a device or pipe, not a file",
        "files so large were left out by choice",
    ] {
        assert!(said.contains(words), "{words} in {said}");
    }
    // The target of a link is carried where it lies, and nowhere else.
    let found = bench.porter(&["look", "trunk", "--find", "*.txt"]).with_status(0).out;
    assert!(found.contains("desktop/a|b.txt") && found.contains("in 3 entries"), "{found}");
    assert!(found.contains("machine/folder/drive/elsewhere/elsewhere/song.txt"), "{found}");
    let receipt = bench.porter(&["check", "trunk", "--quiet"]).with_status(3).out;
    assert!(
        receipt.contains("not read           folder/desktop") && receipt.contains("a device or pipe"),
        "{receipt}"
    );
}
