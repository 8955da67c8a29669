//! Which folder is which place, for each generation of Windows, for Linux and for macOS.
//!
//! Windows 2000 and XP translate their folder names (`Eigene Dateien`): `other_names.rs` knows them.

use super::Place;
use porter_names::NameRules;

/// Systems whose rules are the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Family {
    /// All generations of Windows.
    Windows,
    /// Linux of any distribution.
    Linux,
    /// macOS.
    #[serde(rename = "macos")]
    MacOs,
    /// A drive without a system: a second disk, a stick, a card of photos.
    Drive,
}

impl Family {
    /// True for systems whose print system is CUPS.
    pub const fn has_cups(self) -> bool {
        matches!(self, Self::Linux | Self::MacOs)
    }

    /// All of them.
    pub const ALL: [Self; 4] = [Self::Windows, Self::Linux, Self::MacOs, Self::Drive];

    /// The family of that name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|family| family.name() == name)
    }

    /// Its name in trunks.
    pub fn name(self) -> &'static str {
        match self {
            Self::Windows => "windows",
            Self::Linux => "linux",
            Self::MacOs => "macos",
            Self::Drive => "drive",
        }
    }
}

/// Where a system puts things.
#[derive(Debug)]
pub struct Layout {
    /// The systems that have it.
    pub family: Family,
    /// The folder that holds the profile folders; empty where there are none.
    pub profiles: &'static str,
    /// The folder whose content is everybody's.
    pub shared_home: &'static str,
    /// The folder that programs keep for everybody, below the root; empty where no program has one.
    pub shared_data: &'static str,
    /// Below that, the folder for porter's own records.
    pub records: &'static str,
    /// Below a profile folder.
    pub(super) personal: &'static [(Place, &'static str)],
    /// Below the folder that is everybody's.
    pub(super) shared: &'static [(Place, &'static str)],
}

/// Shared places, by the names that most systems give them.
const BY_THEIR_OWN_NAMES: &[(Place, &str)] = &[
    (Place::SharedHome, ""),
    (Place::SharedDesktop, "Desktop"),
    (Place::SharedDocuments, "Documents"),
    (Place::SharedDownloads, "Downloads"),
    (Place::SharedPictures, "Pictures"),
    (Place::SharedMusic, "Music"),
    (Place::SharedVideos, "Videos"),
];

/// Windows Vista and all later ones.
pub static VISTA_AND_LATER: Layout = Layout {
    family: Family::Windows,
    profiles: "Users",
    shared_home: "Users/Public",
    shared_data: "ProgramData",
    records: "Loyal Porter",
    personal: &[
        (Place::Home, ""),
        (Place::Desktop, "Desktop"),
        (Place::Documents, "Documents"),
        (Place::Downloads, "Downloads"),
        (Place::Pictures, "Pictures"),
        (Place::Music, "Music"),
        (Place::Videos, "Videos"),
        (Place::Favourites, "Favorites"),
        (Place::Contacts, "Contacts"),
        (Place::Links, "Links"),
        (Place::SavedGames, "Saved Games"),
        (Place::Searches, "Searches"),
        (Place::RoamingData, "AppData/Roaming"),
        (Place::LocalData, "AppData/Local"),
        (Place::LocalLowData, "AppData/LocalLow"),
    ],
    shared: BY_THEIR_OWN_NAMES,
};

/// Windows 2000 and XP. Places they do not have are given a folder where a person of that time would look.
pub static WINDOWS_2000_AND_XP: Layout = Layout {
    family: Family::Windows,
    profiles: "Documents and Settings",
    shared_home: "Documents and Settings/All Users",
    shared_data: "Documents and Settings/All Users/Application Data",
    records: "Loyal Porter",
    personal: &[
        (Place::Home, ""),
        (Place::Desktop, "Desktop"),
        (Place::Documents, "My Documents"),
        (Place::Downloads, "My Documents/Downloads"),
        (Place::Pictures, "My Documents/My Pictures"),
        (Place::Music, "My Documents/My Music"),
        (Place::Videos, "My Documents/My Videos"),
        (Place::Favourites, "Favorites"),
        (Place::Contacts, "My Documents/Contacts"),
        (Place::Links, "My Documents/Links"),
        (Place::SavedGames, "My Documents/Saved Games"),
        (Place::Searches, "My Documents/Searches"),
        (Place::RoamingData, "Application Data"),
        (Place::LocalData, "Local Settings/Application Data"),
        (Place::LocalLowData, "Local Settings/Application Data/LocalLow"),
    ],
    shared: &[
        (Place::SharedHome, ""),
        (Place::SharedDesktop, "Desktop"),
        (Place::SharedDocuments, "Documents"),
        (Place::SharedDownloads, "Documents/Downloads"),
        (Place::SharedPictures, "Documents/My Pictures"),
        (Place::SharedMusic, "Documents/My Music"),
        (Place::SharedVideos, "Documents/My Videos"),
    ],
};

