//! The registries of the demo's Windows machines: true hives, with what a survey reads of them.

mod browsers;
mod lived_in;
mod outlook;
mod settings;

pub use settings::{OwnSettings, PACKAGE, Port, Printer};

use crate::tree::Tree;
use porter_formats::security_descriptor::{Right, with_rights};
use porter_hive::base_block::mark_dirty;
use porter_hive::log::dirty_pages::log_between;
use porter_hive::write::{Heading, Version, to_bytes};
use porter_hive::{KeyTree, ValueKind};
use std::io;
use time::OffsetDateTime;

/// The numbers that all local SIDs of the demo begin with.
const MACHINE: [u32; 3] = [1_404_114, 2_026, 1_123];
/// 2026-10-30, 16:00 UTC, as a `FILETIME`.
const WRITTEN: u64 = 134_378_496_000_000_000;
/// A power plan of every Windows, and its time until the screen goes off (`GUID_MIN_POWER_SAVINGS`,
/// `GUID_VIDEO_POWERDOWN_TIMEOUT` below its group).
const HIGH_PERFORMANCE: &str = "8c5e7fda-e8bf-4a96-9a85-a6e23a8c635c";
const SCREEN_OFF: &str = "7516b95f-f776-4464-8c53-06167f40cc99\\3c0bc021-c8a8-4e07-a973-6b14cbcb2b7e";

/// A machine's registry.
#[derive(Debug, Clone, Copy)]
pub struct Registry {
    /// Its name.
    pub computer: &'static str,
    /// As the system calls itself.
    pub product: &'static str,
    /// Up to Windows 7.
    pub service_pack: Option<&'static str>,
    /// As the system numbers itself.
    pub version: &'static str,
    /// Which build of it.
    pub build: &'static str,
    /// The accounts, the newest last.
    pub people: &'static [Person],
    /// The programs installed for everybody.
    pub programs: &'static [Installed],
    /// Its printers.
    pub printers: &'static [Printer],
    /// A variable for everybody.
    pub variable: Option<(&'static str, &'static str)>,
    /// A folder that other PCs may use: its name there, and where it is.
    pub share: Option<(&'static str, &'static str)>,
    /// True if somebody has changed when it sleeps.
    pub stays_awake: bool,
    /// A driver for sources of data that one of its programs brought.
    pub data_driver: Option<&'static str>,
}

impl Registry {
    /// Before Windows Vista things have other places.
    fn is_old(&self) -> bool {
        self.version.starts_with("5.")
    }

    fn config(&self) -> &'static str {
        if self.is_old() { "WINDOWS/system32/config" } else { "Windows/System32/config" }
    }
}

/// A program that is installed.
#[derive(Debug, Clone, Copy)]
pub struct Installed {
    /// The name that people use.
    pub name: &'static str,
    /// Its version.
    pub version: &'static str,
    /// Who made it.
    pub publisher: &'static str,
    /// As `20261123`.
    pub date: &'static str,
    /// In units of 1024 bytes.
    pub size_in_kib: u32,
    /// True for a program of 32 bits.
    pub is_32_bit: bool,
}

impl Installed {
    fn write(&self, root: &mut KeyTree, below: &str) {
        let bits = if self.is_32_bit { "Wow6432Node\\" } else { "" };
        let key =
            root.key(&format!("{below}{bits}Microsoft\\Windows\\CurrentVersion\\Uninstall\\{}", self.name));
        key.set_text("DisplayName", self.name).set_text("DisplayVersion", self.version);
        key.set_text("Publisher", self.publisher).set_text("InstallDate", self.date);
        key.set_number("EstimatedSize", self.size_in_kib);
    }
}

/// An account.
#[derive(Debug, Clone, Copy)]
pub struct Person {
    /// The last number of the SID.
    pub number: u32,
    /// To sign in with.
    pub name: &'static str,
    /// The person's.
    pub full_name: &'static str,
    /// Where the profile is.
    pub home: &'static str,
    /// Whether they may change the system.
    pub is_administrator: bool,
    /// Whether nobody can sign in with it.
    pub is_disabled: bool,
    /// When they last did, as a `FILETIME`; 0 for never, or not recorded.
    pub last_signed_in: u64,
    /// False if they never had a profile.
    pub has_profile: bool,
    /// An administrator's words.
    pub comment: &'static str,
    /// The address of a Microsoft account; empty for an account of the machine's own.
    pub address: &'static str,
}

