//! All tests of the program in one: each program more is linked for every system that they run on.
//!
//! On Windows those are left out that ask the system for nothing of its own: they prove the same there, and
//! a Windows starts programs slowly.

#[cfg(not(windows))]
mod accounts;
mod again_and_again;
#[cfg(not(windows))]
mod any_machine;
#[cfg(target_os = "linux")]
mod at_the_terminal;
mod believe_nothing;
#[cfg(not(windows))]
mod browsers;
mod capture;
#[cfg(not(windows))]
mod command_line;
#[cfg(not(windows))]
mod copies;
#[cfg(target_os = "linux")]
mod differences;
#[cfg(not(windows))]
mod documents;
#[cfg(not(windows))]
mod drives;
#[cfg(not(windows))]
mod hostile_journal;
#[cfg(not(windows))]
mod hostile_trunk;
#[cfg(not(windows))]
mod labels;
mod less_than_there_was;
#[cfg(not(windows))]
mod letters_taken;
#[cfg(unix)]
mod linux;
#[cfg(not(windows))]
mod machines;
#[cfg(not(windows))]
mod mail;
#[cfg(not(windows))]
mod mail_into;
#[cfg(not(windows))]
mod mail_programs;
#[cfg(unix)]
mod moving_ground;
mod networks;
mod new_folders;
mod pictures;
mod placing;
#[cfg(unix)]
mod printers;
#[cfg(not(windows))]
mod readiness;
#[cfg(not(windows))]
mod receipt;
#[cfg(not(windows))]
mod registry_parts;
mod restore;
#[cfg(unix)]
mod round_trips;
#[cfg(not(windows))]
mod rules;
mod scripts;
#[cfg(not(windows))]
mod settings;
mod shared_data;
#[cfg(not(windows))]
mod survey;
#[cfg(not(windows))]
mod true_receipts;
#[cfg(not(windows))]
mod trunks;
mod undo;
mod whole_job;
#[cfg(windows)]
mod windows;
mod without_system;
mod workbench;
