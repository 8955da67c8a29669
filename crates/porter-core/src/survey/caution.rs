//! What to beware of, as data. What to say and to advise is the caller's.

use super::AccountSurvey;
use super::among_programs::folders_with_work;
use super::count::Count;
use crate::item::Item;
use crate::machine::layout::Family;
use crate::machine::registry::hives::HiveTrouble;
use crate::machine::{Account, Machine, PlaceState};
use porter_names::{RelativePath, fold, screen::on_screen};
use porter_source::ReadTrouble;
use serde::Serialize;
use time::OffsetDateTime;

/// Longer than this without a session, and somebody should ask whether the account is still wanted.
const UNUSED_AFTER_DAYS: i64 = 365;

/// Something a technician should know before deciding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "code", rename_all = "kebab-case")]
pub enum Caution {
    /// Nobody used the account for a year or more before the machine was last used.
    UnusedAccount {
        /// Days between the account's last use and the machine's.
        days: i64,
    },
    /// The profile folder holds no registry.
    NoRegistry,
    /// A place is a link; what it leads to is not followed.
    PlaceIsLink {
        /// The place's name.
        place: &'static str,
    },
    /// Files or folders that could not be looked at.
    Unreadable {
        /// How many.
        count: u64,
    },
    /// Folders in which another volume is mounted; they are not entered.
    OtherVolumes {
        /// How many.
        count: u64,
    },
    /// Files whose content is only in a cloud.
    CloudOnly {
        /// How many.
        count: u64,
    },
    /// A place that the person has put where this machine cannot reach.
    PlaceNotReached {
        /// The place's name.
        place: &'static str,
        /// Where it should be.
        path: String,
    },
    /// A place of the person that is in what the driver of the system we run on cannot enter: a folder kept in step with a cloud.
    PlaceShut {
        /// The place's name.
        place: &'static str,
        /// Where it is.
        path: String,
    },
    /// Files and folders that are kept in a way that the driver of the system we run on does not know.
    Shut {
        /// How many.
        count: u64,
    },
    /// A hive of the registry was being written when the system stopped, and its logs do not fit: its newest changes may be missing.
    RegistryNotNewest {
        /// Where it is.
        path: String,
    },
    /// A hive of the registry cannot be read.
    RegistryUnreadable {
        /// Where it is.
        path: String,
        /// Why, in words.
        detail: String,
    },
    /// A hive of the registry that every system has is not there.
    RegistryGone {
        /// Where it should be.
        path: String,
    },
    /// The system should have a registry, or a directory of its people, and none was found.
    RegistryMissing,
    /// Windows was hibernated: the drive is not as its programs left it.
    Hibernated,
    /// The system stopped without shutting down.
    StoppedShort,
    /// The system keeps its drive encrypted: it can be read now, and needs its key the next time.
    DriveEncrypted {
        /// With what: `BitLocker`, `LUKS`.
        with: String,
    },
    /// The person's folder is kept encrypted, and what can be seen of it is a shell.
    HomeEncrypted {
        /// With what: `eCryptfs`, `FileVault`.
        with: &'static str,
    },
    /// Files that only the old account can read (EFS).
    EncryptedFiles {
        /// How many.
        count: u64,
    },
    /// A program runs that writes to the item's files.
    ProgramRunning {
        /// Which programs.
        programs: Vec<String>,
    },
    /// A browser lists a profile whose folder is not there.
    ProfileMissing {
        /// What it is called.
        name: String,
        /// Where it should be.
        path: String,
    },
    /// A file of a profile cannot be understood. It is carried as it is.
    ProfileDamaged {
        /// Which.
        file: String,
        /// Why, in words.
        detail: String,
    },
    /// The system does not know whose folder it is.
    NoOwner,
    /// People who may sign in and have no folder: they never did, or it is somewhere else.
    WithoutFolder {
        /// Their names.
        names: Vec<String>,
    },
    /// Nobody can sign in with the account.
    DisabledAccount,
    /// The running machine is looked at without an administrator's rights.
    NotAdministrator,
    /// Links whose targets are not carried.
    Links {
        /// How many.
        count: u64,
    },
    /// Files that do not fit on a FAT32 stick.
    TooLargeForFat32 {
        /// How many.
        count: u64,
    },
    /// Names that Windows cannot hold; they get safe ones.
    NamesWindowsCannotHold {
        /// How many.
        count: u64,
    },
    /// Paths longer than most Windows programs can open.
    LongPaths {
        /// How many.
        count: u64,
    },
    /// A person's folder that may not be looked into: what is in it is not known.
    NotRead {
        /// The system's words.
        detail: String,
    },
    /// Folders of programs that hold documents or databases which changed lately; they are not carried.
    WorkAmongPrograms {
        /// Where.
        paths: Vec<String>,
    },
    /// Files that the volume keeps compressed; they land as they are without it.
    Compressed {
        /// How many.
        count: u64,
    },
    /// A trunk that porter made: it is not packed into another one.
    TrunkHere {
        /// Where.
        path: String,
    },
    /// An earlier Windows with people's folders in it.
    EarlierWindows {
        /// Where.
        path: String,
    },
}

