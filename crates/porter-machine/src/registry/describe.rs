//! Understanding a registry: the system, its people, and where they keep their folders.

use super::windows_path::{below_root, expand};
use super::{RegistryKey, programs, settings, shell_folders, version};
use crate::Place;
use crate::account::{AccountRecord, Origin};
use crate::facts::AccountFacts;
use crate::program::Program;
use crate::setting::Setting;
use porter_names::{RelativePath, fold};
use std::collections::BTreeMap;
use time::OffsetDateTime;

/// Below `SOFTWARE`.
const CURRENT_VERSION: &str = "Microsoft\\Windows NT\\CurrentVersion";
/// Below [`CURRENT_VERSION`].
const PROFILES: &str = "ProfileList";
/// People's SIDs: of this machine or a domain, or of Microsoft's directory. All others are the system's own.
const PEOPLE: [&str; 2] = ["S-1-5-21-", WORK_OR_SCHOOL];

/// Product and version, of `SOFTWARE`.
pub fn product_and_version(software: &impl RegistryKey) -> (Option<String>, Option<String>) {
    let Some(key) = software.subkey(CURRENT_VERSION) else { return (None, None) };
    let value = |name: &str| key.text(name).or_else(|| key.number(name).map(|number| number.to_string()));
    version::product_and_version(&value)
}

/// The drive that the system itself calls its own, of `SOFTWARE`: `C:`, or what it says.
pub fn system_drive(software: &impl RegistryKey) -> String {
    let root = software.subkey(CURRENT_VERSION).and_then(|key| key.text("SystemRoot"));
    let drive = root.and_then(|root| Some(root.get(..2)?.to_owned()));
    drive.filter(|drive| drive.ends_with(':')).unwrap_or_else(|| "C:".to_owned())
}

/// The processor, in the words of the control set in force.
pub fn processor(control_set: &impl RegistryKey) -> Option<String> {
    let environment = control_set.subkey("Control\\Session Manager\\Environment")?;
    let words = ["PROCESSOR_ARCHITECTURE", "PROCESSOR_IDENTIFIER"].map(|name| environment.text(name));
    let words: Vec<String> = words.into_iter().flatten().filter(|words| !words.is_empty()).collect();
    (!words.is_empty()).then(|| words.join(", "))
}

/// The encryption of the system's own drive, by the control set in force.
pub fn encrypted_with(control_set: &impl RegistryKey) -> Option<String> {
    // 1 while the drive is protected.
    let status = control_set.subkey("Control\\BitlockerStatus")?.number("BootStatus")?;
    (status == 1).then(|| "BitLocker".to_owned())
}

/// Facts about an account beside its profile.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Told {
    /// The name to sign in with.
    pub name: Option<String>,
    /// The person's name.
    pub full_name: Option<String>,
    /// Whether it may change the system.
    pub is_administrator: Option<bool>,
    /// Whether nobody can sign in with it.
    pub is_disabled: Option<bool>,
    /// When somebody last signed in.
    pub last_signed_in_utc: Option<OffsetDateTime>,
    /// The rest.
    pub record: AccountRecord,
}

/// The prefix of SIDs of people in Microsoft's directory of firms and schools.
pub const WORK_OR_SCHOOL: &str = "S-1-12-1-";

/// Facts about a person who is none of the machine's own accounts.
pub fn told_of_stranger(sid: &str, domain: Option<String>) -> Told {
    let origin =
        if sid.starts_with(WORK_OR_SCHOOL) { Origin::WorkOrSchool } else { Origin::Domain { name: domain } };
    Told { record: AccountRecord { origin: Some(origin), ..AccountRecord::default() }, ..Told::default() }
}

/// The domain that the machine is a member of, of the control set in force.
pub fn domain(control_set: &impl RegistryKey) -> Option<String> {
    let name = control_set.subkey("Services\\Tcpip\\Parameters")?.text("Domain")?;
    Some(name).filter(|name| !name.is_empty())
}

/// Facts from a person's own registry.
#[derive(Debug, Default)]
pub struct Own {
    /// Names and texts of its `User Shell Folders`.
    shell_folders: Vec<(String, String)>,
    programs: Vec<Program>,
    settings: Vec<Setting>,
}