/// The people of Saltmarsh Kiteworks, with their profiles where the system puts them.
pub const ODILE: Person = Person {
    number: 1001,
    name: "odile",
    full_name: "Odile Marchetti",
    home: "C:\\Users\\odile",
    is_administrator: true,
    is_disabled: false,
    last_signed_in: 0,
    has_profile: true,
    comment: "",
    address: "",
};
/// At the front desk.
pub const TAMSIN: Person = Person {
    number: 1002,
    name: "tamsin",
    full_name: "Tamsin Okafor",
    home: "C:\\Users\\tamsin",
    is_administrator: false,
    is_disabled: false,
    last_signed_in: 0,
    has_profile: true,
    comment: "",
    address: "",
};
/// Left last year.
pub const BRAM: Person = Person {
    number: 1003,
    name: "bram",
    full_name: "Bram Lindqvist",
    home: "C:\\Users\\bram",
    is_administrator: false,
    is_disabled: false,
    last_signed_in: 0,
    has_profile: true,
    comment: "",
    address: "",
};
/// The apprentice.
pub const JUNO: Person = Person {
    number: 1004,
    name: "juno",
    full_name: "Juno Abara",
    home: "C:\\Users\\juno",
    is_administrator: false,
    is_disabled: false,
    last_signed_in: 0,
    has_profile: true,
    comment: "",
    address: "",
};

/// Writes `SOFTWARE`, `SYSTEM` and `SAM`.
pub fn write(tree: &mut Tree, registry: &Registry, written_utc: OffsetDateTime) -> io::Result<()> {
    let version = if registry.is_old() { Version::V1_3 } else { Version::V1_5 };
    for (name, root) in hives(registry, registry.people) {
        let path = format!("{}/{name}", registry.config());
        tree.dated_file(&path, &bytes(&root, &own_path(name), 1, version)?, written_utc)?;
    }
    Ok(())
}

/// The same for a machine whose power went while the newest account was made: that is only in the logs.
pub fn write_torn(tree: &mut Tree, registry: &Registry, written_utc: OffsetDateTime) -> io::Result<()> {
    let older = &registry.people[..registry.people.len().saturating_sub(1)];
    for ((name, before), (_, after)) in
        hives(registry, older).into_iter().zip(hives(registry, registry.people))
    {
        let (mut before, after) = (
            bytes(&before, &own_path(name), 1, Version::V1_5)?,
            bytes(&after, &own_path(name), 2, Version::V1_5)?,
        );
        let log = log_between(&before, &after);
        mark_dirty(&mut before);
        let path = format!("{}/{name}", registry.config());
        tree.dated_file(&path, &before, written_utc)?;
        tree.dated_file(&format!("{path}.LOG1"), &log, written_utc)?;
        tree.dated_file(&format!("{path}.LOG2"), &[], written_utc)?;
    }
    Ok(())
}

/// A person's own hive, with the programs that only they have and the settings that they made.
pub fn own(path: &str, programs: &[Installed], settings: &OwnSettings) -> io::Result<Vec<u8>> {
    let is_old = path.starts_with("Documents and Settings");
    let mut root = written("CMI-CreateHive{D43B12B8-09B5-40DB-B4F6-F6DFEB78DAEC}");
    let folders = root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders");
    for (name, folder, old_folder) in [
        ("Desktop", "Desktop", "Desktop"),
        ("Personal", "Documents", "My Documents"),
        ("My Pictures", "Pictures", "My Documents\\My Pictures"),
        ("My Music", "Music", "My Documents\\My Music"),
        ("My Video", "Videos", "My Documents\\My Videos"),
        ("Favorites", "Favorites", "Favorites"),
        ("AppData", "AppData\\Roaming", "Application Data"),
        ("Local AppData", "AppData\\Local", "Local Settings\\Application Data"),
    ] {
        let folder = if is_old { old_folder } else { folder };
        folders.set_expand_text(name, &format!("%USERPROFILE%\\{folder}"));
    }
    programs.iter().for_each(|program| program.write(&mut root, "Software\\"));
    settings.write(&mut root, is_old);
    browsers::write(settings, &mut root);
    if let Some(person) = settings.outlook_of {
        let write = if is_old { outlook::write_express } else { outlook::write };
        write(&mut root, person);
    }
    let version = if is_old { Version::V1_3 } else { Version::V1_5 };
    bytes(&root, &format!("\\??\\C:\\{}", path.replace('/', "\\")), 1, version)
}

