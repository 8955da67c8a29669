//! A macOS system's own files about itself, property lists: its version, its name, its accounts (the local
//! node of its directory), and the programs in `Applications`.
//!
//! Since macOS 10.15 the drive is in two halves; the one with the people's things, mounted alone, has no
//! version.

use super::account::{AccountRecord, Origin};
use super::facts::{AccountFacts, StateFacts, SystemFacts};
use super::looker::Looker;
use super::program::Program;
use super::setting::Setting;
use super::small_file::{read, read_at};
use super::time_zone;
use plist::{Dictionary, Value};
use porter_formats::property_list;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};

/// The directory's local node.
const DIRECTORY: &str = "private/var/db/dslocal/nodes/Default";
/// The first number of a person's account; 500 and below are the system's.
const FIRST_PERSON: u32 = 501;

/// Reads all facts. A missing file yields none.
pub(super) fn facts_of(volume: &dyn Volume, looker: &mut Looker<'_>) -> SystemFacts {
    let dictionary = |path: &str| read_at(volume, path).and_then(|file| dictionary_in(&file));
    let version = dictionary("System/Library/CoreServices/SystemVersion.plist");
    let text = |from: &Option<Dictionary>, key: &str| text_of(from.as_ref()?, key);
    let number = text(&version, "ProductVersion");
    let product = text(&version, "ProductName").map(|name| match &number {
        Some(number) => format!("{name} {number}"),
        None => name,
    });
    let name = dictionary("Library/Preferences/SystemConfiguration/preferences.plist").and_then(|it| {
        let system = it.get("System")?.as_dictionary()?.get("System")?.as_dictionary()?;
        text_of(system, "ComputerName").or_else(|| text_of(system, "HostName"))
    });
    let administrators = dictionary(&format!("{DIRECTORY}/groups/admin.plist"))
        .map(|group| texts_of(&group, "users"))
        .unwrap_or_default();
    let mut accounts: Vec<AccountFacts> = files_in(looker, &format!("{DIRECTORY}/users"), ".plist")
        .iter()
        .filter_map(|file| account_in(&dictionary_in(&read(volume, file)?)?, &administrators))
        .collect();
    for account in &mut accounts {
        account.settings = settings_of_person(volume, &account.home);
        account.programs =
            account.home.join(b"Applications").map(|at| programs_in(volume, looker, &at)).unwrap_or_default();
    }
    let applications = RelativePath::from_bytes(b"Applications").unwrap_or_default();
    let mut settings = Vec::new();
    settings.extend(Setting::new("computer-name", "Name of the PC", &[("name", name.clone())]));
    settings.extend(time_zone::linked_at(volume, "private/etc/localtime").and_then(time_zone::of_iana));
    settings.extend(super::linux::printers(volume, "private/etc/cups"));
    SystemFacts {
        name,
        product,
        version: text(&version, "ProductBuildVersion").or(number),
        accounts,
        programs: programs_in(volume, looker, &applications),
        settings,
        state: StateFacts {
            has_no_registry: files_in(looker, &format!("{DIRECTORY}/users"), "").is_empty(),
            ..StateFacts::default()
        },
        ..SystemFacts::default()
    }
}

fn dictionary_in(file: &[u8]) -> Option<Dictionary> {
    property_list::from_bytes(file).ok()?.into_dictionary()
}

fn text_of(from: &Dictionary, key: &str) -> Option<String> {
    let text = from.get(key)?.as_string()?.trim();
    (!text.is_empty()).then(|| text.to_owned())
}

/// The directory keeps every value as a list.
fn texts_of(from: &Dictionary, key: &str) -> Vec<String> {
    let list = from.get(key).and_then(Value::as_array).map(Vec::as_slice).unwrap_or_default();
    list.iter().filter_map(Value::as_string).map(str::to_owned).collect()
}

fn files_in(looker: &mut Looker<'_>, folder: &str, end: &str) -> Vec<RelativePath> {
    let folder = looker.find(&RelativePath::root(), folder).path;
    let rows = looker.list(&folder).iter().filter(|row| row.metadata.kind == EntryKind::File);
    rows.filter(|row| row.name.ends_with(end.as_bytes()))
        .filter_map(|row| folder.join(&row.name).ok())
        .collect()
}