impl Caution {
    /// How grave it is, 0 the gravest: 0 to 2 are worth a look before anything is done.
    pub fn gravity(&self) -> u8 {
        match self {
            Self::NotRead { .. } => 0,
            Self::Unreadable { .. }
            | Self::HomeEncrypted { .. }
            | Self::EncryptedFiles { .. }
            | Self::PlaceShut { .. }
            | Self::PlaceNotReached { .. }
            | Self::Shut { .. }
            | Self::CloudOnly { .. } => 1,
            Self::NotAdministrator
            | Self::RegistryUnreadable { .. }
            | Self::RegistryGone { .. }
            | Self::RegistryMissing
            | Self::RegistryNotNewest { .. }
            | Self::Hibernated
            | Self::StoppedShort
            | Self::PlaceIsLink { .. }
            | Self::OtherVolumes { .. }
            | Self::ProfileDamaged { .. } => 2,
            Self::WorkAmongPrograms { .. }
            | Self::EarlierWindows { .. }
            | Self::TrunkHere { .. }
            | Self::ProfileMissing { .. }
            | Self::ProgramRunning { .. }
            | Self::NoOwner
            | Self::NoRegistry
            | Self::WithoutFolder { .. }
            | Self::TooLargeForFat32 { .. } => 3,
            Self::UnusedAccount { .. }
            | Self::DisabledAccount
            | Self::DriveEncrypted { .. }
            | Self::Links { .. }
            | Self::Compressed { .. }
            | Self::NamesWindowsCannotHold { .. }
            | Self::LongPaths { .. } => 4,
        }
    }

    /// True if something is there that could not be looked into: every total is less than what is there.
    pub fn hides_something(&self) -> bool {
        matches!(
            self,
            Self::NotRead { .. } | Self::Unreadable { .. } | Self::Shut { .. } | Self::PlaceShut { .. }
        )
    }
}

pub(super) fn of_item(machine: &Machine, item: &Item, count: &Count) -> Vec<Caution> {
    let mut cautions = item.cautions.clone();
    let mut if_any = |count: u64, caution: fn(u64) -> Caution| {
        if count > 0 {
            cautions.push(caution(count));
        }
    };
    if_any(count.unreadable, |count| Caution::Unreadable { count });
    if_any(count.other_volumes, |count| Caution::OtherVolumes { count });
    if_any(count.cloud_only, |count| Caution::CloudOnly { count });
    if_any(count.shut, |count| Caution::Shut { count });
    if_any(count.encrypted, |count| Caution::EncryptedFiles { count });
    if_any(count.links, |count| Caution::Links { count });
    if_any(count.too_large_for_fat32, |count| Caution::TooLargeForFat32 { count });
    if_any(count.names_windows_cannot_hold, |count| Caution::NamesWindowsCannotHold { count });
    if_any(count.long_paths, |count| Caution::LongPaths { count });
    cautions.extend(count.trunks.iter().map(|path| Caution::TrunkHere { path: path.to_string() }));
    let running: Vec<String> = item
        .rule
        .iter()
        .flat_map(|rule| &rule.must_be_closed)
        .filter(|program| machine.runs(program))
        .cloned()
        .collect();
    let is_told = cautions.iter().any(|caution| matches!(caution, Caution::ProgramRunning { .. }));
    if !running.is_empty() && !is_told {
        cautions.push(Caution::ProgramRunning { programs: running });
    }
    cautions
}

pub(super) fn of_account(machine: &Machine, account: &Account) -> Vec<Caution> {
    let places = account.places.iter().filter_map(|(place, found)| match found.state {
        PlaceState::IsLink => Some(Caution::PlaceIsLink { place: place.name() }),
        PlaceState::Shut => Some(Caution::PlaceShut { place: place.name(), path: found.path.to_string() }),
        PlaceState::Unreadable => {
            Some(Caution::PlaceNotReached { place: place.name(), path: found.path.to_string() })
        }
        _ => None,
    });
    let not_read = not_read(machine, account);
    // Nobody knows what is in a folder that cannot be looked into.
    let no_registry = (!account.has_registry && not_read.is_none()).then_some(Caution::NoRegistry);
    let disabled = (account.is_disabled == Some(true)).then_some(Caution::DisabledAccount);
    let no_owner = (!account.has_owner).then_some(Caution::NoOwner);
    let encrypted = encrypted_home(machine, account).map(|with| Caution::HomeEncrypted { with });
    let not_read = not_read.map(|detail| Caution::NotRead { detail });
    not_read
        .into_iter()
        .chain(no_registry)
        .chain(no_owner)
        .chain(disabled)
        .chain(encrypted)
        .chain(places)
        .collect()
}

