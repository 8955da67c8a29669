//! Nothing that people miss is forgotten: what the built-in rules find on each system, where programs really
//! keep it.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_core::walk::{Grounds, Sight, walk};
use porter_kinds::Kinds;
use porter_kinds::catalogue::{CarryRule, Catalogue, Fate};
use porter_kinds::crossing::relocate::Relocation;
use porter_kinds::part::What;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::NameRules;
use porter_source::EntryKind;
use porter_trunk::{Content, Entry, EntryAddress, TrunkItem, TrunkPart};
use std::collections::BTreeMap;

/// A machine with these files, below the home where a path begins with `~`.
fn machine_with(system: &[&str], home: &str, rows: &[(&str, &str)]) -> Machine {
    let mut volume = ScriptedVolume::default();
    for file in system {
        volume.add(file, Script::File(b"odile:x:1000:1000::/home/odile:/bin/sh\nNAME=Kite\n".to_vec()));
    }
    for (path, _) in rows {
        volume.add(&path.replacen('~', home, 1), Script::File(b"x".to_vec()));
    }
    volume.recognised()
}

/// Each file belongs to the item beside it, and to no other.
fn each_is_found(machine: &Machine, home: &str, rows: &[(&str, &str)]) {
    let kinds = Kinds::from(Catalogue::built_in(machine.layout.family).unwrap());
    let items = kinds.find_items(machine);
    for (path, id) in rows {
        let path = crate::stand_ins::path(&path.replacen('~', home, 1));
        // The innermost part that holds it.
        let parts = items.iter().flat_map(|item| item.parts.iter().map(move |part| (item, part)));
        let holds = parts.filter(|(_, part)| part.what != What::LooseFiles).filter_map(|(item, part)| {
            let root = item.path_of(part, machine).filter(|root| path.is_within(root))?;
            Some((root.steps().count(), item.id.as_str()))
        });
        assert_eq!(holds.max().map(|(_, id)| id), Some(*id), "{path}");
    }
}

#[test]
fn windows_vista_and_later() {
    let rows = [
        ("~/Documents/a.txt", "odile/folder/documents"),
        ("~/AppData/Roaming/Mozilla/Firefox/profiles.ini", "odile/browser/firefox"),
        ("~/AppData/Local/Google/Chrome/User Data/Local State", "odile/browser/chrome"),
        ("~/AppData/Local/Microsoft/Edge/User Data/Default/Bookmarks", "odile/browser/edge/default"),
        ("~/AppData/Roaming/Thunderbird/profiles.ini", "odile/mail/thunderbird"),
        ("~/AppData/Local/Microsoft/Outlook/odile.pst", "odile/mail/outlook-data"),
        ("~/AppData/Local/Microsoft/Outlook/odile.ost", "odile/mail/outlook-data"),
        ("~/Documents/Outlook Files/old.PST", "odile/mail/outlook-data"),
        ("~/AppData/Roaming/Microsoft/Outlook/odile.nk2", "odile/mail/outlook-lists"),
        ("~/AppData/Local/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0.dat", "odile/mail/outlook-lists"),
        ("~/AppData/Roaming/Microsoft/Signatures/desk.htm", "odile/mail/signatures"),
        ("~/AppData/Roaming/Microsoft/Stationery/leaf.htm", "odile/mail/stationery"),
        ("~/AppData/Roaming/Microsoft/Templates/NormalEmail.dotm", "odile/office/templates"),
        ("~/AppData/Roaming/Microsoft/Word/STARTUP/macro.dotm", "odile/office/templates"),
        ("~/AppData/Roaming/Microsoft/UProof/CUSTOM.DIC", "odile/office/dictionaries"),
        ("~/AppData/Local/Microsoft/Windows Mail/Inbox/1.eml", "odile/mail/windows-mail"),
        ("~/AppData/Local/Microsoft/Windows Live Mail/a/1.eml", "odile/mail/windows-live-mail"),
        (
            "~/AppData/Local/Packages/Microsoft.MicrosoftStickyNotes_8wekyb3d8bbwe/LocalState/plum.sqlite",
            "odile/notes/sticky-notes",
        ),
        ("~/AppData/Local/Microsoft/Windows/Fonts/Halyard.ttf", "odile/font/own"),
        ("Windows/Fonts/Halyard Hand.ttf", "machine/font/everybody"),
        ("~/AppData/Roaming/Microsoft/Network/Connections/Pbk/rasphone.pbk", "odile/network/dial-up"),
        ("~/AppData/Roaming/KiteCAD/a.ini", "odile/folder/roaming-data"),
        ("~/.ssh/id_ed25519", "odile/keys/ssh"),
        ("~/Contacts/piet.contact", "odile/folder/contacts"),
        ("~/Favorites/a.url", "odile/folder/favourites"),
        ("Windows/System32/drivers/etc/hosts", "machine/network/hosts"),
        ("ProgramData/Microsoft/Wlansvc/Profiles/Interfaces/{1}/a.xml", "machine/network/wifi"),
        ("Users/Public/Documents/a.txt", "machine/folder/shared-documents"),
        ("Kite Plans/a.txt", "machine/folder/drive/kite-plans"),
    ];
    let machine = machine_with(&["Windows/System32/a.dll", "Users/odile/NTUSER.DAT"], "Users/odile", &rows);
    each_is_found(&machine, "Users/odile", &rows);
}

