//! A Linux system's own files about itself: `os-release(5)`, `passwd(5)`, `shadow(5)`, `group(5)`,
//! `login.defs(5)`, and each person's `user-dirs.dirs`
//! (<https://www.freedesktop.org/wiki/Software/xdg-user-dirs/>).

pub mod account_service;
pub mod desktop;
mod dnf;
mod programs;
mod rpm;
pub mod server_folders;
mod sign_ins;

use super::Place;
use super::account::{AccountRecord, Origin};
use super::cups;
use super::facts::{AccountFacts, StateFacts, SystemFacts};
use super::setting::Setting;
use super::small_file::{read as read_path, read_at};
use super::time_zone;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};
use std::collections::BTreeMap;

/// The range where `login.defs` names none.
const PEOPLE: (u32, u32) = (1000, 60_000);
/// Members may change the system.
const ADMINISTRATORS: [&[u8]; 3] = [b"sudo", b"wheel", b"admin"];

/// Reads all facts. A missing file yields none.
pub fn facts_of(volume: &dyn Volume) -> SystemFacts {
    let read = |path: &str| read_at(volume, path);
    let (product, version) = read("etc/os-release")
        .or_else(|| read("usr/lib/os-release"))
        .map_or((None, None), |file| os_release(&file));
    let name = read("etc/hostname").and_then(|file| {
        let name = String::from_utf8_lossy(&file).lines().next().unwrap_or_default().trim().to_owned();
        (!name.is_empty()).then_some(name)
    });
    let people = read("etc/login.defs").map_or(PEOPLE, |file| people_in(&file));
    let administrators = read("etc/group").map(|file| administrators_in(&file)).unwrap_or_default();
    let mut accounts = read("etc/passwd").map(|file| accounts_in(&file, people)).unwrap_or_default();
    let home_is_used = |account: &AccountFacts| {
        ["Desktop", "Documents"].iter().any(|name| {
            let folder = account.home.join(name.as_bytes());
            folder.is_ok_and(|folder| {
                volume.metadata(&folder).is_ok_and(|found| found.kind == EntryKind::Folder)
            })
        })
    };
    // Where nobody else lives, or somebody worked as root, root's home is a person's.
    let only_root = accounts.iter().all(is_root);
    accounts.retain(|account| !is_root(account) || only_root || home_is_used(account));
    for account in &mut accounts {
        account.is_administrator = Some(is_root(account) || administrators.contains(&account.name));
        account.places = places_of(volume, &account.home);
    }
    let shadow = read("etc/shadow").unwrap_or_default();
    let (locked, expiring) = (locked_in(&shadow), expiring_in(&shadow));
    let sign_ins = sign_ins::SignIns::of(volume);
    for account in &mut accounts {
        account.last_used_utc = sign_ins.last_of(account);
        if locked.contains(&account.name) {
            account.is_disabled = Some(true);
        }
        if !shadow.is_empty() {
            account.record.password_never_expires = Some(!expiring.contains(&account.name));
        }
        account.programs = programs::of_person(volume, &account.home);
        account.settings = settings_of_person(volume, &account.home);
        account.settings.extend(account_service::settings(volume, &String::from_utf8_lossy(&account.name)));
    }
    let encrypted_with = read("etc/crypttab").filter(|file| has_lines(file)).map(|_| "LUKS".to_owned());
    SystemFacts {
        settings: settings(volume, name.as_ref()),
        state: StateFacts { encrypted_with, ..StateFacts::default() },
        programs: programs::of_machine(volume),
        name,
        product,
        version,
        accounts,
        ..SystemFacts::default()
    }
}

fn settings_of_person(volume: &dyn Volume, home: &RelativePath) -> Vec<Setting> {
    let read = |below: &str| {
        let below = RelativePath::from_bytes(below.as_bytes()).ok()?;
        read_path(volume, &home.join_path(&below).ok()?)
    };
    let drives = read(server_folders::BOOKMARKS).map(|file| server_folders::drives_in(&file));
    let mut settings = drives.unwrap_or_default();
    let usual = read(cups::files::PERSONAL).and_then(|file| cups::files::usual_of_person(&file));
    settings.extend(Setting::new("default-printer", "The usual printer", &[("name", usual)]));
    settings.extend(desktop::settings(volume, home));
    settings
}

/// Where the person of that home has put their places; empty where they are as usual.
pub(super) fn places_of(volume: &dyn Volume, home: &RelativePath) -> BTreeMap<Place, RelativePath> {
    let file = home.join(b".config").and_then(|folder| folder.join(b"user-dirs.dirs"));
    let file = file.ok().and_then(|path| read_path(volume, &path));
    file.map(|file| user_dirs(&file, home)).unwrap_or_default()
}

fn has_lines(file: &[u8]) -> bool {
    String::from_utf8_lossy(file).lines().any(|line| !line.trim().is_empty() && !line.trim().starts_with('#'))
}