/// Why a person's folder cannot be looked into, if it cannot.
pub(super) fn not_read(machine: &Machine, account: &Account) -> Option<String> {
    let error = machine.volume.list(&account.home).err()?;
    (!matches!(error.trouble, ReadTrouble::Gone)).then(|| match error.trouble {
        ReadTrouble::PermissionDenied => "permission denied".to_owned(),
        trouble => trouble.to_string(),
    })
}

/// What an encrypted home leaves to be seen: eCryptfs the file that says how to open it (`ecryptfs-setup-private(1)`), the first
/// FileVault an image of the disk that the home is in.
fn encrypted_home(machine: &Machine, account: &Account) -> Option<&'static str> {
    let rows: Vec<_> = machine.volume.list(&account.home).ok()?.into_iter().flatten().collect();
    let has = |fits: &dyn Fn(&[u8]) -> bool| rows.iter().any(|row| fits(&row.name));
    match machine.layout.family {
        Family::Linux if has(&|name| name == b"Access-Your-Private-Data.desktop") => Some("eCryptfs"),
        Family::MacOs if has(&|name| name.ends_with(b".sparsebundle") || name.ends_with(b".sparseimage")) => {
            Some("FileVault")
        }
        _ => None,
    }
}

/// Compared with the machine's own last use, not with today: a drive may have lain in a drawer for years.
pub(super) fn about_unused_accounts(accounts: &mut [AccountSurvey]) {
    let Some(last): Option<OffsetDateTime> = accounts.iter().filter_map(|a| a.last_used_utc).max() else {
        return;
    };
    for account in accounts {
        let days = account.last_used_utc.map_or(0, |used| (last - used).whole_days());
        if days >= UNUSED_AFTER_DAYS {
            account.cautions.push(Caution::UnusedAccount { days });
        }
    }
}

pub(super) fn of_machine(machine: &Machine) -> Vec<Caution> {
    let is_earlier = |name: &[u8]| fold::folded(name).starts_with(b"windows.old");
    let earlier = machine.at_root.iter().filter(|row| is_earlier(&row.name));
    let earlier = earlier.map(|row| Caution::EarlierWindows { path: on_screen(&row.name) });
    let registry = machine.registry_troubles.iter().map(|(path, trouble)| match trouble {
        HiveTrouble::NewestMissing => Caution::RegistryNotNewest { path: path.to_string() },
        HiveTrouble::Missing => Caution::RegistryGone { path: path.to_string() },
        HiveTrouble::Unreadable(detail) => {
            Caution::RegistryUnreadable { path: path.to_string(), detail: detail.clone() }
        }
    });
    let state = &machine.state;
    let is_dead = machine.here.is_none();
    let of_state = [
        state.has_no_registry.then_some(Caution::RegistryMissing),
        (is_dead && is_hibernated(machine)).then_some(Caution::Hibernated),
        (is_dead && state.stopped_short).then_some(Caution::StoppedShort),
        state.encrypted_with.clone().map(|with| Caution::DriveEncrypted { with }),
        (!machine.without_folder.is_empty())
            .then(|| Caution::WithoutFolder { names: machine.without_folder.clone() }),
        Some(folders_with_work(machine))
            .filter(|paths| !paths.is_empty())
            .map(|paths| Caution::WorkAmongPrograms { paths }),
    ];
    let without_rights = machine.here.is_some_and(|here| !here.as_administrator);
    let without_rights = without_rights.then_some(Caution::NotAdministrator);
    without_rights.into_iter().chain(of_state.into_iter().flatten()).chain(registry).chain(earlier).collect()
}

/// The file begins with `hibr` while it holds what was in memory, and with something else when it has been taken up again
/// (libhibr's format paper).
fn is_hibernated(machine: &Machine) -> bool {
    let Some(row) = machine.at_root.iter().find(|row| fold::same_name(b"hiberfil.sys", &row.name)) else {
        return false;
    };
    let Some(file) =
        RelativePath::root().join(&row.name).ok().and_then(|path| machine.volume.open(&path).ok())
    else {
        return false;
    };
    let mut mark = [0; 4];
    matches!(file.read_at(0, &mut mark), Ok(4)) && mark.eq_ignore_ascii_case(b"hibr")
}
