//! All tests of the crate in one program: each program more is linked for every system that they run on.

mod a_new_kind;
mod catalogue;
mod choosing;
mod data_files;
mod drives;
mod dying_drives;
mod failing_sources;
mod history;
mod mail;
#[cfg(unix)]
mod never_loses;
#[cfg(unix)]
mod receipts;
mod recognising;
mod registry;
mod settings;
mod settings_of_windows;
mod stand_ins;
