//! Mail of programs that keep no profiles, and of one that is a browser, too.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;

#[track_caller]
fn item<'d>(document: &'d Value, id: &str) -> &'d Value {
    let items = document["items"].as_array().unwrap();
    items.iter().find(|item| item["id"] == id).unwrap_or_else(|| panic!("no {id}"))
}

fn linux(bench: &Workbench, name: &str) {
    bench.write(&format!("{name}/etc/os-release"), "PRETTY_NAME=\"Kite Linux\"\n");
    bench.write(&format!("{name}/etc/passwd"), "odile:x:1000:1000::/home/odile:/bin/sh\n");
    bench.write(&format!("{name}/home/odile/.profile"), "");
}

fn letter(status: &str) -> String {
    format!("From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: {status}\nSubject: kites\n\nfly\n\n")
}

#[test]
fn the_mail_of_a_program_that_is_a_browser_too_comes_with_its_profile() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    let program = "OLD/Users/odile/AppData/Roaming/Mozilla/SeaMonkey";
    let list = "[General]\nStartWithLastProfile=1\n[Profile0]\nName=loft\nIsRelative=1\nPath=Profiles/a.loft\nDefault=1\n";
    bench.write(&format!("{program}/profiles.ini"), list);
    let profile = format!("{program}/Profiles/a.loft");
    let folder =
        r"C:\\Users\\odile\\AppData\\Roaming\\Mozilla\\SeaMonkey\\Profiles\\a.loft\\Mail\\Local Folders";
    let prefs = format!(
        "user_pref(\"mail.accountmanager.accounts\", \"account1\");\nuser_pref(\"mail.account.account1.server\", \"server1\");\n\
         user_pref(\"mail.server.server1.type\", \"none\");\nuser_pref(\"mail.server.server1.directory\", \"{folder}\");\n\
         user_pref(\"mail.server.server1.directory-rel\", \"[ProfD]Mail/Local Folders\");\n"
    );
    bench.write(&format!("{profile}/prefs.js"), prefs);
    let mailbox = [letter("0001"), letter("0000"), letter("0009")].concat();
    bench.write(&format!("{profile}/Mail/Local Folders/Kites"), mailbox);
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    linux(&bench, "KITE");
    bench.porter(&["restore", "trunk", "KITE", "--yes", "--quiet"]).with_status(0);
    let at = "KITE/home/odile/.mozilla/seamonkey";
    let prefs = bench.read(&format!("{at}/a.loft/prefs.js"));
    assert!(prefs.contains("[ProfD]Mail/Local Folders") && !prefs.contains("C:"), "{prefs}");
    let receipt = bench.porter(&["check", "trunk", "KITE", "--json", "-"]).json();
    let counts = item(&receipt, "odile/browser/seamonkey/loft")["counts"].to_string();
    for (name, number) in [("messages", 2), ("unread messages", 1)] {
        let row = format!("{{\"captured\":{number},\"landed\":{number},\"name\":\"{name}\"}}");
        assert!(counts.contains(&row), "{row}: {counts}");
    }
}