fn settings(volume: &dyn Volume, name: Option<&String>) -> Vec<Setting> {
    let read = |path: &str| read_at(volume, path);
    let mut settings = Vec::new();
    settings.extend(Setting::new("computer-name", "Name of the PC", &[("name", name.cloned())]));
    let zone = read("etc/timezone").map(|file| String::from_utf8_lossy(&file).trim().to_owned());
    settings.extend(
        zone.filter(|zone| !zone.is_empty())
            .or_else(|| time_zone::linked_at(volume, "etc/localtime"))
            .and_then(time_zone::of_iana),
    );
    let locale =
        ["etc/locale.conf", "etc/default/locale"].iter().find_map(|path| value_in(&read(path)?, "LANG"));
    settings.extend(Setting::new("locale", "Language and formats", &[("name", locale)]));
    let keyboard = read("etc/default/keyboard").and_then(|file| value_in(&file, "XKBLAYOUT"));
    let keyboard = keyboard.or_else(|| value_in(&read("etc/vconsole.conf")?, "KEYMAP"));
    settings.extend(Setting::new("keyboard", "Keyboard layouts", &[("layouts", keyboard)]));
    settings.extend(printers(volume, "etc/cups"));
    settings
}

/// The printers of the files of CUPS in a folder.
pub(super) fn printers(volume: &dyn Volume, folder: &str) -> Vec<Setting> {
    let read = |name: &str| read_at(volume, &format!("{folder}/{name}"));
    let description = |queue: &str| read(&format!("ppd/{queue}.ppd"));
    let (printers, classes) = (read("printers.conf"), read("classes.conf"));
    cups::settings_of(&cups::files::queues_in(printers.as_deref(), classes.as_deref(), &description))
}

/// A value of a file of shell assignments.
pub(super) fn value_in(file: &[u8], name: &str) -> Option<String> {
    let text = String::from_utf8_lossy(file);
    let line = text.lines().find_map(|line| line.trim().strip_prefix(name)?.strip_prefix('='))?;
    Some(line.trim().trim_matches(['"', '\'']).to_owned()).filter(|value| !value.is_empty())
}

/// The accounts whose password somebody locked. A mark is all that is read of it.
fn locked_in(file: &[u8]) -> Vec<Vec<u8>> {
    let rows = file.split(|b| *b == b'\n').filter_map(|line| {
        let mut fields = line.split(|b| *b == b':');
        let (name, password) = (fields.next()?, fields.next()?);
        // A lone mark is an account that never had a password, which other keys may open.
        (password.len() > 2 && password.starts_with(b"!")).then(|| name.to_vec())
    });
    rows.collect()
}

/// The accounts whose password has to be changed from time to time: `shadow(5)` has the number of days in its
/// fifth field, and 99999 for never.
fn expiring_in(file: &[u8]) -> Vec<Vec<u8>> {
    let rows = file.split(|b| *b == b'\n').filter_map(|line| {
        let fields: Vec<&[u8]> = line.split(|b| *b == b':').collect();
        let days: u32 = std::str::from_utf8(fields.get(4)?).ok()?.parse().ok()?;
        (days < 99_999).then(|| fields[0].to_vec())
    });
    rows.collect()
}

fn is_root(account: &AccountFacts) -> bool {
    account.identifier.as_deref() == Some("0")
}

/// Product and version.
fn os_release(file: &[u8]) -> (Option<String>, Option<String>) {
    let value = |name: &str| value_in(file, name);
    (value("PRETTY_NAME").or_else(|| value("NAME")), value("VERSION_ID"))
}

/// The user numbers of people: the first and the last.
fn people_in(file: &[u8]) -> (u32, u32) {
    let text = String::from_utf8_lossy(file);
    let value = |name: &str| {
        text.lines().find_map(|line| {
            let mut words = line.split_whitespace();
            (words.next()? == name).then(|| words.next()?.parse().ok())?
        })
    };
    (value("UID_MIN").unwrap_or(PEOPLE.0), value("UID_MAX").unwrap_or(PEOPLE.1))
}

fn administrators_in(file: &[u8]) -> Vec<Vec<u8>> {
    let rows = file.split(|b| *b == b'\n').map(|line| line.split(|b| *b == b':').collect::<Vec<_>>());
    let groups = rows.filter(|row| row.first().is_some_and(|name| ADMINISTRATORS.contains(name)));
    let members = groups.filter_map(|row| row.get(3).map(|members| members.to_vec()));
    members
        .flat_map(|members| members.split(|b| *b == b',').map(<[u8]>::to_vec).collect::<Vec<_>>())
        .collect()
}

