//! `porter`: carries a person's files from an old PC to a new one, and proves that they arrived.
//!
//! One file per command in `commands`, what they show in `views`, what went wrong and what to do about it in
//! `failure`. The job itself is done by porter-core.

mod amounts;
mod arguments;
mod awake;
mod command_line;
mod commands;
mod drive;
mod failure;
mod keys;
mod open;
mod outlook;
mod paths;
mod power;
mod progress;
mod publish;
mod rules_folder;
mod saved_receipt;
mod screen;
mod stop;
mod target_speed;
mod usable_list;
mod views;

use clap::Parser;
use command_line::Arguments;
use failure::Failure;
use screen::output_failed;
use std::process::ExitCode;

/// A million entries are a hundred million small pieces of memory, which the system's own allocator hands out
/// slowly.
#[cfg(unix)]
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    views::numbers::know_zone();
    let arguments = Arguments::parse();
    stop::listen();
    let done = command_line::run(&arguments);
    match done
        .and_then(|outcome| output_failed().map_or(Ok(outcome), |cause| Err(Failure::of_output(&cause))))
    {
        Ok(outcome) => outcome.exit_code(),
        Err(failure) => {
            failure.show();
            failure.exit_code()
        }
    }
}