/// Linux, unless a person's `user-dirs.dirs` says otherwise. Places it does not have are given a folder where
/// a person would look; `/srv` is for what a machine shares (Filesystem Hierarchy Standard 3.0, 3.17).
pub static LINUX: Layout = Layout {
    family: Family::Linux,
    profiles: "home",
    shared_home: "srv/shared",
    shared_data: "var/lib",
    records: "loyal-porter",
    personal: &[
        (Place::Home, ""),
        (Place::Desktop, "Desktop"),
        (Place::Documents, "Documents"),
        (Place::Downloads, "Downloads"),
        (Place::Pictures, "Pictures"),
        (Place::Music, "Music"),
        (Place::Videos, "Videos"),
        (Place::Favourites, "Favourites"),
        (Place::Contacts, "Contacts"),
        (Place::Links, "Links"),
        (Place::SavedGames, "Saved Games"),
        (Place::Searches, "Searches"),
        (Place::RoamingData, ".config"),
        (Place::LocalData, ".local/share"),
        (Place::LocalLowData, ".local/share/low-rights"),
    ],
    shared: BY_THEIR_OWN_NAMES,
};

/// macOS, since it has that name and before (File System Programming Guide, Table 1-1 and 1-2). Places it
/// does not have are given a folder where a person would look.
pub static MACOS: Layout = Layout {
    family: Family::MacOs,
    profiles: "Users",
    shared_home: "Users/Shared",
    shared_data: "Library/Application Support",
    records: "Loyal Porter",
    personal: &[
        (Place::Home, ""),
        (Place::Desktop, "Desktop"),
        (Place::Documents, "Documents"),
        (Place::Downloads, "Downloads"),
        (Place::Pictures, "Pictures"),
        (Place::Music, "Music"),
        (Place::Videos, "Movies"),
        (Place::Favourites, "Favourites"),
        (Place::Contacts, "Contacts"),
        (Place::Links, "Links"),
        (Place::SavedGames, "Saved Games"),
        (Place::Searches, "Library/Saved Searches"),
        (Place::RoamingData, "Library/Application Support"),
        (Place::LocalData, "Library/Application Support/Local"),
        (Place::LocalLowData, "Library/Application Support/LocalLow"),
    ],
    shared: BY_THEIR_OWN_NAMES,
};

/// A drive without a system. It has no people, and the entries at its root are everybody's.
pub static DRIVE: Layout = Layout {
    family: Family::Drive,
    profiles: "",
    shared_home: "",
    shared_data: "",
    records: "Loyal Porter",
    personal: &[],
    shared: &[],
};

impl Layout {
    /// Which names its volumes hold; `host_most_bytes` is what the running system allows.
    pub fn name_rules(&self, host_most_bytes: usize) -> NameRules {
        match self.family {
            // The next reader of the drive may be a Windows.
            Family::Windows | Family::Drive => NameRules::windows(host_most_bytes),
            Family::Linux | Family::MacOs => NameRules::UNIX,
        }
    }

    /// The places below a profile folder.
    pub fn personal(&self) -> impl Iterator<Item = (Place, &'static str)> {
        self.personal.iter().copied()
    }

    /// The places of the whole machine, below its root.
    pub fn shared(&self) -> impl Iterator<Item = (Place, String)> {
        let below_profile = self.shared.iter().map(|(place, below)| {
            let path = format!("{}/{below}", self.shared_home);
            (*place, path.trim_end_matches('/').to_owned())
        });
        let data = (!self.shared_data.is_empty()).then(|| (Place::SharedData, self.shared_data.to_owned()));
        below_profile.chain(data).chain([(Place::DriveRoot, String::new())])
    }
}
