//! Which folder is which place, for each generation of Windows.
//!
//! Windows 2000 and XP translate their folder names (`Eigene Dateien`); until the registry is read, only the
//! English ones are known, and what lies in others is found as part of the profile folder.

use super::Place;

/// A generation of Windows.
#[derive(Debug)]
pub struct Layout {
    /// The folder that holds the profile folders.
    pub profiles: &'static str,
    /// The profile folder whose content is everybody's.
    pub shared_profile: &'static str,
    /// What programs keep for everybody, below the root.
    pub shared_data: &'static str,
    /// Below a profile folder.
    personal: &'static [(Place, &'static str)],
    /// Below the shared profile folder.
    shared: &'static [(Place, &'static str)],
}

/// Windows Vista and all later ones.
pub static VISTA_AND_LATER: Layout = Layout {
    profiles: "Users",
    shared_profile: "Public",
    shared_data: "ProgramData",
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
    shared: &[
        (Place::SharedHome, ""),
        (Place::SharedDesktop, "Desktop"),
        (Place::SharedDocuments, "Documents"),
        (Place::SharedDownloads, "Downloads"),
        (Place::SharedPictures, "Pictures"),
        (Place::SharedMusic, "Music"),
        (Place::SharedVideos, "Videos"),
    ],
};

/// Windows 2000 and XP. Places they do not have are given a folder where a person of that time would look.
pub static WINDOWS_2000_AND_XP: Layout = Layout {
    profiles: "Documents and Settings",
    shared_profile: "All Users",
    shared_data: "Documents and Settings/All Users/Application Data",
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

impl Layout {
    /// The places below a profile folder.
    pub fn personal(&self) -> impl Iterator<Item = (Place, &'static str)> {
        self.personal.iter().copied()
    }

    /// The places of the whole machine, below its root.
    pub fn shared(&self) -> impl Iterator<Item = (Place, String)> {
        let below_profile = self.shared.iter().map(|(place, below)| {
            let path = format!("{}/{}/{below}", self.profiles, self.shared_profile);
            (*place, path.trim_end_matches('/').to_owned())
        });
        below_profile
            .chain([(Place::SharedData, self.shared_data.to_owned()), (Place::DriveRoot, String::new())])
    }
}