#[test]
fn windows_xp() {
    let rows = [
        ("~/My Documents/a.txt", "odile/folder/documents"),
        ("~/My Documents/My Pictures/a.png", "odile/folder/pictures"),
        ("~/Local Settings/Application Data/Microsoft/Outlook/odile.pst", "odile/mail/outlook-data"),
        ("~/Application Data/Microsoft/Outlook/odile.NK2", "odile/mail/outlook-lists"),
        (
            "~/Local Settings/Application Data/Identities/{1}/Microsoft/Outlook Express/Inbox.dbx",
            "odile/mail/outlook-express",
        ),
        ("~/Application Data/Microsoft/Address Book/odile.wab", "odile/contacts/windows-address-book"),
        ("~/Application Data/Microsoft/Proof/CUSTOM.DIC", "odile/office/dictionaries"),
        ("~/Application Data/Mozilla/Firefox/profiles.ini", "odile/browser/firefox"),
        ("~/Favorites/a.url", "odile/folder/favourites"),
    ];
    let home = "Documents and Settings/odile";
    let system = ["WINDOWS/system32/a.dll", "Documents and Settings/odile/NTUSER.DAT"];
    each_is_found(&machine_with(&system, home, &rows), home, &rows);
}

#[test]
fn linux() {
    let rows = [
        ("~/.mozilla/firefox/profiles.ini", "odile/browser/firefox"),
        ("~/snap/firefox/common/.mozilla/firefox/profiles.ini", "odile/browser/firefox"),
        ("~/.var/app/org.mozilla.firefox/.mozilla/firefox/profiles.ini", "odile/browser/firefox"),
        ("~/.config/chromium/Local State", "odile/browser/chromium"),
        ("~/.thunderbird/profiles.ini", "odile/mail/thunderbird"),
        ("~/.local/share/evolution/mail/a", "odile/mail/evolution"),
        ("~/.local/share/fonts/Halyard.otf", "odile/font/own"),
        ("~/.gnupg/pubring.kbx", "odile/keys/gnupg"),
        ("~/.config/libreoffice/4/user/registrymodifications.xcu", "odile/office/libreoffice"),
        ("etc/hosts", "machine/network/hosts"),
        ("etc/NetworkManager/system-connections/Loft.nmconnection", "machine/network/wifi"),
        ("etc/cups/printers.conf", "machine/print/cups"),
        ("etc/cups/ppd/Front.ppd", "machine/print/cups"),
        ("usr/local/share/fonts/a.ttf", "machine/font/shared"),
    ];
    let machine = machine_with(&["etc/passwd", "etc/os-release"], "home/odile", &rows);
    each_is_found(&machine, "home/odile", &rows);
}