/// A person; none for the system's own accounts.
fn account_in(record: &Dictionary, administrators: &[String]) -> Option<AccountFacts> {
    let first = |key: &str| texts_of(record, key).into_iter().next();
    let name = first("name").filter(|name| !name.starts_with('_'))?;
    let number: u32 = first("uid")?.parse().ok().filter(|number| *number >= FIRST_PERSON)?;
    let home = first("home")?;
    let home =
        RelativePath::from_bytes(home.strip_prefix('/')?.as_bytes()).ok().filter(|home| !home.is_root())?;
    let ways = texts_of(record, "authentication_authority");
    let is_disabled = ways.iter().any(|way| way.contains("DisabledUser"));
    // A person of a directory on a server, whose record is kept here for the time without it.
    let is_of_domain = ways.iter().any(|way| way.contains("LocalCachedUser"));
    let origin = if is_of_domain { Origin::Domain { name: None } } else { Origin::Local };
    Some(AccountFacts {
        full_name: first("realname").filter(|full| !full.is_empty()),
        identifier: first("generateduid").or_else(|| Some(number.to_string())),
        is_administrator: Some(administrators.contains(&name)),
        is_disabled: Some(is_disabled),
        record: AccountRecord {
            comment: first("comment").filter(|comment| !comment.is_empty()),
            origin: Some(origin),
            ..AccountRecord::default()
        },
        home,
        name: name.into_bytes(),
        ..AccountFacts::default()
    })
}

/// Programs and those in folders among them, one level down.
fn programs_in(volume: &dyn Volume, looker: &mut Looker<'_>, folder: &RelativePath) -> Vec<Program> {
    let mut programs = Vec::new();
    let mut folders = vec![(folder.clone(), true)];
    while let Some((folder, goes_deeper)) = folders.pop() {
        for row in looker.list(&folder).to_vec() {
            let Ok(path) = folder.join(&row.name) else { continue };
            if row.metadata.kind != EntryKind::Folder {
                continue;
            }
            if !row.name.ends_with(b".app") {
                folders.extend(goes_deeper.then_some((path, false)));
                continue;
            }
            let info = looker.find(&path, "Contents/Info.plist");
            let info = read(volume, &info.path).and_then(|file| dictionary_in(&file)).unwrap_or_default();
            let file_name = String::from_utf8_lossy(&row.name).trim_end_matches(".app").to_owned();
            let maker = text_of(&info, "CFBundleIdentifier");
            programs.push(Program {
                name: text_of(&info, "CFBundleDisplayName")
                    .or_else(|| text_of(&info, "CFBundleName"))
                    .unwrap_or(file_name),
                version: text_of(&info, "CFBundleShortVersionString")
                    .or_else(|| text_of(&info, "CFBundleVersion")),
                publisher: maker,
                installed_on: row.metadata.modified_utc.map(time::OffsetDateTime::date),
                size_in_bytes: None,
                account: None,
            });
        }
    }
    programs
}

fn settings_of_person(volume: &dyn Volume, home: &RelativePath) -> Vec<Setting> {
    let global = RelativePath::from_bytes(b"Library/Preferences/.GlobalPreferences.plist");
    let file = global.and_then(|below| home.join_path(&below)).ok().and_then(|path| read(volume, &path));
    let Some(global) = file.and_then(|file| dictionary_in(&file)) else { return Vec::new() };
    let languages = texts_of(&global, "AppleLanguages").join(" ");
    let locale = [("name", text_of(&global, "AppleLocale")), ("languages", Some(languages))];
    Setting::new("locale", "Language and formats", &locale).into_iter().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_are_told_from_the_directorys_own_accounts() {
        let record = |name: &str, uid: &str, way: &str| {
            let list = |text: &str| Value::Array(vec![Value::String(text.to_owned())]);
            let mut record = Dictionary::new();
            for (key, text) in [
                ("name", name),
                ("uid", uid),
                ("home", "/Users/odile"),
                ("realname", "Odile Marchetti"),
                ("authentication_authority", way),
            ] {
                record.insert(key.to_owned(), list(text));
            }
            record
        };
        let admins = ["odile".to_owned()];
        let odile = account_in(&record("odile", "501", ";ShadowHash;"), &admins).unwrap();
        assert_eq!((odile.is_administrator, odile.is_disabled), (Some(true), Some(false)));
        assert_eq!(odile.full_name.as_deref(), Some("Odile Marchetti"));
        let bram = account_in(&record("bram", "502", ";DisabledUser;;ShadowHash;"), &admins).unwrap();
        assert_eq!((bram.is_administrator, bram.is_disabled), (Some(false), Some(true)));
        assert_eq!(account_in(&record("_spotlight", "89", ""), &admins), None);
        assert_eq!(account_in(&record("daemon", "1", ""), &admins), None);
    }
}