#[test]
fn letters_and_accounts_of_other_programs_are_told_where_nothing_reads_them() {
    let bench = Workbench::new();
    linux(&bench, "OLD");
    let mail = "OLD/home/odile/.local/share/evolution/mail/local";
    // Windows holds no colon in a name.
    let sign = if cfg!(windows) { ";" } else { ":" };
    for (at, content) in [
        ("cur/1.loft:2,S", "Subject: a\n\nx\n"),
        ("cur/2.loft:2,", "Subject: b\n\nx\n"),
        ("new/3.loft", "Subject: c\n\nx\n"),
        (".Orders/cur/4.loft:2,S", "Subject: d\n\nx\n"),
    ] {
        bench.write(&format!("{mail}/{}", at.replace(':', sign)), content);
    }
    for folder in ["tmp", ".Orders/tmp", ".Orders/new"] {
        std::fs::create_dir_all(bench.path(&format!("{mail}/{folder}"))).unwrap();
    }
    let sources = "OLD/home/odile/.config/evolution/sources";
    bench.write(
        &format!("{sources}/a.source"),
        "[Mail Account]\nBackendName=imapx\nIdentityUid=p\n[Authentication]\nHost=imap.saltmarsh.example\nPort=993\nUser=odile\n",
    );
    bench.write(
        &format!("{sources}/p.source"),
        "[Mail Identity]\nName=Odile\nAddress=odile@saltmarsh.example\n",
    );
    let survey = bench.porter(&["survey", "OLD", "--json"]).json();
    let evolution = item(&survey, "odile/mail/evolution");
    let number = |name: &str| evolution["counts"][name].as_u64();
    assert_eq!(
        (number("messages"), number("unread messages"), number("folders of messages")),
        (Some(4), Some(2), Some(2))
    );

    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.empty_machine("NEW", "odile");
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let said = bench.porter(&["check", "trunk", "NEW"]).with_status(0).out;
    let typed = "Type into the new program: odile@saltmarsh.example (IMAP of imap.saltmarsh.example), name Odile, \
                 receives from imap.saltmarsh.example port 993 without encryption as odile.";
    assert!(said.contains(typed), "{said}");
    let refused = bench
        .porter(&["take", "trunk", "odile/mail/evolution", "people.vcf", "--as", "contacts"])
        .with_status(2);
    assert!(refused.err.contains("nothing that is taken out in this form"), "{}", refused.err);
}

#[test]
fn what_was_carried_as_one_folder_by_an_earlier_version_still_lands_whole() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    // The rule as it was before profiles were items.
    let rule = "id = \"mail/thunderbird\"\ntitle = \"Thunderbird: mail, contacts, settings\"\n\n[[find]]\nsystems = [\"windows\"]\n\
                place = \"roaming-data\"\npath = \"Thunderbird\"\npart = \"profiles\"\n";
    bench.write("old.toml", rule);
    let program = "Users/odile/AppData/Roaming/Thunderbird";
    let list = "[Profile0]\nName=loft\nIsRelative=1\nPath=Profiles/a.loft\n";
    bench.write(&format!("OLD/{program}/profiles.ini"), list);
    bench.write(&format!("OLD/{program}/Profiles/a.loft/Mail/Local Folders/Kites"), letter("0001"));
    bench.porter(&["capture", "OLD", "trunk", "--rules", "old.toml", "--quiet"]).with_status(0);
    bench.empty_machine("NEW", "odile");
    linux(&bench, "KITE");
    for (machine, at) in [("NEW", program), ("KITE", "home/odile/.thunderbird")] {
        bench.porter(&["restore", "trunk", machine, "--yes", "--quiet"]).with_status(0);
        assert_eq!(bench.read(&format!("{machine}/{at}/profiles.ini")), list);
        let letters = bench.read(&format!("{machine}/{at}/Profiles/a.loft/Mail/Local Folders/Kites"));
        assert_eq!(letters, letter("0001"));
        let receipt = bench.porter(&["check", "trunk", machine, "--json", "-"]).with_status(0).json();
        assert_eq!(item(&receipt, "odile/mail/thunderbird")["verdict"], "landed");
    }
}