#[test]
fn macos() {
    let rows = [
        ("~/Library/Mail/V10/a/INBOX.mbox/Messages/1.emlx", "odile/mail/apple-mail"),
        ("~/Library/Safari/Bookmarks.plist", "odile/browser/safari"),
        ("~/Library/Application Support/Firefox/profiles.ini", "odile/browser/firefox"),
        ("~/Library/Application Support/Google/Chrome/Local State", "odile/browser/chrome"),
        ("~/Library/Thunderbird/profiles.ini", "odile/mail/thunderbird"),
        ("~/Library/Application Support/AddressBook/a.abcddb", "odile/contacts/apple-contacts"),
        ("~/Library/Calendars/a/Events/1.ics", "odile/calendar/apple-calendar"),
        ("~/Library/Fonts/Halyard.ttf", "odile/font/own"),
        ("~/Movies/a.mov", "odile/folder/videos"),
        ("~/Library/Application Support/Sail Nester/cuts.db", "odile/folder/roaming-data"),
        ("private/etc/cups/printers.conf", "machine/print/cups"),
        ("Library/Fonts/Halyard.ttf", "machine/font/shared"),
    ];
    let system = ["System/Library/CoreServices/SystemVersion.plist"];
    each_is_found(&machine_with(&system, "Users/odile", &rows), "Users/odile", &rows);
}

#[test]
fn a_pattern_that_fits_too_much_takes_no_place_and_nothing_twice() {
    let rows = [
        ("~/Documents/a.txt", "odile/folder/documents"),
        ("~/AppData/Roaming/x.ini", "odile/folder/roaming-data"),
        ("~/kites/b.txt", "odile/kites/greedy"),
        ("~/AppData/other/c.txt", "odile/kites/greedy"),
    ];
    let machine = machine_with(&["Windows/System32/a.dll", "Users/odile/NTUSER.DAT"], "Users/odile", &rows);
    let rule = "id = \"kites/greedy\"\ntitle = \"All\"\n[[find]]\nplace = \"home\"\npath = \"*\"\n";
    let rule = CarryRule::from_toml(rule).unwrap();
    let kinds = Kinds::from(Catalogue::built_in(Family::Windows).unwrap().with_rules(vec![rule]));
    let items = kinds.find_items(&machine);
    let nothing = crate::stand_ins::everything();
    let grounds = Grounds::new(&machine, &kinds, items.iter(), &nothing, NameRules::TRUNK);
    let mut owners: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for item in &items {
        walk(&grounds, item, |_, sight, _| {
            if let Sight::Entry { spot, metadata, .. } = sight
                && metadata.kind == EntryKind::File
            {
                owners.entry(spot.on_volume.to_string()).or_default().push(&item.id);
            }
            true
        });
    }
    for (path, id) in rows {
        assert_eq!(owners[&path.replacen('~', "Users/odile", 1)], [id], "{path}");
    }
}

#[test]
fn caches_of_programs_are_left_and_what_matters_beside_them_is_carried() {
    let rows = [
        ("~/AppData/Local/Google/Chrome/User Data/Local State", ""),
        ("~/AppData/Roaming/Thunderbird/profiles.ini", ""),
    ];
    let machine = machine_with(&["Windows/System32/a.dll", "Users/odile/NTUSER.DAT"], "Users/odile", &rows);
    let kinds = Kinds::from(Catalogue::built_in(Family::Windows).unwrap());
    let items = kinds.find_items(&machine);
    let fate = |id: &str, path: &str, kind| {
        let item = items.iter().find(|item| item.id == id).unwrap();
        kinds.fate(item.rule.as_deref(), &item.parts[0], &crate::stand_ins::path(path), kind)
    };
    use EntryKind::{File, Folder, Link};
    let chrome =
        |below: &str, kind| fate("odile/browser/chrome", &format!("Google/Chrome/User Data/{below}"), kind);
    for (below, kind) in [
        ("Default/Cache", Folder),
        ("Profile 1/Service Worker/CacheStorage", Folder),
        ("Default/Code Cache", Folder),
        ("lockfile", File),
        ("SingletonLock", Link),
    ] {
        assert!(matches!(chrome(below, kind), Fate::Leave(_)), "{below}");
    }
    for (below, kind) in [
        ("Default/Bookmarks", File),
        ("Default/Login Data", File),
        ("Default/Extensions", Folder),
        ("Default/Service Worker", Folder),
    ] {
        assert_eq!(chrome(below, kind), Fate::Carry, "{below}");
    }
    let mail = |below: &str, kind| fate("odile/mail/thunderbird", &format!("Thunderbird/{below}"), kind);
    assert!(matches!(mail("Profiles/a.default/startupCache", Folder), Fate::Leave(_)));
    assert_eq!(mail("Profiles/a.default/ImapMail", Folder), Fate::Carry);
}

