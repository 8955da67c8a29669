//! The registry of a Windows that does not run: its people, wherever their profiles are, and the facts about
//! them.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{KeyTree, ValueKind};
use porter_machine::account::Origin;
use porter_machine::registry::hives::HiveTrouble;
use porter_machine::{Machine, Place, PlaceState};

const SID: &str = "S-1-5-21-1-2-3";

fn hive(root: &KeyTree) -> Script {
    let heading = Heading { version: Version::V1_3, last_written: 1, sequence: 1, file_name: "h".to_owned() };
    Script::File(to_bytes(root, &heading).unwrap())
}

/// A machine with these hives in its configuration folder.
fn machine(mut volume: ScriptedVolume, hives: &[(&str, &KeyTree)]) -> Machine {
    for (name, root) in hives {
        volume.add(&format!("Windows/System32/config/{name}"), hive(root));
    }
    volume.recognised()
}

fn software(profiles: &[(&str, &str)]) -> KeyTree {
    let mut root = KeyTree::new("SOFTWARE");
    let current = root.key("Microsoft\\Windows NT\\CurrentVersion");
    current.set_text("ProductName", "Windows 7 Professional").set_text("SystemRoot", "C:\\Windows");
    for (sid, folder) in profiles {
        current.key(&format!("ProfileList\\{sid}")).set_expand_text("ProfileImagePath", folder);
    }
    root
}

/// `V` and `F` of an account.
type User = (Vec<u8>, Vec<u8>);

fn user(name: &str, full_name: &str, flags: u16, last: u64) -> User {
    let mut v = vec![0; 0xcc];
    let mut texts = Vec::new();
    for (row, text) in [(1, name), (2, full_name)] {
        let text: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        v[row * 12..row * 12 + 4].copy_from_slice(&(texts.len() as u32).to_le_bytes());
        v[row * 12 + 4..row * 12 + 8].copy_from_slice(&(text.len() as u32).to_le_bytes());
        texts.extend(text);
    }
    v.extend(texts);
    let mut f = vec![0; 80];
    f[8..16].copy_from_slice(&last.to_le_bytes());
    f[56..58].copy_from_slice(&flags.to_le_bytes());
    (v, f)
}

fn sam(users: &[(&str, User)], administrators: &[u8]) -> KeyTree {
    let mut root = KeyTree::new("SAM");
    let account = root.key("SAM\\Domains\\Account");
    account.set("V", ValueKind::Bytes, [1_u32, 2, 3].map(u32::to_le_bytes).concat());
    for (number, (v, f)) in users {
        account.key(&format!("Users\\{number}")).set("V", ValueKind::Bytes, v.clone()).set(
            "F",
            ValueKind::Bytes,
            f.clone(),
        );
    }
    account.key("Users\\Names\\odile");
    root.key("SAM\\Domains\\Builtin\\Aliases\\00000220").set("C", ValueKind::Bytes, administrators);
    root
}

#[test]
fn people_are_found_wherever_their_profiles_are() {
    let mut volume = ScriptedVolume::windows();
    for home in ["Users/tamsin.LOFT-PC", "Users/tamsin", "Profiles/bram", "Users/Default"] {
        volume.add(&format!("{home}/NTUSER.DAT"), Script::File(b"no hive".to_vec()));
    }
    let software = software(&[
        ("S-1-5-18", "%systemroot%\\system32\\config\\systemprofile"),
        (&format!("{SID}-1001"), "%SystemDrive%\\Users\\odile"),
        // A damaged profile, and the one that Windows made instead.
        (&format!("{SID}-1002"), "C:\\Users\\tamsin.LOFT-PC"),
        (&format!("{SID}-1002.bak"), "C:\\Users\\tamsin"),
        // A damaged profile that is all there is.
        ("S-1-12-1-7-8-9-10.bak", "c:/profiles/BRAM"),
        (&format!("{SID}-1004"), "C:\\Users\\never signed in"),
        (&format!("{SID}-1005"), "Users\\not absolute"),
    ]);
    let machine = machine(volume, &[("SOFTWARE", &software)]);
    let homes: Vec<(String, String, Option<&str>)> = machine
        .accounts
        .iter()
        .map(|account| (account.id.clone(), account.home.to_string(), account.identifier.as_deref()))
        .collect();
    let expected = [
        ("bram", "Profiles/bram", Some("S-1-12-1-7-8-9-10")),
        ("odile", "Users/odile", Some("S-1-5-21-1-2-3-1001")),
        // Its own folder, without an account: still somebody's things.
        ("tamsin", "Users/tamsin", None),
        ("tamsin-loft-pc", "Users/tamsin.LOFT-PC", Some("S-1-5-21-1-2-3-1002")),
    ];
    let expected = expected.map(|(id, home, sid)| (id.to_owned(), home.to_owned(), sid));
    assert_eq!(homes, expected);
    // Each person's own hive is named if it is none.
    let named: Vec<String> = machine.registry_troubles.iter().map(|(path, _)| path.to_string()).collect();
    assert!(named.contains(&"Users/odile/NTUSER.DAT".to_owned()), "{named:?}");
    assert!(matches!(machine.registry_troubles[0].1, HiveTrouble::Unreadable(_)));
}

