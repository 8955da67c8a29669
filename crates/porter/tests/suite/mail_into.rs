//! Letters of whatever program, brought into another one on the new machine: all accounted for, none twice,
//! found again by the check, and taken back.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::build_tidewater;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::fs;

const PROFILE: &str = "NEW/Users/odile/AppData/Roaming/Thunderbird/Profiles/n3wm41l0.default-release";
const OUTLOOK: &str = "odile/mail/outlook-data";
const RESTORE: [&str; 6] = ["restore", "trunk", "NEW", "--mail-into", "thunderbird", "--yes"];
/// Below the profile's local folders.
const INBOX: &str = "Outlook, data files (OLD).sbd/odile.pst.sbd/Inbox";

/// A machine with Outlook and Windows Mail, and one whose Thunderbird was used. One letter is on both.
fn with_machines() -> Workbench {
    let bench = Workbench::new();
    build_tidewater(&bench.path("NEW")).unwrap();
    bench.empty_machine("OLD", "odile");
    let local = "OLD/Users/odile/AppData/Local/Microsoft";
    bench.write(&format!("{local}/Outlook/odile.pst"), porter_demo::data_file_with_things(8));
    let letter =
        "Message-ID: <1@windrose.example>\r\nSubject: A spar\r\n\r\nFrom the fair on\r\n>From here\r\n";
    let there = letter
        .replace('\r', "")
        .replace("\nFrom the", "\n>From the")
        .replace("\n>From here", "\n>>From here");
    let mark = "From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: 0001\nX-Mozilla-Keys:        \n";
    bench.write(&format!("{PROFILE}/Mail/mail.saltmarsh.example/Inbox"), format!("{mark}{there}\n"));
    bench.write(&format!("{local}/Windows Mail/Local Folders/Inbox/1.eml"), letter);
    bench.write(
        &format!("{local}/Windows Mail/Local Folders/Inbox/2.eml"),
        letter.replace("Subject: ", "Subject: Re: "),
    );
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench
}

/// Kind and item, found, written, doubles, left out.
fn rows(report: &Value) -> BTreeSet<(String, u64, u64, u64, u64)> {
    let number = |row: &Value, name: &str| row[name].as_u64().unwrap();
    report["letters"]["folders"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| {
            let item = format!("{} {}", row["kind"].as_str().unwrap(), row["item"].as_str().unwrap());
            (
                item,
                number(row, "found"),
                number(row, "written"),
                number(row, "doubles"),
                number(row, "left_out"),
            )
        })
        .collect()
}

