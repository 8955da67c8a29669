//! Which system, which people, which places.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Catalogue;
use porter_machine::facts::{AccountFacts, SystemFacts};
use porter_machine::layout::Family;
use porter_machine::{NotRecognised, Place, PlaceState, recognise, recognise_with};
use std::sync::Arc;

fn volume(paths: &[&str]) -> ScriptedVolume {
    let mut volume = ScriptedVolume::default();
    for at in paths {
        volume.add(at, Script::File(b"x".to_vec()));
    }
    volume
}

#[test]
fn each_generation_of_windows_is_told_by_its_folders() {
    let vista = ["Windows/System32/a.dll", "Users/odile/NTUSER.DAT"];
    let xp = ["Documents and Settings/odile/NTUSER.DAT"];
    for (paths, product, version) in [
        (vista.to_vec(), "Windows Vista or 7", "6.0 or 6.1"),
        ([&vista[..], &["Program Files/WindowsApps/a"]].concat(), "Windows 8 or 8.1", "6.2 or 6.3"),
        ([&vista[..], &["Windows/SystemApps/a"]].concat(), "Windows 10 or 11", "10.0"),
        ([&xp[..], &["WINDOWS/system32/a.dll"]].concat(), "Windows XP", "5.1"),
        ([&xp[..], &["WINNT/system32/a.dll"]].concat(), "Windows 2000", "5.0"),
        // A copy through a system that changes case.
        (vec!["WINDOWS/SYSTEM32/A.DLL", "USERS/odile/ntuser.dat"], "Windows Vista or 7", "6.0 or 6.1"),
    ] {
        let machine = volume(&paths).recognised();
        assert_eq!(machine.system.product, product);
        assert_eq!(machine.system.version.as_deref(), Some(version));
        assert_eq!(machine.accounts.len(), 1, "{product}");
        assert!(machine.accounts[0].has_registry, "{product}");
    }
    for paths in [vec!["Users/odile/NTUSER.DAT"], vec!["Windows/System32/a.dll"], vec!["home/odile/a"]] {
        let refused = recognise(Arc::new(volume(&paths)), String::new());
        assert!(matches!(refused, Err(NotRecognised::NoSystem { .. })), "{paths:?}");
    }
}

#[test]
fn people_are_told_from_built_in_profiles_and_from_each_other() {
    let mut volume = volume(&[
        "Windows/System32/a.dll",
        "Users/Odile Marchetti/NTUSER.DAT",
        "Users/odile-marchetti/NTUSER.DAT",
        "Users/machine/NTUSER.DAT",
        "Users/DEFAULT/NTUSER.DAT",
        "Users/Public/Documents/a.txt",
        "Users/defaultuser0/NTUSER.DAT",
        "Users/desktop.ini",
    ]);
    volume.add("Users/All Users", Script::Link(b"../ProgramData".to_vec()));
    volume.add("Users/bram", Script::Link(b"D:\\bram".to_vec()));
    let machine = volume.recognised();
    let ids: Vec<&str> = machine.accounts.iter().map(|account| account.id.as_str()).collect();
    assert_eq!(ids, ["odile-marchetti", "machine-2", "odile-marchetti-2"]);
    assert_eq!(machine.account("ODILE marchetti").map(|a| a.id.as_str()), Some("odile-marchetti"));
    assert_eq!(machine.account("machine").map(|a| a.id.as_str()), Some("machine-2"));
    // By id first: both accounts could be meant.
    assert_eq!(machine.account("odile-marchetti").unwrap().name, b"Odile Marchetti");
    assert!(machine.not_people.contains(&b"bram".to_vec()), "a link is nobody's profile folder");
}

#[test]
fn places_are_found_in_any_case_and_never_through_links() {
    let mut volume =
        volume(&["Windows/System32/a.dll", "Users/odile/NTUSER.DAT", "Users/odile/DOCUMENTS/a.txt"]);
    volume.add("Users/odile/Music", Script::Link(b"D:\\Music".to_vec()));
    volume.add("Users/odile/AppData", Script::Link(b"E:\\AppData".to_vec()));
    volume.add("Users/odile/Videos", Script::File(b"not a folder".to_vec()));
    let machine = volume.recognised();
    let odile = machine.account("odile").unwrap();
    let found = |place| machine.place(Some(odile), place).unwrap();
    assert_eq!(found(Place::Documents).path, crate::stand_ins::path("Users/odile/DOCUMENTS"));
    assert_eq!(found(Place::Documents).state, PlaceState::Present);
    assert_eq!(found(Place::Downloads).state, PlaceState::Absent);
    assert_eq!(found(Place::Music).state, PlaceState::IsLink);
    assert_eq!(found(Place::LocalData).state, PlaceState::IsLink, "below a link");
    assert_eq!(found(Place::Videos).state, PlaceState::IsFile);
    assert!(machine.place(None, Place::Documents).is_none(), "the machine itself has no documents");
    for place in Place::all() {
        assert_eq!(Place::from_name(place.name()), Some(place));
        assert!(machine.place(place.is_personal().then_some(odile), place).is_some(), "{place:?}");
    }
}