#[test]
fn folders_are_where_the_persons_own_registry_says() {
    let mut volume = ScriptedVolume::default();
    volume.add("Windows/System32", Script::Folder);
    let mut own = KeyTree::new("own");
    let folders = own.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders");
    folders.set_expand_text("Personal", "%USERPROFILE%\\Eigene Dateien");
    folders.set_text("My Music", "E:\\Music").set_text("My Pictures", "\\\\loft\\people\\odile\\Pictures");
    folders.set_expand_text("Desktop", "%NOBODY%\\Desktop").set_number("My Video", 7);
    own.key("Software\\Microsoft\\Windows\\CurrentVersion\\Uninstall\\wind")
        .set_text("DisplayName", "Windrose");
    volume.add("Users/odile/NTUSER.DAT", hive(&own));
    volume.add("Users/odile/Eigene Dateien/plan.txt", Script::File(b"x".to_vec()));
    volume.add("E:/Music/gale.wav", Script::File(b"x".to_vec()));
    // The system calls its own drive D:.
    let mut software = software(&[(&format!("{SID}-1001"), "D:\\Users\\odile")]);
    software.key("Microsoft\\Windows NT\\CurrentVersion").set_text("SystemRoot", "D:\\Windows");
    let machine = machine(volume, &[("SOFTWARE", &software)]);
    let odile = machine.account("odile").unwrap();
    let found = |place| {
        let found = machine.place(Some(odile), place).unwrap();
        (found.path.to_string(), found.state)
    };
    assert_eq!(found(Place::Documents), ("Users/odile/Eigene Dateien".to_owned(), PlaceState::Present));
    assert_eq!(found(Place::Music), ("E:/Music".to_owned(), PlaceState::Present));
    assert_eq!(found(Place::Pictures).1, PlaceState::Unreadable, "a server that is not there");
    assert_eq!(
        found(Place::Desktop).0,
        "Users/odile/Desktop",
        "what cannot be understood is where it always is"
    );
    assert_eq!(found(Place::Videos).0, "Users/odile/Videos");
    assert_eq!(machine.programs.len(), 1);
    assert_eq!(
        (machine.programs[0].name.as_str(), machine.programs[0].account.as_deref()),
        ("Windrose", Some("odile"))
    );
}

#[test]
fn the_control_set_in_force_tells_the_name() {
    let mut system = KeyTree::new("SYSTEM");
    system.key("Select").set_number("Current", 2);
    for (set, name) in [("ControlSet001", "OLD-NAME"), ("ControlSet002", "LOFT-PC")] {
        system.key(&format!("{set}\\Control\\ComputerName\\ComputerName")).set_text("ComputerName", name);
    }
    let environment = system.key("ControlSet002\\Control\\Session Manager\\Environment");
    environment.set_text("PROCESSOR_ARCHITECTURE", "AMD64").set_text("PROCESSOR_IDENTIFIER", "Family 6");
    let machine = machine(ScriptedVolume::windows(), &[("SYSTEM", &system)]);
    assert_eq!(machine.name, "LOFT-PC");
    assert_eq!(machine.system.processor.as_deref(), Some("AMD64, Family 6"));
    assert_eq!(machine.system.product, "Windows Vista or 7", "without SOFTWARE the folders tell");
}