#[test]
fn letters_come_behind_what_is_there_once_and_are_proved_and_taken_back() {
    let bench = with_machines();
    let before = bench.snapshot("NEW/Users");
    let planned = bench.porter(&[&RESTORE[..5], &["--try", "--json"]].concat()).with_status(0).json();
    let plan = &planned["letters"][0];
    assert_eq!((&plan["item"], &plan["letters"]), (&json!(OUTLOOK), &json!(8)));
    assert_eq!(bench.snapshot("NEW/Users"), before);

    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).with_status(0).json();
    let expected = [
        ("letters odile/mail/outlook-data", 8, 8, 0, 0),
        ("contacts odile/mail/outlook-data", 3, 3, 0, 0),
        ("calendar odile/mail/outlook-data", 4, 4, 0, 0),
        ("letters odile/mail/windows-mail", 2, 1, 1, 0),
    ];
    let expected = expected
        .map(|(item, found, written, doubles, left)| (item.to_owned(), found, written, doubles, left));
    assert_eq!(rows(&report), BTreeSet::from(expected));
    let local = format!("{PROFILE}/Mail/Local Folders");
    let inbox = bench.read(&format!("{local}/{INBOX}"));
    assert_eq!(inbox.matches("From - ").count(), 8);
    assert_eq!(inbox.matches("\nX-Mozilla-Status: 0000\n").count(), 2, "every fourth is not read");
    assert_eq!(fs::metadata(bench.path(&local).join("Outlook, data files (OLD)")).unwrap().len(), 0);
    let prefs = bench.read(&format!("{PROFILE}/prefs.js"));

    assert!(prefs.contains(".uri\", \"file:///C:/Users/odile/AppData/Roaming/Thunderbird/"), "{prefs}");

    // A second time nothing comes, and nothing is touched.
    let landed = bench.snapshot(PROFILE);
    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).with_status(0).json();
    assert!(rows(&report).iter().all(|row| row.2 == 0 && row.1 == row.3), "{:?}", rows(&report));
    assert_eq!(bench.snapshot(PROFILE), landed);

    // The person moves a letter, and deletes another.
    let check = ["check", "trunk", "NEW", "--json", "--quiet"];
    let letters = |receipt: &Value| {
        let items = receipt["items"].as_array().unwrap();
        items.iter().find(|item| item["id"] == OUTLOOK).unwrap()["letters"][0].clone()
    };
    let receipt = bench.porter(&check).with_status(0).json();
    assert_eq!((&letters(&receipt)["expected"], &letters(&receipt)["there_now"]), (&json!(8), &json!(8)));
    let all: Vec<&str> = inbox.split_inclusive("\n\nFrom - ").collect();
    let cut = inbox.len() - all[7].len() - all[6].len() - "From - ".len();
    bench.write(&format!("{local}/{INBOX}"), &inbox[..cut]);
    bench.write(&format!("{local}/Kept"), format!("From - {}", all[7]));
    let receipt = bench.porter(&check).with_status(3).json();
    assert_eq!(letters(&receipt)["there_now"], 7, "moved is not gone, deleted is");
    assert!(receipt.to_string().contains("1 letter that came into Thunderbird"), "{receipt}");

    // It comes again, behind what is there, and the index of that is set aside.
    bench.write(&format!("{local}/{INBOX}.msf"), "// <!-- <mdb:mork:z v=\"1.4\"/> -->");
    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).with_status(0).json();
    assert!(rows(&report).contains(&(format!("letters {OUTLOOK}"), 8, 1, 7, 0)), "{:?}", rows(&report));
    let now = bench.read(&format!("{local}/{INBOX}"));
    assert!(now.starts_with(&inbox[..cut]) && now.matches("From - ").count() == 7, "{now}");
    assert!(!bench.path(&format!("{local}/{INBOX}.msf")).exists());
    bench.porter(&check).with_status(0);

    for _ in 0..3 {
        bench.porter(&["undo", "NEW", "--yes", "--quiet"]);
    }
    let mut after = bench.snapshot("NEW/Users");
    // The person's own doings stay.
    let kept = |path: &std::path::Path| path.to_string_lossy().contains("Local Folders");
    after.retain(|path, _| !kept(path) && !path.to_string_lossy().contains("Loyal Porter"));
    let differ = before.iter().filter(|(path, was)| {
        // The folder that they are in changed.
        after.get(*path) != Some(was) && !path.ends_with("Mail")
    });
    assert_eq!(differ.map(|(path, _)| path).collect::<Vec<_>>(), Vec::<&std::path::PathBuf>::new());
}

