//! What the running Windows wrote down: `Windows NT\CurrentVersion`, its `ProfileList`, and the registries of the people
//! who are signed in. Those of others are on their files, which the running system does not show.

use super::accounts;
use crate::machine::facts::{AccountFacts, SystemFacts};
use crate::machine::windows_path::below_root;
use crate::machine::{shell_folders, windows_version};
use porter_names::RelativePath;
use std::collections::BTreeMap;
use time::OffsetDateTime;
use winreg::RegKey;
use winreg::enums::{HKEY_LOCAL_MACHINE, HKEY_USERS, RegType};
use winreg::types::FromRegValue;

const SYSTEM: &str = "SOFTWARE\\Microsoft\\Windows NT\\CurrentVersion";
const NAME: &str = "SYSTEM\\CurrentControlSet\\Control\\ComputerName\\ComputerName";
const PROCESSOR: &str = "HARDWARE\\DESCRIPTION\\System\\CentralProcessor\\0";
const PROFILES: &str = "SOFTWARE\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList";
/// People's SIDs: of this machine or a domain, or of Microsoft's directory. All others are the system's own.
const PEOPLE: [&str; 2] = ["S-1-5-21-", "S-1-12-1-"];

pub(super) fn facts(system_drive: &str) -> SystemFacts {
    let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
    let value = |key: &str, name: &str| machine.open_subkey(key).ok().and_then(|key| text(&key, name));
    let (product, version) = windows_version::product_and_version(&|name| value(SYSTEM, name));
    let kind =
        std::env::var("PROCESSOR_ARCHITEW6432").or_else(|_| std::env::var("PROCESSOR_ARCHITECTURE")).ok();
    let model = value(PROCESSOR, "ProcessorNameString").map(|model| model.trim().to_owned());
    let processor: Vec<String> =
        [kind, model].into_iter().flatten().filter(|words| !words.is_empty()).collect();
    SystemFacts {
        name: value(NAME, "ComputerName"),
        product,
        version,
        processor: (!processor.is_empty()).then(|| processor.join(", ")),
        accounts: people(&machine, system_drive),
    }
}

fn people(machine: &RegKey, system_drive: &str) -> Vec<AccountFacts> {
    let Ok(profiles) = machine.open_subkey(PROFILES) else { return Vec::new() };
    let keys: Vec<String> = profiles.enum_keys().filter_map(Result::ok).collect();
    let is_person = |key: &&String| PEOPLE.iter().any(|prefix| key.starts_with(prefix));
    let mut people: Vec<AccountFacts> = Vec::new();
    for key in keys.iter().filter(is_person) {
        // Windows keeps a damaged profile as `.bak` beside the one it made instead; alone, it is all there is.
        let sid = key.strip_suffix(".bak").unwrap_or(key);
        if sid != key && keys.iter().any(|other| other == sid) {
            continue;
        }
        let Ok(profile) = profiles.open_subkey(key) else { continue };
        if let Some(person) = person(&profile, sid, system_drive) {
            people.push(person);
        }
    }
    people
}

fn person(profile: &RegKey, sid: &str, system_drive: &str) -> Option<AccountFacts> {
    let folder = text(profile, "ProfileImagePath")?;
    let of_system = |name: &str| std::env::var(name).ok();
    let home = below_root(&folder, &of_system, system_drive)?;
    // For below_root, whatever it begins with in the registry.
    let folder =
        if folder.contains('%') { format!("{system_drive}\\{}", backslashed(&home)?) } else { folder };
    let variables = |name: &str| if name == "USERPROFILE" { Some(folder.clone()) } else { of_system(name) };
    let mut places = BTreeMap::new();
    if let Ok(key) = RegKey::predef(HKEY_USERS).open_subkey(format!("{sid}\\{}", shell_folders::KEY)) {
        for (name, value) in key.enum_values().filter_map(Result::ok) {
            if matches!(value.vtype, RegType::REG_SZ | RegType::REG_EXPAND_SZ)
                && let Some(place) = shell_folders::place_of(&name)
                && let Ok(value) = String::from_reg_value(&value)
                && let Some(path) = below_root(&value, &variables, system_drive)
            {
                places.insert(place, path);
            }
        }
    }
    let name =
        accounts::name_of_sid(sid).or_else(|| Some(String::from_utf8_lossy(home.name()?).into_owned()))?;
    let told = accounts::told_of(&name).unwrap_or_default();
    Some(AccountFacts {
        name: name.into_bytes(),
        home,
        full_name: told.full_name,
        identifier: Some(sid.to_owned()),
        is_administrator: told.is_administrator,
        is_disabled: told.is_disabled,
        last_used_utc: loaded_utc(profile).max(told.last_signed_in_utc),
        places,
    })
}

fn backslashed(path: &RelativePath) -> Option<String> {
    Some(std::str::from_utf8(path.as_bytes()).ok()?.replace('/', "\\"))
}

/// When the profile was last loaded: a `FILETIME` in two halves.
fn loaded_utc(profile: &RegKey) -> Option<OffsetDateTime> {
    let high = profile.get_value::<u32, _>("LocalProfileLoadTimeHigh").ok()?;
    let low = profile.get_value::<u32, _>("LocalProfileLoadTimeLow").ok()?;
    let ticks = (u64::from(high) << 32) | u64::from(low);
    if ticks == 0 { None } else { porter_source::utc_from_filetime(ticks) }
}

/// A text, or a number as text.
fn text(key: &RegKey, name: &str) -> Option<String> {
    let text = key.get_value::<String, _>(name).ok();
    text.or_else(|| key.get_value::<u32, _>(name).ok().map(|number| number.to_string()))
}
