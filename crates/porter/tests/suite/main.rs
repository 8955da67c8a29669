//! All tests of the crate in one program: each program more is linked for every system that they run on.

mod accounts;
mod again_and_again;
mod any_machine;
#[cfg(target_os = "linux")]
mod at_the_terminal;
mod believe_nothing;
mod browsers;
mod capture;
mod command_line;
mod copies;
#[cfg(target_os = "linux")]
mod differences;
mod documents;
mod drives;
mod hostile_journal;
mod hostile_trunk;
mod labels;
mod less_than_there_was;
#[cfg(unix)]
mod linux;
mod machines;
mod mail;
mod mail_programs;
#[cfg(unix)]
mod moving_ground;
mod new_folders;
mod placing;
#[cfg(unix)]
mod printers;
mod readiness;
mod receipt;
mod registry_parts;
mod restore;
#[cfg(unix)]
mod round_trips;
mod rules;
mod scripts;
mod settings;
mod shared_data;
mod survey;
mod true_receipts;
mod trunks;
mod undo;
mod whole_job;
#[cfg(windows)]
mod windows;
mod without_system;
mod workbench;