#[test]
fn letters_are_chosen_and_what_cannot_take_them_says_why() {
    let bench = with_machines();
    let options =
        ["--mail-folder", "**/Inbox", "--mail-since", "2026-02-06", "--mail-until", "2026-02-08", "--json"];
    let report = bench.porter(&[&RESTORE[..], &options].concat()).with_status(0).json();
    assert!(rows(&report).contains(&(format!("letters {OUTLOOK}"), 8, 3, 0, 5)), "{:?}", rows(&report));
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(&format!("{PROFILE}/Mail/Local Folders")).exists());

    let other = bench.porter(&["restore", "trunk", "NEW", "--mail-into", "pigeon", "--yes"]).with_status(2);
    assert!(other.err.contains("letters cannot be brought into `pigeon`"), "{}", other.err);
    bench.porter(&["restore", "trunk", "NEW", "--mail-since", "2026-02-06", "--yes"]).with_status(2);

    // A store that is not a mailbox, and no profile: the rest lands, and the letters are named.
    let prefs = bench.read(&format!("{PROFILE}/prefs.js"));
    let maildir = "user_pref(\"mail.accountmanager.localfoldersserver\", \"server9\");\n\
        user_pref(\"mail.server.server9.storeContractID\", \"@mozilla.org/msgstore/maildirstore;1\");\n";
    bench.write(&format!("{PROFILE}/prefs.js"), prefs + maildir);
    let said = bench.porter(&RESTORE).with_status(3).out;
    assert!(said.contains("its letters could not be brought into Thunderbird"), "{said}");
    assert!(said.contains("keep a file for each letter"), "{said}");
    fs::remove_dir_all(bench.path("NEW/Users/odile/AppData/Roaming/Thunderbird")).unwrap();
    let said = bench.porter(&RESTORE).with_status(3).out;
    assert!(said.contains("start it once, and close it"), "{said}");
}

#[cfg(unix)]
#[test]
fn nothing_goes_through_a_link_and_what_a_cut_off_run_left_waiting_is_swept_away() {
    let bench = with_machines();
    fs::create_dir(bench.path("elsewhere")).unwrap();
    let local = bench.path(&format!("{PROFILE}/Mail/Local Folders"));
    std::os::unix::fs::symlink(bench.path("elsewhere"), &local).unwrap();
    let said = bench.porter(&RESTORE).with_status(3).out;
    assert!(said.contains("did not land"), "{said}");
    assert_eq!(fs::read_dir(bench.path("elsewhere")).unwrap().count(), 0, "{said}");
    fs::remove_file(&local).unwrap();

    // As a run that was killed leaves it: a folder with mailboxes that wait, and no end in the journal.
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]);
    bench.porter(&RESTORE).with_status(0);
    let journals = fs::read_dir(bench.path("NEW/ProgramData/Loyal Porter")).unwrap().flatten();
    let journal =
        journals.map(|row| row.path()).filter(|path| path.extension().is_some_and(|end| end == "jsonl"));
    let journal = journal.max().unwrap();
    let text = fs::read_to_string(&journal).unwrap();
    let mark = text.split("\"mark\":\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let cut: Vec<&str> = text.lines().filter(|line| !line.contains("\"step\":\"end\"")).collect();
    fs::write(&journal, cut.join("\n") + "\n").unwrap();
    let waiting = format!("{PROFILE}/Mail/Local Folders/.porter-{mark}-7.part");
    bench.write(&format!("{waiting}/mailbox-0"), "From - x\n");
    bench.write(&format!("{waiting}/unpacked/mail"), "!BDN");
    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).with_status(0).json();
    assert!(rows(&report).iter().all(|row| row.2 == 0), "{:?}", rows(&report));
    assert!(!bench.path(&waiting).exists());
    bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert!(!local.exists());
}