/// As Windows notes it in the hive itself.
fn own_path(name: &str) -> String {
    format!("\\SystemRoot\\System32\\Config\\{name}")
}

fn written(name: &str) -> KeyTree {
    KeyTree { last_written: WRITTEN, ..KeyTree::new(name) }
}

fn bytes(root: &KeyTree, name: &str, sequence: u32, version: Version) -> io::Result<Vec<u8>> {
    let heading = Heading { version, last_written: WRITTEN, sequence, file_name: name.to_owned() };
    to_bytes(root, &heading).map_err(io::Error::other)
}

fn hives(registry: &Registry, people: &[Person]) -> [(&'static str, KeyTree); 3] {
    let mut software = written("SOFTWARE");
    let current = software.key("Microsoft\\Windows NT\\CurrentVersion");
    current.set_text("ProductName", registry.product).set_text("CurrentBuild", registry.build);
    current.set_text("CurrentVersion", registry.version).set_text("SystemRoot", "C:\\Windows");
    if let Some(pack) = registry.service_pack {
        current.set_text("CSDVersion", pack);
    }
    let profiles = current.key("ProfileList");
    let folder = if registry.is_old() { "Documents and Settings" } else { "Users" };
    profiles.set_expand_text("ProfilesDirectory", &format!("%SystemDrive%\\{folder}"));
    profiles
        .key("S-1-5-18")
        .set_expand_text("ProfileImagePath", "%systemroot%\\system32\\config\\systemprofile");
    for person in people.iter().filter(|person| person.has_profile) {
        let [a, b, c] = MACHINE;
        let profile = profiles.key(&format!("S-1-5-21-{a}-{b}-{c}-{}", person.number));
        profile.set_expand_text("ProfileImagePath", person.home).set_number("State", 0);
    }

    registry.programs.iter().for_each(|program| program.write(&mut software, ""));

    let mut system = written("SYSTEM");
    system.key("Select").set_number("Current", 1).set_number("Default", 1);
    let control = system.key("ControlSet001\\Control");
    control.key("ComputerName\\ComputerName").set_text("ComputerName", registry.computer);
    let environment = control.key("Session Manager\\Environment");
    environment.set_text("PROCESSOR_ARCHITECTURE", if registry.is_old() { "x86" } else { "AMD64" });
    environment.set_text("OS", "Windows_NT").set_expand_text("TEMP", "%SystemRoot%\\TEMP");
    if let Some((name, value)) = registry.variable {
        environment.set_text(name, value);
    }
    if registry.stays_awake {
        let plans = control.key("Power\\User\\PowerSchemes");
        plans.set_text("ActivePowerScheme", HIGH_PERFORMANCE);
        plans.key(&format!("{HIGH_PERFORMANCE}\\{SCREEN_OFF}")).set_number("ACSettingIndex", 0);
    }
    if let Some((name, folder)) = registry.share {
        let lines = [
            "CSCFlags=0",
            "MaxUses=4294967295",
            &format!("Path={folder}"),
            "Permissions=0",
            "Remark=Plans of all kites",
            "Type=0",
        ];
        let shares = system.key("ControlSet001\\Services\\LanmanServer\\Shares");
        shares.set_texts(name, &lines);
        // Everybody reads, the first person writes, and administrators may do anything.
        let [a, b, c] = MACHINE;
        let first = people.first().map_or(0, |person| person.number);
        let right = |sid: &str, mask| Right { sid: sid.to_owned(), mask, is_denied: false };
        let rights = with_rights(&[
            right("S-1-1-0", 0x0012_00a9),
            right(&format!("S-1-5-21-{a}-{b}-{c}-{first}"), 0x0013_01bf),
            right("S-1-5-32-544", 0x001f_01ff),
        ]);
        shares.key("Security").set(name, ValueKind::Bytes, rights.unwrap_or_default());
    }
    let control = system.key("ControlSet001\\Control");
    settings::of_machine(&mut software, control, registry.version, registry.printers);
    if let Some(driver) = registry.data_driver {
        let drivers = software.key("ODBC\\ODBCINST.INI");
        drivers.key("ODBC Drivers").set_text(driver, "Installed");
        drivers.key(driver).set_text("Driver", "C:\\Program Files\\KiteCAD 5\\harbour64.dll");
    }

    let mut sam = written("SAM");
    let account = sam.key("SAM\\Domains\\Account");
    // It ends with the SID that all accounts begin with.
    account.set("V", ValueKind::Bytes, [vec![0; 300], sid(&[])].concat());
    for person in people {
        let user = account.key(&format!("Users\\{:08X}", person.number));
        user.set("F", ValueKind::Bytes, f(person)).set("V", ValueKind::Bytes, v(person));
        if !person.address.is_empty() {
            let address = person.address.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
            user.set("InternetUserName", ValueKind::Bytes, address);
        }
        account.key("Users\\Names").key(person.name).set("", ValueKind::Other(person.number), []);
    }
    let administrators: Vec<u8> = people
        .iter()
        .filter(|person| person.is_administrator)
        .flat_map(|person| sid(&[person.number]))
        .collect();
    let count = people.iter().filter(|person| person.is_administrator).count() as u32;
    let mut group = vec![0; 52];
    group[44..48].copy_from_slice(&(administrators.len() as u32).to_le_bytes());
    group[48..52].copy_from_slice(&count.to_le_bytes());
    group.extend(administrators);
    sam.key("SAM\\Domains\\Builtin\\Aliases\\00000220").set("C", ValueKind::Bytes, group);
    [("SOFTWARE", software), ("SYSTEM", system), ("SAM", sam)]
}

/// Last sign-in, number and flags, as the accounts' `F` has them.
fn f(person: &Person) -> Vec<u8> {
    let mut f = vec![0; 80];
    f[0] = 2;
    f[48..52].copy_from_slice(&person.number.to_le_bytes());
    f[8..16].copy_from_slice(&person.last_signed_in.to_le_bytes());
    // A normal account whose password does not expire, disabled or not.
    let flags = 0x0210_u16 | u16::from(person.is_disabled);
    f[56..58].copy_from_slice(&flags.to_le_bytes());
    f
}

/// Name, full name and comment, as the accounts' `V` has them: rows of offset, length and a number, then the
/// texts.
fn v(person: &Person) -> Vec<u8> {
    let mut rows = vec![0; 0xcc];
    let mut texts: Vec<u8> = Vec::new();
    for (row, text) in [(1, person.name), (2, person.full_name), (3, person.comment)] {
        let text: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        rows[row * 12..row * 12 + 4].copy_from_slice(&(texts.len() as u32).to_le_bytes());
        rows[row * 12 + 4..row * 12 + 8].copy_from_slice(&(text.len() as u32).to_le_bytes());
        texts.extend(text);
        texts.resize(texts.len().next_multiple_of(4), 0);
    }
    [rows, texts].concat()
}

/// The SID of the machine's accounts, with what comes after it.
fn sid(after: &[u32]) -> Vec<u8> {
    let numbers: Vec<u32> = [21].iter().chain(&MACHINE).chain(after).copied().collect();
    let head = [1, numbers.len() as u8, 0, 0, 0, 0, 0, 5];
    head.into_iter().chain(numbers.into_iter().flat_map(u32::to_le_bytes)).collect()
}