/// People and root.
fn accounts_in(file: &[u8], people: (u32, u32)) -> Vec<AccountFacts> {
    let account = |line: &[u8]| {
        let fields: Vec<&[u8]> = line.split(|b| *b == b':').collect();
        let [name, _, number, _, about, home, shell] = fields[..] else { return None };
        let number: u32 = std::str::from_utf8(number).ok()?.parse().ok()?;
        if number != 0 && !(people.0..=people.1).contains(&number) {
            return None;
        }
        let home = RelativePath::from_bytes(home.strip_prefix(b"/")?).ok().filter(|home| !home.is_root())?;
        let full_name = about.split(|b| *b == b',').next().unwrap_or_default();
        let full_name = String::from_utf8_lossy(full_name).into_owned();
        Some(AccountFacts {
            name: name.to_vec(),
            home,
            full_name: Some(full_name).filter(|name| !name.is_empty()),
            identifier: Some(number.to_string()),
            record: AccountRecord { origin: Some(Origin::Local), ..AccountRecord::default() },
            is_disabled: Some(shell.ends_with(b"/nologin") || shell.ends_with(b"/false")),
            ..AccountFacts::default()
        })
    };
    file.split(|b| *b == b'\n').filter_map(account).collect()
}

/// The places of a person whose home is `home`.
fn user_dirs(file: &[u8], home: &RelativePath) -> BTreeMap<Place, RelativePath> {
    let mut places = BTreeMap::new();
    for line in String::from_utf8_lossy(file).lines() {
        let Some((name, value)) = line.trim().split_once('=') else { continue };
        let place = match name {
            "XDG_DESKTOP_DIR" => Place::Desktop,
            "XDG_DOCUMENTS_DIR" => Place::Documents,
            "XDG_DOWNLOAD_DIR" => Place::Downloads,
            "XDG_PICTURES_DIR" => Place::Pictures,
            "XDG_MUSIC_DIR" => Place::Music,
            "XDG_VIDEOS_DIR" => Place::Videos,
            _ => continue,
        };
        let value = value.trim().trim_matches('"');
        let path = match value.strip_prefix("$HOME") {
            Some(below) => RelativePath::from_bytes(below.trim_matches('/').as_bytes())
                .and_then(|below| home.join_path(&below)),
            None => match value.strip_prefix('/') {
                Some(absolute) => RelativePath::from_bytes(absolute.trim_end_matches('/').as_bytes()),
                None => continue,
            },
        };
        if let Ok(path) = path {
            places.insert(place, path);
        }
    }
    places
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_are_told_from_the_systems_own_accounts() {
        let passwd = b"root:x:0:0:root:/root:/bin/bash\ndaemon:x:1:1::/usr/sbin:/usr/sbin/nologin\n\
            odile:x:1000:1000:Odile Marchetti,,,:/home/odile:/bin/bash\nbram:x:1001:1001::/home/bram:/usr/sbin/nologin\n\
            nobody:x:65534:65534:nobody:/nonexistent:/usr/sbin/nologin\nbroken:x:1002\nclimber:x:1003:1::/../x:/bin/sh\n";
        let accounts = accounts_in(passwd, PEOPLE);
        let names: Vec<_> = accounts.iter().map(|account| account.name.as_slice()).collect();
        assert_eq!(names, [&b"root"[..], b"odile", b"bram"]);
        assert_eq!(accounts[1].full_name.as_deref(), Some("Odile Marchetti"));
        assert_eq!((accounts[1].is_disabled, accounts[2].is_disabled), (Some(false), Some(true)));
        let shadow =
            b"odile:$6$x:19000:0:99999:7:::\nbram:$6$x:19000:0:90:7:::\ntamsin:!$6$x:19000:0::::\nbroken\n";
        assert_eq!(expiring_in(shadow), [&b"bram"[..]]);
        assert_eq!(locked_in(shadow), [&b"tamsin"[..]]);
        assert_eq!(people_in(b"# UID_MIN 5\nUID_MIN\t500\n"), (500, 60_000));
        assert_eq!(
            administrators_in(b"sudo:x:27:odile,tamsin\nkites:x:9:bram\n"),
            [&b"odile"[..], b"tamsin"]
        );
    }

    #[test]
    fn places_are_where_the_person_has_put_them() {
        let file = b"# made by xdg-user-dirs\nXDG_DOCUMENTS_DIR=\"$HOME/Dokumente\"\nXDG_MUSIC_DIR=\"/data/music/\"\n\
            XDG_DESKTOP_DIR=\"$HOME/\"\nXDG_VIDEOS_DIR=\"$HOME/../tamsin\"\n";
        let places = user_dirs(file, &RelativePath::from_bytes(b"home/odile").unwrap());
        let place = |place| places.get(&place).map(ToString::to_string);
        assert_eq!(place(Place::Documents).as_deref(), Some("home/odile/Dokumente"));
        assert_eq!(place(Place::Music).as_deref(), Some("data/music"));
        assert_eq!(place(Place::Desktop).as_deref(), Some("home/odile"));
        assert_eq!(place(Place::Videos), None);
    }

    #[test]
    fn a_system_is_called_as_it_calls_itself() {
        let debian =
            b"PRETTY_NAME=\"Debian GNU/Linux 12 (bookworm)\"\nNAME=\"Debian GNU/Linux\"\nVERSION_ID=\"12\"\n";
        assert_eq!(os_release(debian), (Some("Debian GNU/Linux 12 (bookworm)".into()), Some("12".into())));
        assert_eq!(os_release(b"NAME=Kite\n"), (Some("Kite".into()), None));
    }
}
