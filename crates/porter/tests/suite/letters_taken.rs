//! The content of mail programs, out of a trunk for others: letters by choice, people, events, tasks, notes;
//! and read at the bench.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;

const OUTLOOK: &str = "tamsin/mail/outlook-data";
const THUNDERBIRD: &str = "odile/mail/thunderbird/default";

#[test]
fn people_events_tasks_and_notes_of_a_data_file_come_out_as_files_that_others_take_in() {
    let bench = Workbench::with_trunk();
    for (form, number) in [
        ("contacts", "3 contacts"),
        ("contacts-table", "3 contacts"),
        ("calendar", "3 events"),
        ("tasks", "1 task"),
    ] {
        let said = bench.porter(&["take", "trunk", OUTLOOK, form, "--as", form]).with_status(0);
        assert!(said.out.contains(&format!("Taken: {number} into")), "{}", said.out);
    }
    let expected = [
        ("contacts", "N:Albrecht;Ines;;;"),
        ("contacts", "BDAY:1979-03-07"),
        ("contacts", "CATEGORIES:Suppliers,Fair\\, spring"),
        ("contacts", "MEMBER:mailto:piet@saltmarsh.example"),
        // By the clock of the place, in summer; the course has a rule, a day left out and one that moved.
        ("calendar", "DTSTART;TZID=GMT Standard Time:20260704T100000"),
        ("calendar", "TRIGGER:-PT30M"),
        ("calendar", "RRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=10"),
        ("calendar", "EXDATE;TZID=GMT Standard Time:20260217T180000"),
        ("calendar", "RECURRENCE-ID;TZID=GMT Standard Time:20260224T180000"),
        ("calendar", "LOCATION:Net loft"),
        ("calendar", "DTEND;VALUE=DATE:20260815"),
        ("tasks", "DUE;VALUE=DATE:20260630"),
        ("tasks", "PERCENT-COMPLETE:25"),
    ];
    for (file, line) in expected {
        let written = bench.read(file);
        assert!(written.lines().any(|found| found == line), "{line} in {written}");
    }
    assert!(
        bench
            .read("contacts-table")
            .contains("\"Ines Albrecht\",\"ines@windrose.example\",\"Ines\",\"Albrecht\"")
    );
    bench.porter(&["take", "trunk", OUTLOOK, "notes", "--as", "notes"]).with_status(0);
    assert_eq!(
        bench.read("notes/tamsin.pst/Notes/Key of the net loft.txt"),
        "Key of the net loft\nis with Bram."
    );
    // Somebody else's cards and calendars, and a profile's, come out the same way.
    let book =
        bench.porter(&["take", "trunk", THUNDERBIRD, "book.vcf", "--as", "contacts-v4"]).with_status(0);
    assert!(book.out.contains("Taken: 4 contacts"), "{}", book.out);
    let days = bench.porter(&["take", "trunk", THUNDERBIRD, "days.ics", "--as", "calendar"]).with_status(0);
    assert!(bench.read("days.ics").contains("BEGIN:VEVENT"), "{}", days.out);
    let ldif = bench.porter(&["take", "trunk", OUTLOOK, "book.ldif", "--as", "contacts-ldif"]).with_status(0);
    assert!(ldif.out.contains("3 contacts") && bench.read("book.ldif").contains("member: "), "{}", ldif.out);
    // The same bytes again; nothing where there is nothing; no file is written over.
    bench.porter(&["take", "trunk", OUTLOOK, "again", "--as", "calendar"]).with_status(0);
    assert_eq!(bench.read("again"), bench.read("calendar"));
    bench.porter(&["take", "trunk", OUTLOOK, "calendar", "--as", "tasks"]).with_status(1);
    for form in ["calendar", "notes", "mbox"] {
        let said =
            bench.porter(&["take", "trunk", "odile/folder/pictures", "no", "--as", form]).with_status(2);
        assert!(!bench.path("no").exists(), "{}", said.err);
    }
    // Things beside the letters are told, and found again where they land.
    let on = ["trunk", "TIDEWATER", "--only", OUTLOOK, "--account", "tamsin=tamsin.okafor"];
    bench.porter(&[&["restore"][..], &on, &["--yes", "--quiet"]].concat()).with_status(0);
    let receipt = bench.porter(&[&["check"][..], &on, &["--json", "-"]].concat()).with_status(0).json();
    let items = receipt["items"].as_array().unwrap();
    let counts = items.iter().find(|item| item["id"] == OUTLOOK).unwrap()["counts"].as_array().unwrap();
    for (name, number) in [("messages", 8), ("contacts", 3), ("events", 3), ("tasks", 1), ("notes", 1)] {
        let row = counts.iter().find(|row| row["name"] == name).unwrap();
        assert_eq!((&row["captured"], &row["landed"]), (&number.into(), &number.into()), "{name}");
    }
}