#[test]
fn accounts_without_a_file_are_told_and_count_as_nothing_that_landed() {
    let bench = Workbench::with_demo_machines();
    let data = "LOFT-PC/Users/tamsin/AppData/Local/Microsoft/Outlook/tamsin.pst";
    let upper = data.replace("tamsin.pst", "TAMSIN.PST");
    std::fs::rename(bench.path(data), bench.path(&upper)).unwrap();
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let outlook = item(&survey, "tamsin/mail/outlook-data");
    assert_eq!(
        outlook["cautions"].as_array().unwrap().len(),
        1,
        "in other letters it is the same: {outlook}"
    );
    std::fs::remove_file(bench.path(&upper)).unwrap();
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let outlook = item(&survey, "tamsin/mail/outlook-data");
    assert_eq!(outlook["files"], 0);
    // Both files that its profile names are missed.
    assert_eq!(outlook["cautions"].as_array().unwrap().len(), 2, "{outlook}");
    let mail = ["--only", "tamsin/mail/*", "--quiet"];
    bench.porter(&[&["capture", "LOFT-PC", "trunk"], &mail[..]].concat()).with_status(0);
    let names = ["--account", "tamsin=tamsin.okafor"];
    bench
        .porter(&[&["restore", "trunk", "TIDEWATER", "--yes"], &names[..], &mail[..]].concat())
        .with_status(0);
    let check = ["check", "trunk", "TIDEWATER", "--json", "-"];
    let receipt = bench.porter(&[&check, &names[..]].concat()).with_status(0).json();
    assert_eq!(item(&receipt, "tamsin/mail/outlook-data")["verdict"], "kept_in_trunk");
    let by_hand = receipt["mail_by_hand"].as_array().unwrap();
    let steps = by_hand.iter().find(|row| row["item"] == "tamsin/mail/outlook-data").unwrap();
    assert_eq!(steps["accounts"][0]["outgoing"]["encryption"], "starttls");
    assert!(steps["steps"][0].as_str().unwrap().starts_with("Set up the account desk@saltmarsh.example"));
}

#[test]
fn a_profile_of_a_later_version_stays_in_the_trunk_unless_somebody_wants_it() {
    let bench = Workbench::with_demo_machines();
    let profile = "Users/odile/AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default";
    let versions = format!("LOFT-PC/{profile}/compatibility.ini");
    bench.write(&versions, "[Compatibility]\r\nLastVersion=152.0_20260101/20260101\r\n");
    bench.porter(&["capture", "LOFT-PC", "trunk", "--only", "odile/mail/*", "--quiet"]).with_status(0);
    let restore = ["restore", "trunk", "TIDEWATER", "--yes", "--quiet"];
    bench.porter(&restore);
    assert!(!bench.path(&format!("TIDEWATER/{profile}")).exists());
    let receipt = bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-"]).json();
    let left = item(&receipt, "odile/mail/thunderbird/default");
    assert_eq!(left["reasons"][0]["details"]["code"], "newer-than-program", "{left}");
    assert_eq!(left["counts"][0]["landed"], 0, "what did not land counts as nothing: {left}");
    bench.porter(&[&restore[..], &["--newer-profiles", "carry"]].concat()).with_status(0);
    assert!(bench.path(&format!("TIDEWATER/{profile}/prefs.js")).exists());
}

#[test]
fn a_trunk_that_claims_folders_of_the_system_as_mail_brings_nothing_there() {
    let bench = Workbench::with_demo_machines();
    bench
        .porter(&["capture", "LOFT-PC", "trunk", "--form", "open", "--only", "odile/mail/*", "--quiet"])
        .with_status(0);
    let folder = "Documents/Old mail";
    assert!(
        bench.path("trunk/data/odile").exists()
            && bench.path(&format!("LOFT-PC/Users/odile/{folder}")).exists()
    );
    // The part, and each entry in it, say that they come from the system's own folder.
    for list in ["porter/items.json", "porter/entries.jsonl"] {
        crate::workbench::forge(&bench.path("trunk"), list, |text| {
            text.replace("\"place\": \"documents\"", "\"place\": \"drive-root\"")
                .replace("\"place\":\"documents\"", "\"place\":\"drive-root\"")
                .replace("Old mail", "Windows/System32/Old mail")
        });
    }
    // On the machine that it came from each folder would go back to where it was.
    for machine in ["TIDEWATER", "LOFT-PC"] {
        let before = bench.snapshot(&format!("{machine}/Windows"));
        bench.porter(&["restore", "trunk", machine, "--yes", "--quiet"]);
        assert_eq!(bench.snapshot(&format!("{machine}/Windows")), before, "{machine}");
    }
}