#[test]
fn people_of_folders_and_programs_of_their_own_come_too() {
    let bench = Workbench::new();
    build_tidewater(&bench.path("NEW")).unwrap();
    bench.empty_machine("OLD", "odile");
    let contact = |name: &str| {
        format!(
            "<c:contact xmlns:c=\"http://schemas.microsoft.com/Contact\"><c:NameCollection><c:Name><c:FormattedName>{name}</c:FormattedName>\
             </c:Name></c:NameCollection><c:EmailAddressCollection><c:EmailAddress><c:Address>{name}@windrose.example</c:Address>\
             </c:EmailAddress></c:EmailAddressCollection></c:contact>"
        )
    };
    let folder = "OLD/Users/odile/Contacts";
    bench.write(&format!("{folder}/Ines.contact"), contact("ines"));
    bench.write(&format!("{folder}/Family/Otto.contact"), contact("otto"));
    bench.write(&format!("{folder}/torn.contact"), "<c:contact><c:Na");
    bench.write(&format!("{folder}/club.csv"), "First Name;E-mail Address\r\nB\u{e9}a;bea@kites.example\r\n");
    bench.write(&format!("{folder}/kites.csv"), "Kite;Spars\r\nRokkaku;3\r\n");
    bench.write(
        &format!("{folder}/desk.ldif"),
        "dn: cn=Bram\nobjectclass: person\ncn: Bram\nmail: bram@kites.example\n",
    );
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);

    // Three files of contacts were counted, of which one is torn.
    let said = bench
        .porter(&["take", "trunk", "odile/folder/contacts", "people.vcf", "--as", "contacts"])
        .with_status(3);
    assert!(said.out.contains("torn.contact") || said.err.contains("torn.contact"), "{said:?}");
    let cards = bench.read("people.vcf");
    for name in ["FN:ines", "FN:otto", "FN:B\u{e9}a", "FN:Bram"] {
        assert!(cards.contains(name), "{name} is not in {cards}");
    }
    assert_eq!(cards.matches("BEGIN:VCARD").count(), 4);

    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).with_status(3).json();
    assert_eq!(rows(&report), BTreeSet::from([("contacts odile/folder/contacts".to_owned(), 5, 4, 0, 0)]));
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "--quiet"]).json();
    let items = receipt["items"].as_array().unwrap();
    let row = &items.iter().find(|item| item["id"] == "odile/folder/contacts").unwrap()["letters"][0];
    assert_eq!((&row["expected"], &row["there_now"], &row["damaged"]), (&json!(4), &json!(4), &json!(1)));
    let report = bench.porter(&[&RESTORE[..], &["--json"]].concat()).json();
    assert_eq!(rows(&report), BTreeSet::from([("contacts odile/folder/contacts".to_owned(), 5, 0, 4, 0)]));
}

/// Brings the old machine's mail to a program that has no profile, and lists the files that are then there.
fn brought_to(program: &str, new: &str, home: &str) -> (Workbench, Vec<String>) {
    let bench = with_machines();
    if new == "LINUX" {
        bench.write("LINUX/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n");
        bench.write("LINUX/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n");
        fs::create_dir_all(bench.path("LINUX/home/odile/Documents")).unwrap();
    } else {
        bench.empty_machine(new, "odile");
    }
    let before = bench.snapshot(&format!("{new}/{home}"));
    let restore = ["restore", "trunk", new, "--mail-into", program, "--yes", "--json"];
    let report = bench.porter(&restore).with_status(0).json();
    // Outlook opens its own data file itself.
    let comes = |row: &(String, u64, u64, u64, u64)| row.1 > 0 && row.1 == row.2 && row.3 == 0;
    assert!(rows(&report).iter().all(comes) && !rows(&report).is_empty(), "{:?}", rows(&report));
    let mut files: Vec<String> = bench
        .snapshot(&format!("{new}/{home}"))
        .keys()
        .filter(|path| {
            !before.contains_key(*path) && bench.path(&format!("{new}/{home}")).join(path).is_file()
        })
        .map(|path| path.to_string_lossy().replace('\\', "/"))
        .filter(|path| path.contains("For ") || path.contains("porter-"))
        .collect();
    files.sort();

    let receipt = bench.porter(&["check", "trunk", new, "--json", "--quiet"]).with_status(0).json();
    let there = |item: &Value| {
        let letters = item["letters"].as_array().cloned().unwrap_or_default();
        letters.into_iter().map(|row| (row["expected"].clone(), row["there_now"].clone())).collect::<Vec<_>>()
    };
    let there: Vec<_> = receipt["items"].as_array().unwrap().iter().flat_map(there).collect();
    assert!(!there.is_empty() && there.iter().all(|(expected, now)| expected == now), "{there:?}");
    let report = bench.porter(&restore).with_status(0).json();
    assert!(rows(&report).iter().all(|row| row.2 == 0 && row.1 == row.3), "again: {:?}", rows(&report));
    (bench, files)
}

