//! Settings and printers, as each system wrote them down, and whether another machine has them.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{Hive, KeyTree};
use porter_kinds::values::is_met;
use porter_machine::registry::describe::encrypted_with;
use porter_machine::registry::settings::{of_machine, of_person};
use porter_machine::time_zone::{iana_name, windows_name};
use porter_machine::{Setting, SettingKind};
use porter_names::Facts;
use porter_trunk::TrunkItem;
use std::collections::BTreeMap;

fn hive(root: &KeyTree) -> Hive {
    let heading = Heading { version: Version::V1_5, last_written: 0, sequence: 1, file_name: String::new() };
    Hive::from_bytes(to_bytes(root, &heading).unwrap()).unwrap()
}

/// By id, in one line each.
fn shown(settings: &[Setting]) -> BTreeMap<&str, String> {
    let line =
        |facts: &Facts| facts.iter().map(|(name, value)| format!("{name}={value}")).collect::<Vec<_>>();
    settings.iter().map(|setting| (setting.id.as_str(), line(&setting.facts).join("; "))).collect()
}

#[test]
fn a_windows_tells_its_printers_wherever_its_generation_keeps_them() {
    let mut system = KeyTree::new("SYSTEM");
    system.key("Control\\ComputerName\\ComputerName").set_text("ComputerName", "LOFT-PC");
    // The earlier text stays behind the first NUL.
    system.key("Control\\TimeZoneInformation").set_text("TimeZoneKeyName", "Romance Standard Time\0 Time");
    let variables = system.key("Control\\Session Manager\\Environment");
    variables.set_text("Path", "C:\\Windows").set_text("KITES", "7");
    let old = system.key("Control\\Print\\Printers\\Front desk");
    old.set_text("Port", "IP_192.0.2.20")
        .set_text("Printer Driver", "Laser 200")
        .set_text("Share Name", "front");
    system
        .key("Control\\Print\\Monitors\\Standard TCP/IP Port\\Ports\\IP_192.0.2.20")
        .set_text("HostName", "")
        .set_text("IPAddress", "192.0.2.20");
    let mut software = KeyTree::new("SOFTWARE");
    let print = software.key("Microsoft\\Windows NT\\CurrentVersion\\Print");
    for (name, port) in
        [("Fax", "SHRFAX:"), ("To PDF", "portprompt:"), ("Sail labels", "USB001"), ("Front desk", "LPT1:")]
    {
        print.key(&format!("Printers\\{name}")).set_text("Port", port);
    }
    system.key("Control\\BitlockerStatus").set_number("BootStatus", 1);
    let (software, system) = (hive(&software), hive(&system));
    assert_eq!(encrypted_with(&system.root().unwrap()).as_deref(), Some("BitLocker"));
    assert_eq!(encrypted_with(&software.root().unwrap()), None);
    let settings = of_machine(Some(&software.root().unwrap()), Some(&system.root().unwrap()));
    let expected = [
        ("computer-name", "name=LOFT-PC"),
        ("environment", "KITES=7"),
        (
            "front-desk",
            "address=192.0.2.20; driver=Laser 200; name=Front desk; port=IP_192.0.2.20; shared-as=front",
        ),
        ("sail-labels", "name=Sail labels; port=USB001"),
        ("time-zone", "iana=Europe/Paris; windows=Romance Standard Time"),
    ];
    assert_eq!(shown(&settings), expected.map(|(id, line)| (id, line.to_owned())).into());
    assert!(of_machine::<porter_hive::Key<'_>>(None, None).is_empty());
}

#[test]
fn a_windows_tells_its_plan_its_shares_its_sources_and_where_drivers_came_from() {
    let mut system = KeyTree::new("SYSTEM");
    let plans = "Control\\Power\\User\\PowerSchemes";
    let balanced = "381b4222-f694-41f0-9685-ff5bb260df2e";
    system.key(plans).set_text("ActivePowerScheme", balanced);
    let shares = system.key("Services\\LanmanServer\\Shares");
    shares.set_texts("plans", &["MaxUses=4294967295", "Path=C:\\Kite Plans", "Remark=All kites", "Type=0"]);
    // A printer that is shared, a share without a folder, and one of another type.
    shares.set_texts("Front desk", &["Path=Front desk,LocalsplOnly", "Type=1"]).set_texts("x", &["Type=0"]);
    shares.set_text("y", "Path=C:\\");
    let environments = "Control\\Print\\Environments";
    system
        .key(&format!("{environments}\\Windows x64\\Drivers\\Version-4\\Laser 200"))
        .set_text("DriverVersion", "6.1.0.4")
        .set_text("InfPath", "C:\\Windows\\System32\\DriverStore\\FileRepository\\l.inf_amd64_1\\l.inf");
    system.key(&format!("{environments}\\Windows NT x86\\Drivers\\Version-3\\Label 4"));
    for (name, driver) in [("Front desk", "Laser 200"), ("Labels", "Label 4"), ("Odd", "Unknown")] {
        system
            .key(&format!("Control\\Print\\Printers\\{name}"))
            .set_text("Port", "LPT1:")
            .set_text("Printer Driver", driver);
    }
    let mut software = KeyTree::new("SOFTWARE");
    for (root, name) in [("", "Order book"), ("Wow6432Node\\", "Old book")] {
        let key = format!("{root}ODBC\\ODBC.INI");
        software.key(&format!("{key}\\ODBC Data Sources")).set_text(name, "Harbour SQL");
        software
            .key(&format!("{key}\\{name}"))
            .set_text("Driver", "C:\\x.dll")
            .set_text("pwd", "secret")
            .set_text("Server", "harbour");
    }
    let read = |software: &KeyTree, system: &KeyTree| {
        let (software, system) = (hive(software), hive(system));
        of_machine(Some(&software.root().unwrap()), Some(&system.root().unwrap()))
    };
    let settings = read(&software, &system);
    let expected = [
        (
            "front-desk",
            "driver=Laser 200; driver-package=l.inf_amd64_1; driver-processor=x64; driver-version=6.1.0.4; name=Front desk; port=LPT1:",
        ),
        ("labels", "driver=Label 4; driver-processor=x86; name=Labels; port=LPT1:"),
        ("odbc/old-book-32-bit", "Server=harbour; bits=32; driver=Harbour SQL; name=Old book"),
        ("odbc/order-book-64-bit", "Server=harbour; bits=64; driver=Harbour SQL; name=Order book"),
        ("odd", "driver=Unknown; name=Odd; port=LPT1:"),
        ("share/plans", "comment=All kites; folder=C:\\Kite Plans; name=plans"),
    ];
    assert_eq!(shown(&settings), expected.map(|(id, line)| (id, line.to_owned())).into());

    // The plan is Windows' own, until somebody changes when it sleeps.
    let sleep = "238c9fa8-0aad-41ed-83f4-97be242c8f20\\29f6c1db-86da-48c5-9fdb-f2b67b1f44da";
    system.key(&format!("{plans}\\{balanced}\\{sleep}")).set_number("DCSettingIndex", 900);
    let settings = read(&software, &system);
    assert_eq!(shown(&settings)["power"], "plan=balanced; sleep-on-battery=900");
    system.key(plans).set_text("ActivePowerScheme", "01234567-89ab-cdef-0123-456789abcdef");
    let settings = read(&software, &system);
    assert_eq!(shown(&settings)["power"], "plan=01234567-89ab-cdef-0123-456789abcdef");
}

#[test]
fn a_persons_registry_tells_what_that_person_set() {
    let mut own = KeyTree::new("NTUSER.DAT");
    own.key("Control Panel\\International").set_text("LocaleName", "de-AT").set_text("Locale", "00000C07");
    own.key("Keyboard Layout\\Preload").set_text("2", "00000409").set_text("1", "00000c07");
    own.key("Control Panel\\Desktop")
        .set_text("Wallpaper", "C:\\Windows\\Web\\Wallpaper\\x.jpg")
        .set_text("WheelScrollLines", "5");
    own.key("Control Panel\\Mouse").set_text("SwapMouseButtons", "1");
    own.key("Control Panel\\Accessibility\\StickyKeys").set_text("Flags", "506");
    own.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced").set_number("HideFileExt", 0);
    let variables = own.key("Environment").set_text("TEMP", "x").set_text("KITES", "9");
    variables.set_text("A LIE", &"x".repeat(40_000));
    own.key("Network\\k").set_text("RemotePath", "\\\\tide\\kites").set_text("UserName", "TIDE\\odile");
    own.key("Printers\\Connections\\,,tide,Plans A1").set_text("Provider", "x");
    own.key("Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows")
        .set_text("Device", "Front desk,winspool,Ne00:");
    let own = hive(&own);
    let expected = [
        ("accessibility", "sticky-keys=506"),
        ("default-printer", "name=Front desk"),
        ("drive/k", "letter=K; server-folder=\\\\tide\\kites; signed-in-as=TIDE\\odile"),
        ("environment", "KITES=9"),
        ("file-view", "hide-extensions=0"),
        ("keyboard", "windows-layouts=00000c07 00000409"),
        ("locale", "name=de-AT; windows-id=00000C07"),
        ("mouse", "swap-buttons=1; wheel-lines=5"),
        ("tide-plans-a1", "name=Plans A1; server-printer=\\\\tide\\Plans A1"),
    ];
    assert_eq!(
        shown(&of_person(&own.root().unwrap())),
        expected.map(|(id, line)| (id, line.to_owned())).into()
    );
}

#[test]
fn a_linux_tells_its_settings_who_is_locked_out_and_what_is_installed() {
    let mut volume = ScriptedVolume::default();
    let mut lastlog = vec![0; 292 * 1001];
    lastlog[292 * 1000..292 * 1000 + 4].copy_from_slice(&1_700_000_000_u32.to_le_bytes());
    for (at, content) in [
        ("etc/os-release", b"NAME=Kite\n".to_vec()),
        ("etc/hostname", b"sailroom\n".to_vec()),
        ("etc/timezone", b"Asia/Kolkata\n".to_vec()),
        ("etc/default/locale", b"# set here\nLANG=\"en_IN.UTF-8\"\n".to_vec()),
        ("etc/default/keyboard", b"XKBMODEL=\"pc105\"\nXKBLAYOUT=\"in\"\n".to_vec()),
        ("etc/crypttab", b"# <name>\ndata UUID=1 none luks\n".to_vec()),
        (
            "etc/passwd",
            b"odile:x:1000:1000::/home/odile:/bin/sh\nbram:x:1001:1001::/home/bram:/bin/sh\nstall:x:1002:1002::/home/stall:/bin/sh\n"
                .to_vec(),
        ),
        ("etc/shadow", b"odile:$y$secret:1::::::\nbram:!$y$secret:1::::::\nstall:!:1::::::\n".to_vec()),
        ("home/odile/a.txt", b"x".to_vec()),
        ("home/bram/a.txt", b"x".to_vec()),
        ("home/bram/Access-Your-Private-Data.desktop", b"x".to_vec()),
        ("home/odile/.local/share/flatpak/app/org.example.Windrose/x", b"x".to_vec()),
        ("var/lib/snapd/snaps/kitecad_41.snap", b"x".to_vec()),
        ("var/lib/snapd/snaps/core22_7.snap", b"x".to_vec()),
        ("var/log/lastlog", lastlog),
    ] {
        volume.add(at, Script::File(content));
    }
    let machine = volume.recognised();
    let expected = [
        ("computer-name", "name=sailroom"),
        ("keyboard", "layouts=in"),
        ("locale", "name=en_IN.UTF-8"),
        ("time-zone", "iana=Asia/Kolkata; windows=India Standard Time"),
    ];
    assert_eq!(shown(&machine.settings), expected.map(|(id, line)| (id, line.to_owned())).into());
    let disabled: Vec<_> =
        machine.accounts.iter().map(|account| (account.id.as_str(), account.is_disabled)).collect();
    assert_eq!(disabled, [("bram", Some(true)), ("odile", Some(false))]);
    assert_eq!(machine.without_folder, ["stall"]);
    assert_eq!(machine.account("odile").unwrap().last_used_utc.unwrap().unix_timestamp(), 1_700_000_000);
    let programs: Vec<_> =
        machine.programs.iter().map(|program| (program.name.as_str(), program.account.as_deref())).collect();
    assert_eq!(programs, [("kitecad", None), ("org.example.Windrose", Some("odile"))]);
    let survey = crate::stand_ins::surveyed(&machine);
    let codes = |cautions: &[_]| serde_json::to_value(cautions).unwrap();
    assert_eq!(codes(&survey.cautions)[0], serde_json::json!({"code": "drive-encrypted", "with": "LUKS"}));
    assert_eq!(
        codes(&survey.accounts[0].cautions)[1],
        serde_json::json!({"code": "home-encrypted", "with": "eCryptfs"})
    );
}

#[test]
fn a_setting_has_landed_if_the_new_machine_means_the_same() {
    let met = |id: &str, kind, then: &[(&str, &str)], now: &[(&str, &str)]| {
        let facts = |rows: &[(&str, &str)]| -> Facts {
            rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
        };
        let item: TrunkItem = serde_json::from_value(serde_json::json!({
            "id": format!("machine/setting/{id}"), "kind": "setting", "account": null, "title": "", "chosen": true,
            "seen": {"files": 0, "folders": 0, "links": 0, "bytes": 0},
            "captured": {"files": 0, "folders": 0, "links": 0, "bytes": 0},
            "left": {"files": 0, "folders": 0, "links": 0, "bytes": 0},
            "facts": facts(then),
        }))
        .unwrap();
        is_met(
            &item,
            &Setting { kind, id: id.to_owned(), title: String::new(), facts: facts(now), wrong: Vec::new() },
        )
    };
    use SettingKind::Setting as Value;
    let lisbon = [("windows", "GMT Standard Time"), ("iana", "Europe/Lisbon")];
    let london = [("windows", "GMT Standard Time"), ("iana", "Europe/London")];
    assert!(met("time-zone", Value, &lisbon, &london), "Windows knows no difference");
    assert!(!met("time-zone", Value, &[("iana", "Antarctica/Troll")], &london));
    assert!(met(
        "locale",
        Value,
        &[("name", "en-GB"), ("windows-id", "00000809")],
        &[("name", "en_GB.UTF-8")]
    ));
    assert!(
        met("environment", Value, &[("A", "1")], &[("A", "1"), ("B", "2")]),
        "more than there was is no loss"
    );
    assert!(!met("environment", Value, &[("A", "1"), ("B", "2")], &[("A", "1")]));
    assert_eq!(
        (windows_name("Asia/Calcutta"), iana_name("Tokyo Standard Time")),
        (Some("India Standard Time"), Some("Asia/Tokyo"))
    );
    for (iana, windows) in [
        ("America/Toronto", "Eastern Standard Time"),
        ("Australia/Melbourne", "AUS Eastern Standard Time"),
        ("Europe/Sofia", "FLE Standard Time"),
        ("Europe/Kyiv", "FLE Standard Time"),
        ("Europe/Kiev", "FLE Standard Time"),
        ("US/Pacific", "Pacific Standard Time"),
    ] {
        assert_eq!(windows_name(iana), Some(windows), "{iana}");
    }
    assert_eq!((windows_name("Mars/Olympus"), iana_name("Mars Standard Time")), (None, None));
}