#[test]
fn accounts_tell_names_rights_and_sign_ins_and_lies_in_them_harm_nobody() {
    // A group of 200 members, one of whom is there; the SID is that of odile.
    let member = [1, 5, 0, 0, 0, 0, 0, 5]
        .into_iter()
        .chain([21, 1, 2, 3, 1001_u32].into_iter().flat_map(u32::to_le_bytes));
    let mut group = vec![0; 52];
    group[48..52].copy_from_slice(&200_u32.to_le_bytes());
    group.extend(member);
    // 2026-11-23, 08:00 UTC.
    let odile = user("odile", "Odile Marchetti", 0x0210, 134_398_944_000_000_000);
    let (mut lying, f) = user("tamsin", "Tamsin Okafor", 0x0211, 0);
    lying[28..32].copy_from_slice(&u32::MAX.to_le_bytes());
    let users = [
        ("000003E9", odile),
        ("000003EA", (lying, f)),
        ("000003EB", (vec![1, 2, 3], vec![])),
        ("odd", (vec![], vec![])),
    ];
    let sam = sam(&users, &group);
    let mut volume = ScriptedVolume::windows();
    for home in ["t", "b"] {
        volume.add(&format!("Users/{home}/a.txt"), Script::File(b"x".to_vec()));
    }
    // Somebody of a domain, and somebody of a firm at Microsoft, are none of the machine's own accounts.
    for home in ["guest", "firm"] {
        volume.add(&format!("Users/{home}/a.txt"), Script::File(b"x".to_vec()));
    }
    let profiles = [("1001", "odile"), ("1002", "t"), ("1003", "b")];
    let profiles = profiles.map(|(number, home)| (format!("{SID}-{number}"), format!("C:\\Users\\{home}")));
    let mut profiles: Vec<(&str, &str)> =
        profiles.iter().map(|(sid, home)| (sid.as_str(), home.as_str())).collect();
    profiles.push(("S-1-5-21-9-9-9-1104", "C:\\Users\\guest"));
    profiles.push(("S-1-12-1-7-7-7-7", "C:\\Users\\firm"));
    let machine = machine(volume, &[("SOFTWARE", &software(&profiles)), ("SAM", &sam)]);
    let ids: Vec<&str> = machine.accounts.iter().map(|account| account.id.as_str()).collect();
    assert_eq!(
        ids,
        ["b", "firm", "guest", "odile", "tamsin"],
        "names from the accounts, else from the folders"
    );
    let [nameless, firm, guest, odile, tamsin] = &machine.accounts[..] else { panic!() };
    assert_eq!(odile.record.origin, Some(Origin::Local));
    assert_eq!(guest.record.origin, Some(Origin::Domain { name: None }));
    assert_eq!(firm.record.origin, Some(Origin::WorkOrSchool));
    assert_eq!((odile.full_name.as_deref(), odile.is_administrator), (Some("Odile Marchetti"), Some(true)));
    assert_eq!(odile.last_used_utc, Some(crate::stand_ins::NOW));
    assert_eq!((tamsin.is_disabled, tamsin.is_administrator), (Some(true), Some(false)));
    assert_eq!(tamsin.full_name, None, "a text that would lie outside is not told");
    assert_eq!((nameless.is_disabled, &nameless.full_name), (None, &None));
}

/// A German Windows XP: every name but `All Users` is another.
fn german(with_registry: bool) -> ScriptedVolume {
    let mut volume = ScriptedVolume::default();
    volume.add("WINDOWS/system32", Script::Folder);
    let people = "Dokumente und Einstellungen";
    for (at, content) in [
        ("odile/Eigene Dateien/plan.txt", "spar"),
        ("odile/Eigene Dateien/Eigene Bilder/dawn.jpg", "x"),
        ("odile/Favoriten/board.url", "x"),
        ("odile/Anwendungsdaten/Kites/settings.ini", "x"),
        ("odile/Lokale Einstellungen/Anwendungsdaten/Kites/log", "x"),
        ("odile/NTUSER.DAT", "x"),
        ("All Users/Dokumente/rules.txt", "x"),
        ("All Users/Anwendungsdaten/Kites/shared.ini", "x"),
    ] {
        volume.add(&format!("{people}/{at}"), Script::File(content.into()));
    }
    if with_registry {
        let mut software =
            software(&[(&format!("{SID}-1001"), "%SystemDrive%\\Dokumente und Einstellungen\\odile")]);
        software
            .key("Microsoft\\Windows NT\\CurrentVersion\\ProfileList")
            .set_expand_text("ProfilesDirectory", "%SystemDrive%\\Dokumente und Einstellungen")
            .set_text("AllUsersProfile", "All Users");
        software
            .key("Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders")
            .set_expand_text("Common Documents", "%ALLUSERSPROFILE%\\Dokumente")
            .set_expand_text("Common AppData", "%ALLUSERSPROFILE%\\Anwendungsdaten");
        volume.add("WINDOWS/system32/config/SOFTWARE", hive(&software));
    }
    volume
}

