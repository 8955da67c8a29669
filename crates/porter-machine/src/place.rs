//! Locations by meaning.

use porter_names::RelativePath;

/// A location by meaning, whatever folder it is on a given machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Place {
    /// The profile folder itself, without the other places inside it.
    Home,
    /// The desktop.
    Desktop,
    /// Documents.
    Documents,
    /// Downloads.
    Downloads,
    /// Pictures.
    Pictures,
    /// Music.
    Music,
    /// Videos.
    Videos,
    /// Favourites of Windows' own browsers.
    Favourites,
    /// Contacts.
    Contacts,
    /// Links of the file manager's side bar.
    Links,
    /// Saved games.
    SavedGames,
    /// Saved searches.
    Searches,
    /// Programs' files for a person, meant to follow to another machine.
    RoamingData,
    /// Programs' files for a person on this machine.
    LocalData,
    /// The same for programs with few rights.
    LocalLowData,
    /// The shared profile folder itself, without the other shared places.
    SharedHome,
    /// Everybody's desktop.
    SharedDesktop,
    /// Shared documents.
    SharedDocuments,
    /// Shared downloads.
    SharedDownloads,
    /// Shared pictures.
    SharedPictures,
    /// Shared music.
    SharedMusic,
    /// Shared videos.
    SharedVideos,
    /// Programs' files for everybody.
    SharedData,
    /// The root of the system's drive.
    DriveRoot,
}

impl Place {
    /// Every place with its name in trunks and rules.
    const NAMES: [(Self, &'static str); 24] = [
        (Self::Home, "home"),
        (Self::Desktop, "desktop"),
        (Self::Documents, "documents"),
        (Self::Downloads, "downloads"),
        (Self::Pictures, "pictures"),
        (Self::Music, "music"),
        (Self::Videos, "videos"),
        (Self::Favourites, "favourites"),
        (Self::Contacts, "contacts"),
        (Self::Links, "links"),
        (Self::SavedGames, "saved-games"),
        (Self::Searches, "searches"),
        (Self::RoamingData, "roaming-data"),
        (Self::LocalData, "local-data"),
        (Self::LocalLowData, "local-low-data"),
        (Self::SharedHome, "shared-home"),
        (Self::SharedDesktop, "shared-desktop"),
        (Self::SharedDocuments, "shared-documents"),
        (Self::SharedDownloads, "shared-downloads"),
        (Self::SharedPictures, "shared-pictures"),
        (Self::SharedMusic, "shared-music"),
        (Self::SharedVideos, "shared-videos"),
        (Self::SharedData, "shared-data"),
        (Self::DriveRoot, "drive-root"),
    ];

    /// All of them.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::NAMES.iter().map(|(place, _)| *place)
    }

    /// Its name in trunks and rules.
    pub fn name(self) -> &'static str {
        Self::NAMES.iter().find(|(place, _)| *place == self).map_or("", |(_, name)| name)
    }

    /// The place of that name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::NAMES.iter().find(|(_, known)| *known == name).map(|(place, _)| *place)
    }

    /// True if each account has its own.
    pub fn is_personal(self) -> bool {
        self < Self::SharedHome
    }
}

/// A place on a given machine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundPlace {
    /// Below the volume's root, in the spelling of the volume for the steps that exist.
    pub path: RelativePath,
    /// Whether it is there.
    pub state: PlaceState,
}

/// Whether a place is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlaceState {
    /// It is a folder.
    Present,
    /// It is not there, and could be made.
    Absent,
    /// A link stands there, or above it. It is not followed.
    IsLink,
    /// A file stands there, or above it.
    IsFile,
    /// It is, or is in, what the driver that shows the volume has no way into: a folder kept in step with a
    /// cloud.
    Shut,
    /// It could not be looked at.
    Unreadable,
}
