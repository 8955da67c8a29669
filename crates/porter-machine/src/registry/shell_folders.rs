//! Where Windows notes which folder is which place: `…\Explorer\User Shell Folders` in each person's
//! registry.
//!
//! The names up to Windows XP are words; later ones are the ids of known folders
//! (<https://learn.microsoft.com/windows/win32/shell/knownfolderid>).

use crate::Place;

/// The registry key, below a person's own.
pub const KEY: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders";

const VALUES: [(&str, Place); 15] = [
    ("Desktop", Place::Desktop),
    ("Personal", Place::Documents),
    ("{374DE290-123F-4565-9164-39C4925E467B}", Place::Downloads),
    ("My Pictures", Place::Pictures),
    ("My Music", Place::Music),
    ("My Video", Place::Videos),
    ("My Videos", Place::Videos),
    ("Favorites", Place::Favourites),
    ("{56784854-C6CB-462B-8169-88E350ACB882}", Place::Contacts),
    ("{BFB9D5E0-C6A9-404C-B2B2-AE6DB6AF4968}", Place::Links),
    ("{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}", Place::SavedGames),
    ("{7D1D3A04-DEBB-4115-95CF-2F29DA2920DA}", Place::Searches),
    ("AppData", Place::RoamingData),
    ("Local AppData", Place::LocalData),
    ("{A520A1A4-1780-4FF6-BD18-167343C5AF16}", Place::LocalLowData),
];

/// The place that a value of the key names.
pub fn place_of(value: &str) -> Option<Place> {
    VALUES.iter().find(|(name, _)| name.eq_ignore_ascii_case(value)).map(|(_, place)| *place)
}