#[test]
fn what_the_system_wrote_down_counts_more_than_folders() {
    let volume = volume(&[
        "Windows/System32/a.dll",
        "Users/odile/NTUSER.DAT",
        "Users/odile/Documents/before it was moved.txt",
        "Users/tamsin.LOFT/NTUSER.DAT",
        "D:/Papers/a.txt",
        "D:/Profiles/bram/NTUSER.DAT",
    ]);
    let account = |name: &str, home: &str, places: &[(Place, &str)]| AccountFacts {
        name: name.as_bytes().to_vec(),
        home: crate::stand_ins::path(home),
        places: places.iter().map(|(place, at)| (*place, crate::stand_ins::path(at))).collect(),
        ..AccountFacts::default()
    };
    let facts = SystemFacts {
        name: Some("LOFT-PC".to_owned()),
        product: Some("Windows 7 Professional".to_owned()),
        accounts: vec![
            account(
                "Odile",
                "users/ODILE",
                &[(Place::Documents, "D:/papers"), (Place::Music, "E:/Music"), (Place::Pictures, "Users")],
            ),
            account("tamsin", "Users/tamsin.LOFT", &[(Place::Desktop, "Users/tamsin.LOFT")]),
            account("bram", "D:/Profiles/bram", &[]),
            account("never here", "Users/never here", &[]),
        ],
        ..SystemFacts::default()
    };
    let machine = recognise_with(Arc::new(volume), "folder".to_owned(), Some(facts)).unwrap();
    assert_eq!(
        (machine.name.as_str(), machine.system.product.as_str()),
        ("LOFT-PC", "Windows 7 Professional")
    );
    let homes: Vec<(&str, String)> =
        machine.accounts.iter().map(|account| (account.id.as_str(), account.home.to_string())).collect();
    let expected = [
        ("odile", "Users/odile".to_owned()),
        ("bram", "D:/Profiles/bram".to_owned()),
        ("tamsin", "Users/tamsin.LOFT".to_owned()),
    ];
    assert_eq!(homes, expected);
    let place = |account: &str, place| {
        let found = machine.place(machine.account(account), place).unwrap();
        (found.path.to_string(), found.state)
    };
    assert_eq!(place("odile", Place::Documents), ("D:/Papers".to_owned(), PlaceState::Present));
    assert_eq!(
        place("odile", Place::Music),
        ("E:/Music".to_owned(), PlaceState::Unreadable),
        "no such drive"
    );
    let usual = ("Users/odile/Pictures".to_owned(), PlaceState::Absent);
    assert_eq!(place("odile", Place::Pictures), usual, "a place that holds the home is not believed");
    assert_eq!(place("tamsin", Place::Desktop).0, "Users/tamsin.LOFT/Desktop", "nor one that is the home");
}

#[test]
fn linux_tells_its_people_and_where_they_keep_what() {
    let mut volume =
        volume(&["home/tamsin/a.txt", "home/lost+found/x", "home/.snapshots/x", "data/music/a.mp3"]);
    for (at, content) in [
        ("etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\nVERSION_ID=3\n"),
        ("etc/hostname", "sailroom\n"),
        ("etc/passwd", "root:x:0:0::/root:/bin/sh\nodile:x:1000:1000:Odile Marchetti:/home/odile:/bin/sh\n"),
        ("etc/group", "wheel:x:10:odile\n"),
        (
            "home/odile/.config/user-dirs.dirs",
            "XDG_MUSIC_DIR=\"/data/music\"\nXDG_DOCUMENTS_DIR=\"$HOME/Papiere\"\n",
        ),
        ("home/odile/Papiere/plan.txt", "x"),
        ("home/odile/documents/other case.txt", "x"),
    ] {
        volume.add(at, Script::File(content.as_bytes().to_vec()));
    }
    volume.add("backup", Script::Mounted);
    let machine = volume.recognised();
    assert_eq!((machine.name.as_str(), machine.system.product.as_str()), ("sailroom", "Kite Linux 3"));
    let ids: Vec<&str> = machine.accounts.iter().map(|account| account.id.as_str()).collect();
    assert_eq!(ids, ["odile", "tamsin"], "a home without an account is somebody's all the same");
    let odile = machine.account("odile").unwrap();
    assert_eq!((odile.full_name.as_deref(), odile.is_administrator), (Some("Odile Marchetti"), Some(true)));
    let at = |place| machine.place(Some(odile), place).unwrap().path.to_string();
    assert_eq!((at(Place::Documents), at(Place::Music)), ("home/odile/Papiere".into(), "data/music".into()));
    assert_eq!(machine.records_folder(), Some(crate::stand_ins::path("var/lib/loyal-porter")));
    let catalogue = Catalogue::built_in(Family::Linux).unwrap();
    let items = Kinds::from(catalogue).find_items(&machine);
    let ids: Vec<&str> = items.iter().filter_map(|item| item.id.strip_prefix("machine/")).collect();
    assert_eq!(
        ids,
        ["account/odile", "folder/drive/data", "setting/computer-name"],
        "another volume is no item"
    );
}

#[test]
fn what_people_put_at_the_root_of_the_drive_becomes_items() {
    let machine = volume(&[
        "Windows/System32/a.dll",
        "Users/odile/NTUSER.DAT",
        "Kite Plans/a.txt",
        "kite-plans/b.txt",
        "Loose files/c.txt",
        "Intel/driver.inf",
        "$Recycle.Bin/S-1-5/x",
        "scan.pdf",
        "pagefile.sys",
    ])
    .recognised();
    let items = crate::stand_ins::kinds().find_items(&machine);
    let ids: Vec<&str> =
        items.iter().filter_map(|item| item.id.strip_prefix("machine/folder/drive/")).collect();
    assert_eq!(ids, ["kite-plans", "loose-files-2", "kite-plans-2", "loose-files"]);
    let not_covered = porter_core::survey::not_covered(&machine, &crate::stand_ins::kinds());
    let names: Vec<String> = not_covered.iter().map(|(path, _)| path.to_string()).collect();
    assert_eq!(names, ["$Recycle.Bin", "Intel", "Windows", "pagefile.sys"]);
}
