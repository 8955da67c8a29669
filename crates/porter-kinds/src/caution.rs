//! Cautions as data. The words and the advice are the caller's.

use serde::Serialize;

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
    /// Values of a setting that are of another type than the system reads: they are not carried.
    WrongType {
        /// Where they are.
        values: Vec<String>,
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
    /// A place of the person that is in what the driver of the system we run on cannot enter: a folder kept
    /// in step with a cloud.
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
    /// A hive of the registry was being written when the system stopped, and its logs do not fit: its newest
    /// changes may be missing.
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
    /// The drive was not closed: its last changes may be missing.
    NotClosed,
    /// Records of the drive's file system cannot be read, and nothing tells of which files.
    RecordsLost {
        /// How many.
        count: u64,
    },
    /// Something of the drive's own records is damaged, and was read in another way.
    DriveDamaged {
        /// In plain words.
        detail: String,
    },
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
    /// The system does not let it be known whether a program runs that writes to the item's files.
    MayBeRunning {
        /// Which programs.
        programs: Vec<String>,
    },
    /// A program lists a profile whose folder is not there.
    ProfileMissing {
        /// Its name.
        name: String,
        /// Where it should be.
        path: String,
    },
    /// Mail of a profile that is on another drive, nowhere, or in a folder with other things in it.
    MailElsewhere {
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
    /// A domain vouches for the person: the account is not the machine's own.
    AccountOfDomain {
        /// Its name; empty if the machine does not say.
        domain: String,
    },
    /// The person signs in with a Microsoft account.
    AccountOfMicrosoft {
        /// Its address.
        address: String,
    },
    /// The person signs in with an account of a firm or school at Microsoft.
    AccountOfWorkOrSchool,
    /// The profile is kept in step with a folder on a server.
    RoamingProfile {
        /// The folder.
        path: String,
    },
    /// Places of the person are in a folder that is kept in step with a cloud.
    PlacesInCloud {
        /// The folder's name.
        folder: String,
        /// The places' names.
        places: Vec<&'static str>,
    },
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
            Self::NotRead { .. } | Self::RecordsLost { .. } => 0,
            Self::Unreadable { .. }
            | Self::HomeEncrypted { .. }
            | Self::EncryptedFiles { .. }
            | Self::PlaceShut { .. }
            | Self::PlaceNotReached { .. }
            | Self::MailElsewhere { .. }
            | Self::Shut { .. }
            | Self::CloudOnly { .. } => 1,
            Self::NotAdministrator
            | Self::RegistryUnreadable { .. }
            | Self::RegistryGone { .. }
            | Self::RegistryMissing
            | Self::RegistryNotNewest { .. }
            | Self::Hibernated
            | Self::StoppedShort
            | Self::NotClosed
            | Self::DriveDamaged { .. }
            | Self::PlaceIsLink { .. }
            | Self::OtherVolumes { .. }
            | Self::WrongType { .. }
            | Self::ProfileDamaged { .. } => 2,
            Self::WorkAmongPrograms { .. }
            | Self::EarlierWindows { .. }
            | Self::TrunkHere { .. }
            | Self::ProfileMissing { .. }
            | Self::ProgramRunning { .. }
            | Self::MayBeRunning { .. }
            | Self::NoOwner
            | Self::AccountOfDomain { .. }
            | Self::AccountOfMicrosoft { .. }
            | Self::AccountOfWorkOrSchool
            | Self::RoamingProfile { .. }
            | Self::PlacesInCloud { .. }
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