#[test]
fn a_windows_in_another_language_is_understood_with_its_registry_and_without() {
    for with_registry in [true, false] {
        let machine = german(with_registry).recognised();
        let ids: Vec<&str> = machine.accounts.iter().map(|account| account.id.as_str()).collect();
        assert_eq!(ids, ["odile"], "with its registry: {with_registry}");
        let odile = machine.account("odile").unwrap();
        let at = |owner, place| machine.place(owner, place).unwrap().path.to_string();
        let home = "Dokumente und Einstellungen/odile";
        for (place, below) in [
            (Place::Documents, "Eigene Dateien"),
            (Place::Pictures, "Eigene Dateien/Eigene Bilder"),
            (Place::Favourites, "Favoriten"),
            (Place::RoamingData, "Anwendungsdaten"),
            (Place::LocalData, "Lokale Einstellungen/Anwendungsdaten"),
        ] {
            assert_eq!(at(Some(odile), place), format!("{home}/{below}"));
        }
        let everybody = "Dokumente und Einstellungen/All Users";
        assert_eq!(at(None, Place::SharedDocuments), format!("{everybody}/Dokumente"));
        assert_eq!(
            machine.records_folder().unwrap().to_string(),
            format!("{everybody}/Anwendungsdaten/Loyal Porter")
        );
    }
}

#[test]
fn without_the_list_of_profiles_people_are_told_by_accounts_and_folders() {
    let member = [0; 52].to_vec();
    let sam = sam(&[("000003E9", user("odile", "Odile Marchetti", 0x0210, 0))], &member);
    let mut own = KeyTree::new("own");
    own.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders")
        .set_expand_text("Personal", "%USERPROFILE%\\Papers");
    for software in [None, Some(b"regf, and then nothing".to_vec())] {
        let mut volume = ScriptedVolume::windows();
        volume.add("Users/odile/NTUSER.DAT", hive(&own));
        volume.add("Users/odile/Papers/plan.txt", Script::File(b"x".to_vec()));
        let is_gone = software.is_none();
        if let Some(cut) = software {
            volume.add("Windows/System32/config/SOFTWARE", Script::File(cut));
        }
        let machine = machine(volume, &[("SAM", &sam), ("SYSTEM", &KeyTree::new("SYSTEM"))]);
        let odile = machine.account("odile").unwrap();
        assert_eq!(odile.full_name.as_deref(), Some("Odile Marchetti"));
        assert_eq!(
            machine.place(Some(odile), Place::Documents).unwrap().path.to_string(),
            "Users/odile/Papers"
        );
        let [(path, trouble)] = &machine.registry_troubles[..] else {
            panic!("{:?}", machine.registry_troubles)
        };
        assert_eq!(path.to_string(), "Windows/System32/config/SOFTWARE");
        assert_eq!(*trouble == HiveTrouble::Missing, is_gone);
    }
}

#[test]
fn systems_of_a_time_before_people_had_folders_are_named() {
    let mut volume = ScriptedVolume::default();
    for file in ["WIN.COM", "SYSTEM.DAT", "USER.DAT", "SYSTEM32/DRIVERS/a.sys"] {
        volume.add(&format!("WINDOWS/{file}"), Script::File(b"CREG".to_vec()));
    }
    let refused = porter_machine::recognise(std::sync::Arc::new(volume), String::new());
    let error = refused.err().map(|error| error.to_string()).unwrap();
    assert!(error.contains("Windows 95, 98 or ME") && error.contains("too old"), "{error}");
}