/// Looks into the registry of the person with that SID and home.
pub type LookIntoOwn<'a> = dyn Fn(&str, &RelativePath) -> Own + 'a;

/// The people of a machine, by `SOFTWARE`. `told` returns the other facts about a SID; `own` those of a
/// person's own registry.
pub fn people(
    software: &impl RegistryKey,
    system_drive: &str,
    told: &dyn Fn(&str) -> Told,
    own: &LookIntoOwn<'_>,
) -> Vec<AccountFacts> {
    let Some(profiles) = software.subkey(CURRENT_VERSION).and_then(|key| key.subkey(PROFILES)) else {
        return Vec::new();
    };
    let keys = profiles.subkey_names();
    let is_person = |key: &&String| PEOPLE.iter().any(|prefix| key.starts_with(prefix));
    let mut people: Vec<AccountFacts> = Vec::new();
    for key in keys.iter().filter(is_person) {
        // Windows keeps a damaged profile as `.bak` beside the one it made instead; alone, it is all there
        // is.
        let sid = key.strip_suffix(".bak").unwrap_or(key);
        if sid != key && keys.iter().any(|other| other == sid) {
            continue;
        }
        let Some(profile) = profiles.subkey(key) else { continue };
        people.extend(person(&profile, sid, system_drive, told, own));
    }
    people
}

fn person(
    profile: &impl RegistryKey,
    sid: &str,
    system_drive: &str,
    told: &dyn Fn(&str) -> Told,
    own: &LookIntoOwn<'_>,
) -> Option<AccountFacts> {
    let of_system = |name: &str| match name {
        "SYSTEMDRIVE" => Some(system_drive.to_owned()),
        "SYSTEMROOT" | "WINDIR" => Some(format!("{system_drive}\\Windows")),
        _ => None,
    };
    let folder = expand(&profile.text("ProfileImagePath")?, &of_system)?;
    let home = below_root(&folder, &of_system, system_drive)?;
    let variables = |name: &str| if name == "USERPROFILE" { Some(folder.clone()) } else { of_system(name) };
    let own = own(sid, &home);
    let places = places_in(&own, &variables, system_drive);
    let told = told(sid);
    let roaming_profile = profile.text("CentralProfile").filter(|path| !path.is_empty());
    let name = told.name.map(String::into_bytes).or_else(|| home.name().map(<[u8]>::to_vec))?;
    Some(AccountFacts {
        name,
        home,
        full_name: told.full_name,
        identifier: Some(sid.to_owned()),
        is_administrator: told.is_administrator,
        is_disabled: told.is_disabled,
        record: AccountRecord { roaming_profile, ..told.record },
        last_used_utc: loaded_utc(profile).max(told.last_signed_in_utc),
        places,
        programs: own.programs,
        settings: own.settings,
    })
}

/// The person of that home, where no list of profiles names them. The drive is taken for `C:`, as almost
/// always.
pub fn person_by_folder(sid: &str, home: &RelativePath, told: Told, own: Own) -> AccountFacts {
    const DRIVE: &str = "C:";
    let folder = format!("{DRIVE}\\{}", home.to_string().replace('/', "\\"));
    let variables = |name: &str| match name {
        "USERPROFILE" => Some(folder.clone()),
        "SYSTEMDRIVE" => Some(DRIVE.to_owned()),
        _ => None,
    };
    AccountFacts {
        name: told.name.map(String::into_bytes).unwrap_or_default(),
        home: home.clone(),
        full_name: told.full_name,
        identifier: Some(sid.to_owned()),
        is_administrator: told.is_administrator,
        is_disabled: told.is_disabled,
        record: told.record,
        last_used_utc: told.last_signed_in_utc,
        places: places_in(&own, &variables, DRIVE),
        programs: own.programs,
        settings: own.settings,
    }
}

/// Where Windows says that the folders of people are, and what of everybody's has a name in another language.
/// Paths below the root.
#[derive(Debug, Default)]
pub struct SharedFolders {
    /// The folder that holds theirs.
    pub profiles: Option<String>,
    /// Below that, the one for everybody.
    pub all_users: Option<String>,
    /// By place.
    pub shared: BTreeMap<Place, String>,
}