#[test]
fn evolution_finds_an_account_a_calendar_and_tasks_of_their_own() {
    let (bench, files) = brought_to("evolution", "LINUX", "home/odile");
    let of_events = files.iter().find(|file| file.ends_with("-events.source")).unwrap();
    let mark = of_events.split_once("porter-").unwrap().1.split_once('-').unwrap().0;
    let of = |kind: &str| format!(".config/evolution/sources/porter-{mark}-{kind}.source");
    for kind in ["mail", "events", "tasks"] {
        assert!(files.contains(&of(kind)), "{kind} in {files:?}");
    }
    let keys = bench.read(&format!("LINUX/home/odile/{}", of("mail")));
    let at = format!("/home/odile/.local/share/evolution/mail/porter-{mark}-mail");
    assert!(keys.contains(&format!("BackendName=mbox\n\n[Mbox Backend]\nPath={at}\n")), "{keys}");
    let inbox = bench.read(&format!("LINUX{at}/odile.pst.sbd/Inbox"));
    assert_eq!(inbox.matches("\nX-Evolution: 0000000").count(), 8, "{inbox}");
    assert_eq!(inbox.matches("-0000\n").count(), 2, "every fourth is not read");
    assert!(files.iter().any(|file| file.ends_with("Contacts.vcf")), "{files:?}");
    let receipt = bench.porter(&["check", "trunk", "LINUX"]).with_status(0).out;
    assert!(receipt.contains("File, Import"), "{receipt}");

    // An undo takes away all of it.
    bench.porter(&["undo", "LINUX", "--yes", "--quiet"]);
    bench.porter(&["undo", "LINUX", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(&format!("LINUX/home/odile/{}", of("mail"))).exists());
    assert!(!bench.path(&format!("LINUX{at}")).exists());
    // It is no program of Windows.
    bench.empty_machine("NEXT", "odile");
    let restore = ["restore", "trunk", "NEXT", "--mail-into", "evolution", "--yes"];
    let said = bench.porter(&restore).with_status(3).out;
    assert!(said.contains("it is a program of Linux"), "{said}");
    let said = bench.porter(&[&restore[..], &["--json"]].concat()).with_status(3).json();
    assert!(said["notes"].to_string().contains("it is a program of Linux"), "{said}");
}

#[test]
fn letters_people_and_days_wait_where_other_programs_import_them() {
    for (program, title, letter) in [
        ("apple-mail", "Apple Mail", "odile.pst/Inbox.mbox"),
        ("windows-mail", "Windows Mail", "odile.pst/Inbox/00001 "),
    ] {
        let (bench, files) = brought_to(program, "WINDOWS", "Users/odile");
        let at = format!("Documents/For {title}/Outlook, data files (OLD)/");
        for name in [letter, "Contacts.vcf", "Calendar.ics", "Tasks.ics"] {
            let is_it = |file: &String| file.starts_with(&format!("{at}{name}"));
            assert!(files.iter().any(is_it), "{at}{name} in {files:?}");
        }
        // Once they are imported, nobody but the person can see where they are.
        std::fs::remove_dir_all(bench.path(&format!("WINDOWS/Users/odile/{at}"))).unwrap();
        let receipt = bench.porter(&["check", "trunk", "WINDOWS"]).with_status(3).out;
        assert!(receipt.contains(&format!("look into {title} whether they were imported")), "{receipt}");
    }
    // Outlook opens its own data file itself, and has letters of others as files of its form.
    let (_, files) = brought_to("outlook", "WINDOWS", "Users/odile");
    assert!(files.iter().all(|file| file.ends_with(".msg")) && files.len() == 2, "{files:?}");
}