#[test]
fn letters_are_taken_by_folder_role_and_day_and_all_are_accounted_for() {
    let bench = Workbench::with_trunk();
    let take = |item: &str, to: &str, more: &[&str]| {
        bench.porter(&[&["take", "trunk", item, to][..], more].concat()).with_status(0).out
    };
    let some = take(OUTLOOK, "days", &["--as", "maildir", "--since", "2026-02-06", "--until", "2026-02-08"]);
    assert!(some.contains("Inbox: 3 of 8 letters, 5 not asked for"), "{some}");
    let mut names: Vec<String> = std::fs::read_dir(bench.path("days/tamsin.pst/Inbox/cur"))
        .unwrap()
        .map(|row| row.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    let flags: Vec<&str> = names.iter().map(|name| name.rsplit_once("2,").unwrap().1).collect();
    assert_eq!(flags, ["S", "", "S"], "every fourth is not read: {names:?}");
    let letter = bench.read(&format!("days/tamsin.pst/Inbox/cur/{}", names[0]));
    assert!(letter.contains("\nSubject: Order 4 of 8\n") && !letter.contains('\r'), "{letter}");

    let all = take(THUNDERBIRD, "all", &["--as", "mbox"]);
    assert!(all.contains("Taken: 10 of 10 letters"), "{all}");
    let sent = take(THUNDERBIRD, "unsent", &["--as", "letters", "--skip-role", "sent,deleted"]);
    assert!(sent.contains("Taken: 7 of 10 letters") && sent.contains("3 were not asked for"), "{sent}");
    assert!(!bench.path("unsent/mail.saltmarsh.example/Sent").exists());
    let one = take(THUNDERBIRD, "one", &["--as", "mbox", "--folder", "customers"]);
    assert!(one.contains("Customers: 3 of 3 letters") && one.contains("Taken: 3 of 10 letters"), "{one}");
    // A mailbox is the same letters as the one it was made of, marks and all.
    let old = "LOFT-PC/Users/odile/AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default/Mail/mail.saltmarsh.example/Inbox";
    let marks = |text: &str| {
        let lines =
            text.lines().filter(|line| line.starts_with("X-Mozilla-Status:") || line.starts_with("Subject:"));
        lines.map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!(marks(&bench.read("all/mail.saltmarsh.example/Inbox.mbox")), marks(&bench.read(old)));
    for wrong in [&["--since", "2026-02-30"][..], &["--skip-role", "kites"], &["--folder", "["]] {
        bench
            .porter(&[&["take", "trunk", OUTLOOK, "wrong", "--as", "mbox"][..], wrong].concat())
            .with_status(2);
    }
    bench.porter(&["take", "trunk", OUTLOOK, "wrong", "--as", "tasks", "--folder", "Inbox"]).with_status(2);
}

#[test]
fn letters_can_be_read_at_the_bench() {
    let bench = Workbench::with_trunk();
    let look = |more: &[&str]| bench.porter(&[&["look", "trunk", OUTLOOK, "--letters"][..], more].concat());
    let folders = look(&[]).with_status(0).out;
    for line in ["  tamsin.pst/Inbox     8 letters", "  tamsin.pst/Calendar  3 events"] {
        assert!(folders.lines().any(|found| found == line), "{line} in {folders}");
    }
    let letters = look(&["inbox"]).with_status(0).out;
    let row = letters.lines().find(|line| line.ends_with("Order 5 of 8")).unwrap();
    assert!(row.starts_with("  5 * 2026-02-07") && row.contains("  Owen Tarrant  "), "{letters}");
    let letter = look(&["Inbox/1"]).with_status(0).out;
    for part in [
        "Subject  Order 1 of 8",
        "To       \"Front desk\" <desk@saltmarsh.example>",
        "Price list \u{fc}ber Drachen.csv (25 B)",
    ] {
        assert!(letter.contains(part), "{part} in {letter}");
    }
    assert!(!letter.contains("base64"), "{letter}");
    for (wanted, status) in [("Outbox", 2), ("Inbox/9", 2), ("Calendar", 2)] {
        look(&[wanted]).with_status(status);
    }
    let rows = look(&["inbox", "--json"]).with_status(0).json()["letters"].clone();
    assert_eq!((&rows[4]["subject"], &rows[4]["flags"]["read"]), (&"Order 5 of 8".into(), &false.into()));
    let one = look(&["Inbox/1", "--json"]).with_status(0).json()["letter"].clone();
    assert_eq!((&one["files"][0]["bytes"], &one["subject"]), (&25.into(), &"Order 1 of 8".into()));
    assert_eq!(
        look(&["--json"]).with_status(0).json()["folders"].as_array().unwrap().len(),
        folders.lines().count()
    );
    let kites = bench.porter(&["look", "trunk", THUNDERBIRD, "--letters", "Customers/2"]).with_status(0).out;
    assert!(kites.contains("Subject"), "{kites}");
    bench.porter(&["look", "trunk", "odile/folder/pictures", "--letters"]).with_status(2);
}

#[test]
fn stores_of_outlook_express_and_letters_of_a_file_each_come_out_the_same_way() {
    let bench = Workbench::new();
    porter_demo::build_windsock(&bench.path("WINDSOCK"), porter_demo::DemoSize::Small).unwrap();
    let home = "WINDSOCK/Documents and Settings/bram/My Documents/Letters";
    for (name, letter) in
        [("10 tide.eml", "Subject: Ten\n\nten\n"), ("9 tide.eml", "Subject: Nine\n\nnine\n")]
    {
        bench.write(&format!("{home}/{name}"), letter);
    }
    bench.write(&format!("{home}/torn.msg"), b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 torn");
    let desktop = "WINDSOCK/Documents and Settings/bram/Desktop";
    bench.write(&format!("{desktop}/torn.dbx"), b"\xcf\xad torn");
    bench.porter(&["capture", "WINDSOCK", "trunk", "--quiet"]).with_status(0);
    let express = "bram/mail/outlook-express";
    let taken = bench.porter(&["take", "trunk", express, "mail", "--as", "mbox"]).with_status(0).out;
    assert!(
        taken.contains("Sent Items: 64 of 64 letters") && taken.contains("Taken: 294 of 294 letters"),
        "{taken}"
    );
    let mailbox = bench.read("mail/Sent Items.mbox");
    assert_eq!(mailbox.matches("\nX-Mozilla-Status: 0000\n").count(), 21, "every third is not read yet");
    assert!(mailbox.ends_with("Subject: Tides of week 64\n\nHigh water at 64.\n\n"), "{mailbox}");
    // One that nobody can read is counted, and named by the status.
    let documents = "bram/folder/documents";
    let taken = bench.porter(&["take", "trunk", documents, "files", "--as", "letters"]).with_status(3).out;
    assert!(taken.contains("Letters: 2 of 3 letters, 1 damaged"), "{taken}");
    assert_eq!(bench.read("files/Letters/00001 Nine.eml"), "Subject: Nine\r\n\r\nnine\r\n");
    let said = bench.porter(&["take", "trunk", documents, "people", "--as", "contacts"]).with_status(3);
    assert!(said.err.contains("torn.msg: it cannot be read"), "{}", said.err);
    // On a Linux it stays in the trunk, as it should, and lacks nothing there.
    bench.write("LINUX/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n");
    bench.write("LINUX/etc/passwd", "bram:x:1000:1000::/home/bram:/bin/sh\n");
    std::fs::create_dir_all(bench.path("LINUX/home/bram")).unwrap();
    let only = ["--only", express, "--quiet"];
    bench.porter(&[&["restore", "trunk", "LINUX", "--yes"], &only[..]].concat()).with_status(0);
    bench.porter(&[&["check", "trunk", "LINUX"], &only[..]].concat()).with_status(0);
    // A store of which nothing can be read is no item without letters.
    let torn = bench.porter(&["take", "trunk", "bram/folder/desktop", "torn", "--as", "mbox"]).with_status(3);
    assert!(torn.out.contains("torn.dbx: ") && torn.out.contains("Taken: 0 of 0 letters"), "{}", torn.out);
}

#[test]
fn letters_of_any_program_become_files_of_outlook_and_are_the_same_letters_there() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    let folder = "OLD/Users/odile/AppData/Local/Microsoft/Windows Mail/Local Folders/Customers";
    let long = "Twelve spars of carbon, and the line that you asked for. ".repeat(40);
    let letter = format!(
        "From: \"Vane, Otto\" <otto@windrose.example>\r\nTo: odile@saltmarsh.example\r\nCc: =?utf-8?B?QsOpYQ==?= <bea@kites.example>\r\n\
         Subject: =?utf-8?Q?Spars_f=C3=BCr_den_Rokkaku?=\r\nMessage-ID: <1@windrose.example>\r\nDate: Mon, 09 Feb 2026 10:00:00 +0100\r\n\
         MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=m\r\n\r\n--m\r\nContent-Type: text/plain; charset=utf-8\r\n\r\n{long}\r\n--m\r\n\
         Content-Type: application/pdf\r\nContent-Disposition: attachment; filename=\"plan.pdf\"\r\nContent-Transfer-Encoding: base64\r\n\r\nJVBERi1wbGFu\r\n--m--\r\n"
    );
    bench.write(&format!("{folder}/1.eml"), &letter);
    bench.write(&format!("{folder}/2.eml"), "Subject: a/b: \"c\"\r\n\r\n");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["take", "trunk", "odile/mail/windows-mail", "OUT", "--as", "msg"]).with_status(0);
    bench.porter(&["take", "trunk", "odile/mail/windows-mail", "AGAIN", "--as", "msg"]).with_status(0);
    let files = bench.snapshot("OUT");
    let without_times = |folder: &str| -> Vec<_> {
        bench.snapshot(folder).into_iter().map(|(path, (kind, content, _))| (path, kind, content)).collect()
    };
    assert_eq!(without_times("OUT"), without_times("AGAIN"), "the same letters give the same files");

    // On a machine that has nothing but these files, they are read as the letters that they were.
    bench.empty_machine("OUTLOOK", "odile");
    for (path, (_, content, _)) in files.iter().filter(|(_, (kind, ..))| kind == "file") {
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        assert!(name.ends_with(".msg"), "{name}");
        bench.write(&format!("OUTLOOK/Users/odile/Documents/{name}"), content);
    }
    bench.porter(&["capture", "OUTLOOK", "outlook", "--quiet"]).with_status(0);
    bench.porter(&["take", "outlook", "odile/folder/documents", "BACK", "--as", "letters"]).with_status(0);
    let back = bench.snapshot("BACK");
    let back: Vec<String> = back
        .values()
        .filter(|(kind, ..)| kind == "file")
        .map(|(_, content, _)| String::from_utf8_lossy(content).into_owned())
        .collect();
    assert_eq!(back.len(), 2);
    let whole = back.iter().find(|letter| letter.contains("<1@windrose.example>")).unwrap();
    for part in [
        "From: \"Vane, Otto\" <otto@windrose.example>\r\n",
        "Subject: =?utf-8?Q?Spars_f=C3=BCr_den_Rokkaku?=\r\n",
        "Date: Mon, 09 Feb 2026 10:00:00 +0100\r\n",
        "filename=\"plan.pdf\"",
        "JVBERi1wbGFu",
    ] {
        assert!(whole.contains(part), "{part} in {whole}");
    }
}

#[test]
fn feeds_of_a_mail_program_come_out_as_an_outline() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    let program = "OLD/Users/odile/AppData/Roaming/Thunderbird";
    let profile = format!("{program}/Profiles/k1.default");
    bench.write(
        &format!("{program}/profiles.ini"),
        "[Profile0]\nName=default\nIsRelative=1\nPath=Profiles/k1.default\nDefault=1\n",
    );
    bench.write(&format!("{profile}/prefs.js"), "user_pref(\"mail.server.server1.type\", \"rss\");\n");
    let feed = |title: &str| format!(r#"{{"title":"{title}","url":"https://{title}.example/feed"}}"#);
    bench
        .write(&format!("{profile}/Mail/Feeds/feeds.json"), format!("[{},{}]", feed("tides"), feed("winds")));
    let old = "<RDF:RDF xmlns:RDF=\"r\" xmlns:dc=\"d\"><RDF:Description dc:identifier=\"https://tides.example/feed\" dc:title=\"old\"/></RDF:RDF>";
    bench.write(&format!("{profile}/Mail/Feeds/feeds.rdf"), old);
    bench.write(&format!("{profile}/Mail/Feeds-1/feeds.json"), "[{");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let said = bench
        .porter(&["take", "trunk", "odile/mail/thunderbird/default", "feeds.opml", "--as", "feeds"])
        .with_status(3);
    assert!(said.err.contains("Feeds-1/feeds.json") && said.out.contains("2 feeds"), "{said:?}");
    let outline = bench.read("feeds.opml");
    assert!(
        outline.contains("https://winds.example/feed") && outline.matches("<outline").count() == 2,
        "{outline}"
    );
}
