//! The formats that a person's things are in, decoded from bytes and encoded again. Nothing here knows of
//! machines or trunks.
//!
//! - [`bookmarks`]: the tree that all bookmarks are turned into, how two trees become one, and the open file
//!   form of it;
//! - [`links`]: pages and outlines of links: open tabs, histories, feeds;
//! - [`encoding`]: bytes that are text;
//! - [`contacts`]: people with their addresses, for other programs;
//! - [`calendar`]: events and tasks, for other programs;
//! - [`cookies`]: the text that programs share;
//! - [`gecko`]: what the browsers and mail programs around Gecko keep;
//! - [`gvdb`]: settings of desktops;
//! - [`chromium`]: what the browsers around Chromium keep;
//! - [`folder_looks`]: how a folder of Windows looks;
//! - [`shortcut`]: Windows' files with one address each;
//! - [`registration`]: keys of a registry as a text that Windows takes in;
//! - [`safari`]: Safari's list;
//! - [`mail`]: mailboxes, counted, and lists of addresses;
//! - [`mork`]: tables of old mail programs;
//! - [`ipp`]: messages to a print system, and its answers;
//! - [`ppd`]: descriptions of printers, with the options that were chosen;
//! - [`inf`]: setup information of a driver's package;
//! - [`print_defaults`]: what a printer does with a page of itself;
//! - [`scheduled_task`]: tasks that a Windows does by itself;
//! - [`security_descriptor`]: who may do what, as Windows keeps it;
//! - [`wifi`]: wireless networks, as Windows and NetworkManager know them;
//! - [`percent`]: letters of addresses that are written as numbers;
//! - [`ini`]: sections of names and values, changed without touching what is not meant.

pub mod bookmarks;
pub mod calendar;
pub mod chromium;
pub mod contacts;
mod content_lines;
pub mod cookies;
pub mod encoding;
pub mod error;
pub mod folder_looks;
pub mod gecko;
pub mod gvdb;
pub mod html;
pub mod inf;
pub mod ini;
pub mod ipp;
pub mod links;
pub mod mail;
pub mod mork;
pub mod percent;
pub mod ppd;
pub mod print_defaults;
pub mod property_list;
pub mod registration;
pub mod safari;
pub mod scheduled_task;
pub mod security_descriptor;
pub mod shortcut;
pub mod wifi;
mod xml;

pub use error::FormatError;
