//! The files of a profile of the browsers and mail programs around Gecko.
//!
//! - [`places`]: bookmarks and history, in `places.sqlite`;
//! - [`icons`]: their pictures, in `favicons.sqlite`;
//! - [`logins`]: how many passwords there are, in `logins.json` or `logins.db`;
//! - [`key_store`]: whether a primary password stands before them, in `key4.db`;
//! - [`session`]: the open tabs, in `sessionstore.jsonlz4`;
//! - [`moz_lz4`]: how some of these are compressed;
//! - [`prefs`]: the settings, in `prefs.js`;
//! - [`extensions`]: what was added to the browser, in `extensions.json`;
//! - [`cookies`]: those of the usual windows, in `cookies.sqlite`;
//! - [`address_book`] and [`calendar`]: contacts, events and tasks, counted;
//! - [`feeds`]: those that a mail program reads;
//! - [`install_hash`]: how an installation is named in `installs.ini`.

pub mod address_book;
pub mod calendar;
pub mod cookies;
pub mod extensions;
pub mod feeds;
pub mod icons;
pub mod install_hash;
pub mod key_store;
pub mod logins;
pub mod moz_lz4;
pub mod places;
pub mod prefs;
pub mod session;
