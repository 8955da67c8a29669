//! Mail: the letters of a mailbox are told before anything is captured, and counted again where they landed.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

const THUNDERBIRD: &str = "odile/mail/thunderbird/default";
const PROGRAM: &str = "Users/odile/AppData/Roaming/Thunderbird";
const PROFILE: &str = "Users/odile/AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default";
const OUTSIDE: &str = "Users/odile/Documents/Old mail";

fn item<'d>(document: &'d Value, id: &str) -> &'d Value {
    document["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap()
}

/// Letters that a simple reader of lines finds in a folder of mailboxes, and those that nobody has read.
fn letters_in(bench: &Workbench, folder: &str) -> (u64, u64) {
    let mut letters = (0, 0);
    for row in fs::read_dir(bench.path(folder)).unwrap().flatten() {
        let Ok(text) = fs::read_to_string(row.path()) else { continue };
        letters.0 += text.lines().filter(|line| line.starts_with("From ")).count() as u64;
        letters.1 += text.lines().filter(|line| *line == "X-Mozilla-Status: 0000").count() as u64;
    }
    letters
}

/// The numbers of an item of a receipt: at the capture, and where it landed.
fn numbers(receipt: &Value, name: &str) -> (u64, u64) {
    let counts = item(receipt, THUNDERBIRD)["counts"].as_array().unwrap();
    let row = counts.iter().find(|row| row["name"] == name).unwrap_or_else(|| panic!("no {name}"));
    (row["captured"].as_u64().unwrap(), row["landed"].as_u64().unwrap())
}