#[test]
fn a_part_goes_where_the_other_system_has_it() {
    let part = |name: &str, place: &str, path: &str| TrunkPart {
        name: name.to_owned(),
        place: place.to_owned(),
        path: path.to_owned(),
    };
    let item = |rule: &str, parts: Vec<TrunkPart>| TrunkItem {
        id: format!("odile/{rule}"),
        kind: "mail".to_owned(),
        account: Some("odile".to_owned()),
        title: String::new(),
        chosen: true,
        seen: Default::default(),
        captured: Default::default(),
        left: Default::default(),
        rule: Some(rule.to_owned()),
        parts,
        facts: Default::default(),
        registry: Vec::new(),
        needs: Vec::new(),
        counts: Vec::new(),
    };
    let items = [
        item("mail/thunderbird", vec![part("profiles", "roaming-data", "Thunderbird")]),
        item("mail/outlook-data", vec![part("main", "local-data", "Microsoft/Outlook/odile.pst")]),
        item("folder/documents", vec![part("main", "documents", "")]),
        item("kites/unknown", vec![part("main", "documents", "Kites")]),
    ];
    let address = |relocation: &Relocation, item: &str, place: &str, path: &str| {
        let entry = Entry {
            item: format!("odile/{item}"),
            address: EntryAddress {
                owner: Some("odile".to_owned()),
                place: place.to_owned(),
                path: crate::stand_ins::path(path),
                safe_path: None,
            },
            content: Content::Folder,
            modified_utc: None,
            created_utc: None,
            attributes: porter_trunk::Attributes::from_windows_bits(0),
            unix_mode: None,
            streams: Vec::new(),
            held: None,
            extents: porter_trunk::Extents::None,
            same_file: None,
            sparse: false,
            missing: Vec::new(),
            kept_from_utc: None,
        };
        let found = relocation.address(&entry);
        format!("{}/{}", found.place, found.path)
    };
    // The label of the stand-ins is that of a Windows.
    let label = crate::stand_ins::label(&["odile"]);
    let linux = Catalogue::built_in(Family::Linux).unwrap();
    let to_linux = Relocation::new(&label, &items, Family::Linux, &linux);
    let to_mac = Relocation::new(&label, &items, Family::MacOs, &linux);
    let to_windows = Relocation::new(&label, &items, Family::Windows, &linux);
    let mail = |relocation| address(relocation, "mail/thunderbird", "roaming-data", "Thunderbird/Profiles/a");
    assert_eq!(mail(&to_linux), "home/.thunderbird/Profiles/a");
    assert_eq!(mail(&to_mac), "home/Library/Thunderbird/Profiles/a");
    assert_eq!(mail(&to_windows), "roaming-data/Thunderbird/Profiles/a");
    for (item, place, path) in [
        // Linux has no such program; a whole place; a rule that nobody brought along; another folder of the
        // same place.
        ("mail/outlook-data", "local-data", "Microsoft/Outlook/odile.pst"),
        ("folder/documents", "documents", "Kites/a.txt"),
        ("kites/unknown", "documents", "Kites/a.txt"),
        ("mail/thunderbird", "roaming-data", "Thunderbird2/x"),
    ] {
        assert_eq!(address(&to_linux, item, place, path), format!("{place}/{path}"));
    }
}