/// Where the folders of people, and everybody's, are, of `SOFTWARE`. The names of values are those of Windows
/// 2000 and XP.
pub(super) fn shared_folders(software: &impl RegistryKey) -> SharedFolders {
    let drive = system_drive(software);
    let of_system = |name: &str| (name == "SYSTEMDRIVE").then(|| drive.clone());
    let below = |text: String, variables: &dyn Fn(&str) -> Option<String>| {
        let path = below_root(&text, variables, &drive)?;
        String::from_utf8(path.as_bytes().to_vec()).ok().filter(|path| !path.is_empty())
    };
    let Some(list) = software.subkey(CURRENT_VERSION).and_then(|key| key.subkey(PROFILES)) else {
        return SharedFolders::default();
    };
    let directory = list.text("ProfilesDirectory").and_then(|text| expand(&text, &of_system));
    let all_users = list.text("AllUsersProfile").filter(|name| !name.contains(['\\', '/', '%']));
    let home = directory.clone().zip(all_users.clone()).map(|(folder, name)| format!("{folder}\\{name}"));
    let variables = |name: &str| if name == "ALLUSERSPROFILE" { home.clone() } else { of_system(name) };
    let key = software.subkey("Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders");
    let named = [
        (Place::SharedDesktop, "Common Desktop"),
        (Place::SharedDocuments, "Common Documents"),
        (Place::SharedPictures, "CommonPictures"),
        (Place::SharedMusic, "CommonMusic"),
        (Place::SharedVideos, "CommonVideo"),
        (Place::SharedData, "Common AppData"),
    ];
    let shared = named
        .into_iter()
        .filter_map(|(place, name)| Some((place, below(key.as_ref()?.text(name)?, &variables)?)));
    SharedFolders {
        profiles: directory.and_then(|text| below(text, &of_system)),
        all_users,
        shared: shared.collect(),
    }
}

fn places_in(
    own: &Own,
    variables: &dyn Fn(&str) -> Option<String>,
    system_drive: &str,
) -> BTreeMap<Place, RelativePath> {
    let rows = own.shell_folders.iter().filter_map(|(name, text)| {
        Some((shell_folders::place_of(name)?, below_root(text, variables, system_drive)?))
    });
    rows.collect()
}

/// Facts from a person's own registry, where their folder is all there is: it is the root. `profiles` is the
/// folder's parent on the old machine.
pub fn person_alone(own: Own, profiles: &str) -> AccountFacts {
    const DRIVE: &str = "C:";
    let variables = |name: &str| (name == "USERPROFILE").then(|| DRIVE.to_owned());
    let mut places = places_in(&own, &variables, DRIVE);
    for path in places.values_mut() {
        // `C:\Users\odile\Papers` is `Papers` here, whatever the person was called.
        let whole = path.clone();
        let mut steps = whole.steps();
        if steps.next().is_some_and(|first| fold::same_name(first, profiles.as_bytes()))
            && steps.next().is_some()
        {
            let below = steps.try_fold(RelativePath::root(), |at, step| at.join(step));
            *path = below.unwrap_or_default();
        }
    }
    AccountFacts { places, programs: own.programs, settings: own.settings, ..AccountFacts::default() }
}

/// Reads a person's own registry.
pub fn own(person: &impl RegistryKey) -> Own {
    let shell_folders = person.subkey(shell_folders::KEY).map(|key| {
        key.value_names().into_iter().filter_map(|name| key.text(&name).map(|text| (name, text))).collect()
    });
    Own {
        shell_folders: shell_folders.unwrap_or_default(),
        programs: programs::of_person(person),
        settings: settings::of_person(person),
    }
}

/// When the profile was last loaded: a `FILETIME` in two halves.
fn loaded_utc(profile: &impl RegistryKey) -> Option<OffsetDateTime> {
    let (high, low) =
        (profile.number("LocalProfileLoadTimeHigh")?, profile.number("LocalProfileLoadTimeLow")?);
    let ticks = (high << 32) | low;
    if ticks == 0 { None } else { porter_source::utc_from_filetime(ticks) }
}
