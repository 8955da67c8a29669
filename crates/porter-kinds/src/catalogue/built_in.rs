//! The carry rules that porter brings along. A further one is a file, and a line here.

use super::{CarryRule, CatalogueError};

/// The text of a built-in rule, as `porter rules show` prints it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BuiltIn {
    /// The file.
    pub text: &'static str,
}

macro_rules! files {
    ($($name:literal),* $(,)?) => {
        [$(BuiltIn { text: include_str!(concat!($name, ".toml")) }),*]
    };
}

/// In the order in which people look for what they carry.
static FILES: &[BuiltIn] = &files![
    "folder/desktop",
    "folder/documents",
    "folder/pictures",
    "folder/downloads",
    "folder/music",
    "folder/videos",
    "folder/favourites",
    "folder/contacts",
    "folder/links",
    "folder/saved-games",
    "folder/searches",
    "browser/firefox",
    "browser/librewolf",
    "browser/waterfox",
    "browser/seamonkey",
    "browser/chrome",
    "browser/chromium",
    "browser/edge",
    "browser/brave",
    "browser/vivaldi",
    "browser/opera",
    "browser/safari",
    "mail/thunderbird",
    "mail/outlook-data",
    "mail/outlook-lists",
    "mail/signatures",
    "mail/stationery",
    "mail/outlook-express",
    "mail/windows-mail",
    "mail/windows-live-mail",
    "mail/apple-mail",
    "mail/evolution",
    "mail/kmail",
    "mail/claws",
    "mail/mail-folder",
    "contacts/windows-address-book",
    "contacts/apple-contacts",
    "calendar/apple-calendar",
    "notes/sticky-notes",
    "office/templates",
    "office/dictionaries",
    "office/libreoffice",
    "font/own",
    "keys/ssh",
    "keys/gnupg",
    "network/dial-up",
    "folder/home",
    "folder/roaming-data",
    "folder/local-data",
    "folder/local-low-data",
    "folder/shared-desktop",
    "folder/shared-documents",
    "folder/shared-pictures",
    "folder/shared-downloads",
    "folder/shared-music",
    "folder/shared-videos",
    "folder/shared-home",
    "folder/shared-data",
    "font/shared",
    "font/everybody",
    "network/hosts",
    "network/wifi",
    "network/shared-dial-up",
    "print/cups",
    "sign-in/accounts",
    "task/scheduled",
];

/// Reads them all, each with its text.
pub fn built_in_rules() -> Result<Vec<(CarryRule, BuiltIn)>, CatalogueError> {
    FILES.iter().map(|file| Ok((CarryRule::from_toml(file.text)?, *file))).collect()
}
