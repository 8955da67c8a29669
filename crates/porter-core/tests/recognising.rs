//! Which system, which people, which places.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod stand_ins;

use porter_core::kinds::find_items;
use porter_core::machine::{NotRecognised, Place, PlaceState, recognise};
use stand_ins::{Script, ScriptedVolume};
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
    assert_eq!(found(Place::Documents).path, stand_ins::path("Users/odile/DOCUMENTS"));
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
    let items = find_items(&machine, &stand_ins::catalogue());
    let ids: Vec<&str> =
        items.iter().filter_map(|item| item.id.strip_prefix("machine/folder/drive/")).collect();
    assert_eq!(ids, ["kite-plans", "loose-files-2", "kite-plans-2", "loose-files"]);
    let not_covered = porter_core::survey::not_covered(&machine, &stand_ins::catalogue());
    let names: Vec<String> = not_covered.iter().map(|(path, _)| path.to_string()).collect();
    assert_eq!(names, ["$Recycle.Bin", "Intel", "Windows", "pagefile.sys"]);
}