#[test]
fn letters_are_counted_at_the_old_machine_and_at_the_new_one() {
    let bench = Workbench::with_trunk();
    let inside = letters_in(&bench, &format!("LOFT-PC/{PROFILE}/Mail/mail.saltmarsh.example"));
    let outside = letters_in(&bench, &format!("LOFT-PC/{OUTSIDE}"));
    let (messages, unread) = (inside.0 + outside.0, inside.1 + outside.1);
    assert!(outside.0 > 0 && unread == 4, "{messages}, {unread}");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let counts = &item(&survey, THUNDERBIRD)["counts"];
    let number = |name: &str| counts[name].as_u64();
    assert_eq!((number("messages"), number("unread messages")), (Some(messages), Some(unread)), "{counts}");
    let said = bench.porter(&["survey", "LOFT-PC"]).with_status(0).out;
    assert!(said.contains(&format!("{messages} messages, 4 unread messages")), "{said}");
    assert!(said.contains("odile@saltmarsh.example (POP3 of mail.saltmarsh.example)"), "{said}");

    bench.porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/mail/*"]);
    let check = ["check", "trunk", "TIDEWATER", "--only", "odile/mail/*", "--json", "-"];
    assert_eq!(numbers(&bench.porter(&check).json(), "messages"), (messages, messages));
    // Somebody loses a folder of letters there.
    fs::remove_file(bench.path(&format!("TIDEWATER/{PROFILE}/Mail/mail.saltmarsh.example/Sent"))).unwrap();
    let left = letters_in(&bench, &format!("TIDEWATER/{PROFILE}/Mail/mail.saltmarsh.example")).0;
    assert_eq!(numbers(&bench.porter(&check).json(), "messages"), (messages, left + outside.0));
}

#[test]
fn a_profile_comes_beside_the_one_that_is_used_with_the_mail_that_lay_outside_of_it() {
    let bench = Workbench::with_trunk();
    let before = bench.snapshot("TIDEWATER");
    bench
        .porter(&["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--only", "odile/mail/*"])
        .with_status(0);
    let list = bench.read(&format!("TIDEWATER/{PROGRAM}/profiles.ini"));
    for path in ["Profiles/n3wm41l0.default-release", "Profiles/k1t3s4lt.default"] {
        assert_eq!(list.matches(&format!("\r\nPath={path}\r\n")).count(), 1, "{list}");
    }
    // The one of the new machine opens by itself as before.
    assert!(list.contains("]\r\nDefault=Profiles/n3wm41l0.default-release\r\n"), "{list}");
    let prefs = bench.read(&format!("TIDEWATER/{PROFILE}/prefs.js"));
    let relative: Vec<&str> =
        prefs.lines().filter_map(|line| line.split("[ProfD]").nth(1)?.strip_suffix("\");")).collect();
    assert_eq!(relative.len(), 2, "{prefs}");
    for below in relative {
        let there = letters_in(&bench, &format!("TIDEWATER/{PROFILE}/{below}"));
        assert!(there.0 > 0, "{below}");
    }
    assert!(!prefs.contains(".directory\","), "an absolute path stayed: {prefs}");
    assert!(!bench.path(&format!("TIDEWATER/{OUTSIDE}")).exists());

    let receipt =
        bench.porter(&["check", "trunk", "TIDEWATER", "--only", "odile/mail/*", "--json", "-"]).json();
    assert_eq!(item(&receipt, THUNDERBIRD)["verdict"], "landed");
    // As SQLite counts them: one of each stands only in the log.
    let folder = bench.path(&format!("TIDEWATER/{PROFILE}"));
    let asked = |file: &str, sql: &str| -> u64 {
        // A reader of SQLite writes the log into the database.
        let apart = bench.path("apart.sqlite");
        for ending in ["", "-wal"] {
            let from = folder.join(format!("{file}{ending}"));
            fs::copy(from, apart.with_file_name(format!("apart.sqlite{ending}"))).unwrap();
        }
        let database = rusqlite::Connection::open(&apart).unwrap();
        database.query_row(sql, [], |row| row.get(0)).unwrap()
    };
    let contacts = asked("abook.sqlite", "SELECT count(*) FROM properties WHERE name = 'DisplayName'");
    assert_eq!(numbers(&receipt, "contacts"), (contacts + 2, contacts + 2), "two are of the old form");
    let events = asked("calendar-data/local.sqlite", "SELECT count(*) FROM cal_events");
    assert_eq!((events > 0, numbers(&receipt, "events")), (true, (events, events)));
    let by_hand = &receipt["mail_by_hand"][0];
    assert_eq!(by_hand["accounts"][0]["incoming"]["port"], "995");
    let steps = by_hand["steps"].to_string();
    assert!(
        steps.contains("choose \u{201c}default\u{201d}") && steps.contains("Type the password of odile@"),
        "{steps}"
    );
    assert_eq!(by_hand["holds"][0], "10 messages in 4 folders");

    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    let after = bench.snapshot("TIDEWATER");
    let records = |path: &std::path::Path| path.starts_with("ProgramData/Loyal Porter");
    let differ: Vec<_> = after
        .iter()
        .filter(|(path, found)| before.get(*path).is_none_or(|was| was.1 != found.1) && !records(path))
        .collect();
    assert!(differ.is_empty(), "{differ:?}");
}

#[test]
fn mail_that_is_nowhere_is_named_and_the_rest_goes_to_a_linux_under_another_name() {
    let bench = Workbench::with_demo_machines();
    let prefs = format!("LOFT-PC/{PROFILE}/prefs.js");
    let lost = bench
        .read(&prefs)
        .replace("Documents\\\\Old mail", "Lost")
        .replace("[ProfD]../../../../../Documents/Old mail", "[ProfD]../../../../../../../Z:/Lost");
    bench.write(&prefs, lost.replace("C:\\\\Users\\\\odile\\\\Lost", "Z:\\\\Lost"));
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let cautions = item(&survey, THUNDERBIRD)["cautions"].to_string();
    assert!(cautions.contains("mail-elsewhere") && cautions.contains("Z:\\\\Lost"), "{cautions}");
    bench.porter(&["capture", "LOFT-PC", "trunk", "--only", "odile/mail/*", "--quiet"]).with_status(0);

    bench.write("KITE/etc/os-release", "PRETTY_NAME=\"Kite Linux\"\n");
    bench.write("KITE/etc/passwd", "odile m\u{e9}:x:1000:1000::/home/odile m\u{e9}:/bin/sh\n");
    bench.write("KITE/home/odile m\u{e9}/.profile", "");
    bench
        .porter(&["restore", "trunk", "KITE", "--account", "odile=odile m\u{e9}", "--yes", "--quiet"])
        .with_status(0);
    let program = "KITE/home/odile m\u{e9}/.thunderbird";
    let list = bench.read(&format!("{program}/profiles.ini"));
    assert!(list.contains("IsRelative=1\nPath=k1t3s4lt.default\n"), "{list}");
    let prefs = bench.read(&format!("{program}/k1t3s4lt.default/prefs.js"));
    assert!(!prefs.contains("C:") && prefs.contains("[ProfD]Mail/mail.saltmarsh.example"), "{prefs}");
    let said =
        bench.porter(&["check", "trunk", "KITE", "--account", "odile=odile m\u{e9}"]).with_status(0).out;
    assert!(said.contains("9 of 9 messages"), "{said}");
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

#[test]
fn data_files_are_mail_wherever_they_lie_and_land_beside_those_of_the_new_machine() {
    let bench = Workbench::with_demo_machines();
    let places = [
        "Users/odile/Documents/ARCHIVE.PST",
        "Users/odile/Documents/Kites/2012/deep/mail 2012.pst",
        "Users/odile/Desktop/old mail.bak",
        "Users/odile/Downloads/backup",
        "Users/odile/AppData/Roaming/Windrose/Forecast/letters.pst",
        "Users/odile/Outlook.pst",
        "Users/Public/Documents/everybody.pst",
        "Kite Plans/2009/sent.pst",
        "loose.pst",
    ];
    let file = porter_demo::mail::data_file(5);
    places.iter().for_each(|at| bench.write(&format!("LOFT-PC/{at}"), &file));
    // Not a data file, whatever it is called; and one that is in no order, which is named.
    bench.write("LOFT-PC/Users/odile/Documents/notes.pst", "a list of pastries");
    bench.write("LOFT-PC/Users/odile/Documents/torn.pst", &file[..0x4500]);
    let account = "<MessageAccount><IMAP_Server type=\"SZ\">imap.saltmarsh.example</IMAP_Server>\
        <IMAP_Port type=\"DWORD\">000003e1</IMAP_Port><SMTP_Email_Address type=\"SZ\">loft@saltmarsh.example</SMTP_Email_Address></MessageAccount>";
    let express = "LOFT-PC/Users/odile/AppData/Local/Microsoft/Windows Live Mail/Saltmarsh";
    bench.write(&format!("{express}/account{{5A1713A7}}.oeaccount"), account);
    bench.write(&format!("{express}/Inbox/0001.eml"), "Subject: kites\r\n\r\nfly\r\n");
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let own = item(&survey, "odile/mail/data-files");
    assert_eq!((&own["counts"]["messages"], &own["files"]), (&30.into(), &7.into()), "{own}");
    assert!(own["cautions"].to_string().contains("torn.pst"), "{own}");
    let shared = item(&survey, "machine/mail/data-files");
    assert_eq!((&shared["counts"]["messages"], &shared["files"]), (&15.into(), &3.into()), "{shared}");
    // The registry of another person tells of an account, and of a file that is not there.
    let outlook = item(&survey, "tamsin/mail/outlook-data");
    assert_eq!(outlook["counts"]["messages"], 8);
    assert_eq!(outlook["facts"]["account-1-address"], "desk@saltmarsh.example");
    assert_eq!(outlook["facts"]["data-file-1-layout"], "unicode");
    assert_eq!(outlook["facts"]["profile-file-1-opened-by"], "Outlook");
    assert!(outlook["cautions"].to_string().contains("Orders 2009.pst"), "{outlook}");

    let express = &item(&survey, "odile/mail/windows-live-mail")["facts"];
    assert_eq!(
        (&express["account-1-incoming-port"], &express["account-1-address"]),
        (&"993".into(), &"loft@saltmarsh.example".into())
    );

    let mail = ["--only", "*/mail/*"];
    bench.porter(&[&["capture", "LOFT-PC", "trunk", "--quiet"], &mail[..]].concat()).with_status(0);
    let open_now = "TIDEWATER/Users/tamsin.okafor/Documents/Outlook Files/tamsin.pst";
    bench.write(open_now, porter_demo::mail::data_file(0));
    let restore = ["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes"];
    bench.porter(&[&restore[..], &mail[..]].concat()).with_status(0);
    assert_eq!(fs::read(bench.path(open_now)).unwrap(), porter_demo::mail::data_file(0), "it stays");
    let beside = "TIDEWATER/Users/tamsin.okafor/Documents/Outlook Files/tamsin (LOFT-PC).pst";
    assert!(fs::read(bench.path(beside)).unwrap() == porter_demo::mail::data_file_with_things(8));
    // One file opens all of hers, and nobody else's.
    let opener = "TIDEWATER/Users/tamsin.okafor/Documents/Outlook Files/LOFT-PC.prf";
    let opener = narrow(&fs::read(bench.path(opener)).unwrap());
    let path = "PathToPersonalFolders=C:\\Users\\tamsin.okafor\\Documents";
    for line in [
        "OverwriteProfile=Append",
        "Name=tamsin (LOFT-PC)",
        &format!("{path}\\Outlook Files\\tamsin (LOFT-PC).pst"),
        &format!("{path}\\Archive\\tamsin.pst"),
    ] {
        assert!(opener.lines().any(|found| found == line), "{line}: {opener}");
    }
    assert!(!opener.contains("odile"), "{opener}");
    let again = bench.porter(&[&restore[..], &mail[..], &["--json"]].concat()).with_status(0).json();
    assert_eq!(again["written"]["files"], 0, "a second time nothing comes");
    let said = bench
        .porter(&["check", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor"])
        .with_status(0)
        .out;
    // The letters themselves, for any other program: of every folder, and none twice.
    let taken = bench
        .porter(&["take", "trunk", "tamsin/mail/outlook-data", "mail", "--as", "mbox"])
        .with_status(0)
        .out;
    assert!(
        taken.contains("tamsin.pst / Inbox: 8 of 8 letters") && taken.contains("Taken: 8 of 8 letters"),
        "{taken}"
    );
    let mailbox = bench.read("mail/tamsin.pst/Inbox.mbox");
    let first = "From - Tue Feb  3 09:00:00 2026\nX-Mozilla-Status: 0000\nStatus: O\nFrom: ";
    assert!(mailbox.starts_with(first), "{mailbox}");
    for line in [
        "Subject: Order 8 of 8",
        "To: \"Front desk\" <desk@saltmarsh.example>",
        "Message-ID: <order-8@windrose.example>",
        "Date: Tue, 10 Feb 2026 09:00:00 +0000",
        "Saltmarsh Kiteworks",
    ] {
        assert!(mailbox.lines().any(|found| found == line), "{line}: {mailbox}");
    }
    bench.porter(&["take", "trunk", "tamsin/mail/outlook-data", "files", "--as", "letters"]).with_status(0);
    assert!(
        bench.read("files/tamsin.pst/Inbox/00003 Order 3 of 8.eml").contains("Subject: Order 3 of 8\r\n")
    );
    bench.porter(&["take", "trunk", "tamsin/mail/outlook-data", "files", "--as", "letters"]).with_status(1);
    bench.porter(&["take", "trunk", "odile/mail/data-files", "old", "--as", "mbox"]).with_status(3);
    bench
        .porter(&["take", "trunk", "tamsin/mail/outlook-lists", "people.vcf", "--as", "contacts"])
        .with_status(0);
    let people = bench.read("people.vcf");
    assert_eq!(people.matches("EMAIL;TYPE=INTERNET:customer").count(), 14, "{people}");
    bench
        .porter(&["take", "trunk", "odile/mail/thunderbird/default", "people.csv", "--as", "contacts-table"])
        .with_status(0);
    assert!(bench.read("people.csv").contains("\"Ferry office\",\"ferry@windrose.example\",\"\"\r\n"));
    for line in [
        "Set up the account loft@saltmarsh.example (IMAP of imap.saltmarsh.example)",
        "14 of 14 addresses offered",
        "start `outlook.exe /importprf \"C:\\Users\\tamsin.okafor\\Documents\\Outlook Files\\LOFT-PC.prf\"`",
        "desk@saltmarsh.example (POP3 of mail.saltmarsh.example), name Tamsin Okafor",
        "receives from mail.saltmarsh.example port 995 with TLS as desk",
        "Documents\\Outlook Files\\tamsin (LOFT-PC).pst (8 messages).",
        "Documents\\ARCHIVE.PST (5 messages); ",
        "backup (5 messages, once its name ends with .pst)",
        "30 of 30 messages",
    ] {
        assert!(said.contains(line), "{line}: {said}");
    }
}

fn narrow(wide: &[u8]) -> String {
    let units = wide.strip_prefix(&[0xff, 0xfe]).unwrap_or_default().chunks_exact(2);
    let units: Vec<u16> = units.map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    String::from_utf16(&units).unwrap()
}

#[test]
fn words_of_both_machines_are_kept_and_offered_addresses_land_where_outlook_looks_for_them() {
    let bench = Workbench::with_demo_machines();
    let own = "TIDEWATER/Users/tamsin.okafor/AppData";
    let words: Vec<u8> = [0xff, 0xfe]
        .into_iter()
        .chain("halyard\r\nferrule\r\n".encode_utf16().flat_map(u16::to_le_bytes))
        .collect();
    let dictionaries = format!("{own}/Roaming/Microsoft/UProof");
    bench.write(&format!("{dictionaries}/Custom.dic"), &words);
    // A list without a row, under a name of its own.
    let offered = format!("{own}/Local/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0_77.dat");
    let nobody: Vec<u8> =
        [0xbaad_f00d_u32, 12, 1, 0, 0, 0, 0].into_iter().flat_map(u32::to_le_bytes).collect();
    bench.write(&offered, &nobody);
    let chosen = ["--only", "tamsin/mail/*", "--only", "tamsin/office/*"];
    bench.porter(&[&["capture", "LOFT-PC", "trunk", "--quiet"], &chosen[..]].concat()).with_status(0);
    let onto = ["trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor"];
    bench.porter(&[&["restore"], &onto[..], &["--yes", "--quiet"]].concat()).with_status(0);
    let list_there = || {
        let names = bench.snapshot(&dictionaries).into_keys().map(|path| path.to_string_lossy().into_owned());
        let mut names = names.filter(|name| name.to_lowercase().ends_with("custom.dic"));
        fs::read(bench.path(&format!("{dictionaries}/{}", names.next().unwrap()))).unwrap()
    };
    assert_eq!(narrow(&list_there()), "halyard\r\nferrule\r\nrokkaku\r\nparafoil\r\n");
    let theirs =
        "LOFT-PC/Users/tamsin/AppData/Local/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0_2012.dat";
    assert_eq!(fs::read(bench.path(&offered)).unwrap(), fs::read(bench.path(theirs)).unwrap());
    bench.porter(&[&["check"], &onto[..], &["--quiet"]].concat()).with_status(0);
    bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]).with_status(0);
    assert_eq!((list_there(), fs::read(bench.path(&offered)).unwrap()), (words, nobody));
}

#[test]
fn letters_and_accounts_of_smaller_programs_are_told() {
    let bench = Workbench::new();
    bench.porter(&["demo", "--small", "--build-only", "built"]).with_status(0);
    let told = |machine: &str, id: &str| {
        let survey = bench.porter(&["survey", machine, "--json"]).json();
        let found = item(&survey, id).clone();
        (found["counts"]["messages"].clone(), found["facts"]["account-1-incoming-host"].clone())
    };
    assert_eq!(
        told("built/WINDSOCK", "bram/mail/outlook-express"),
        (294.into(), "mail.festivals.example".into())
    );
    assert_eq!(told("built/SAILROOM", "tamsin/mail/apple-mail").1, "mail.saltmarsh.example");

    // Apple Mail's letters for any program, in the order of their numbers.
    bench
        .porter(&["capture", "built/SAILROOM", "trunk", "--only", "tamsin/mail/*", "--quiet"])
        .with_status(0);
    bench.porter(&["take", "trunk", "tamsin/mail/apple-mail", "mail", "--as", "mbox"]).with_status(0);
    let mailbox = bench.read("mail/POP-tamsin@mail.saltmarsh.example/INBOX.mbox");
    let subjects: Vec<&str> = mailbox.lines().filter(|line| line.starts_with("Subject: ")).collect();
    assert_eq!(subjects[..2], ["Subject: Sail 1", "Subject: Sail 2"]);
    assert!(
        mailbox.contains("X-Mozilla-Status: 0000\nStatus: O\nFrom: Piet Visser <piet@1.example>\n"),
        "{mailbox}"
    );

    bench.write("KITE/etc/os-release", "PRETTY_NAME=\"Kite Linux\"\n");
    bench.write("KITE/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n");
    let home = "KITE/home/odile";
    bench.write(
        &format!("{home}/.claws-mail/accountrc"),
        "[Account: 1]\nprotocol=3\nreceive_server=imap.kites.example\n",
    );
    for name in ["1", "2", "17", ".mh_sequences", "draft.txt"] {
        bench.write(&format!("{home}/Mail/inbox/{name}"), "Subject: kites\n\nfly\n");
    }
    bench.write(
        &format!("{home}/.config/akonadi_imap_resource_0rc"),
        "[network]\nImapServer=imap.sails.example\n",
    );
    bench.write(&format!("{home}/.local/share/local-mail/inbox/cur/1:2,S"), "Subject: sails\n\ncut\n");
    fs::create_dir_all(bench.path(&format!("{home}/.local/share/local-mail/inbox/new"))).unwrap();
    assert_eq!(told("KITE", "odile/mail/claws").1, "imap.kites.example");
    assert_eq!(told("KITE", "odile/mail/mail-folder").0, 3);
    assert_eq!(told("KITE", "odile/mail/kmail"), (1.into(), "imap.sails.example".into()));
}

#[test]
fn an_index_is_believed_as_long_as_it_is_of_the_mailbox_as_it_is() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    let folder = format!("{PROFILE}/Mail/Local Folders");
    let unread = "From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: 0000\nSubject: kites\n\nfly\n\n";
    let mailbox = format!("OLD/{folder}/Kites");
    bench.write(&mailbox, unread.repeat(3));
    bench.write(&format!("OLD/{PROFILE}/prefs.js"), "// kites\n");
    let modified = fs::metadata(bench.path(&mailbox)).unwrap().modified().unwrap();
    let seconds = modified.duration_since(std::time::UNIX_EPOCH).unwrap().as_secs();
    // Two of the three were read since the mailbox was last written.
    let index = format!(
        "// <!-- <mdb:mork:z v=\"1.4\"/> -->\n< <(a=c)>(9F=ns:msg:db:row:scope:dbfolderinfo:all)\
         (A0=ns:msg:db:table:kind:dbfolderinfo)(A1=numMsgs)(A2=numNewMsgs)(A3=folderSize)(A5=folderDate)>\n\
         {{1:^9F {{(k^A0:c)(s=9)}} [1(^A3={:x})(^A5={seconds:x})(^A1=3)(^A2=1)]}}\n",
        unread.len() * 3
    );
    bench.write(&format!("OLD/{folder}/Kites.msf"), index);
    const ITEM: &str = "odile/mail/thunderbird/k1t3s4lt-default";
    let told = || {
        let survey = bench.porter(&["survey", "OLD", "--json"]).json();
        let counts = &item(&survey, ITEM)["counts"];
        (counts["messages"].as_u64().unwrap(), counts["unread messages"].as_u64().unwrap())
    };
    assert_eq!(told(), (3, 1));
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-"]).with_status(0).json();
    let counts = item(&receipt, ITEM)["counts"].to_string();
    assert!(counts.contains("{\"captured\":1,\"landed\":1,\"name\":\"unread messages\"}"), "{counts}");
    // A mailbox that somebody has changed without its program is read itself.
    bench.write(&mailbox, unread.repeat(4));
    assert_eq!(told(), (4, 4));
    bench.write(&mailbox, unread.repeat(3));
    fs::File::options()
        .write(true)
        .open(bench.path(&mailbox))
        .unwrap()
        .set_modified(modified - std::time::Duration::from_secs(60))
        .unwrap();
    assert_eq!(told(), (3, 3));
}
