//! The command line: all commands, and which of them was given.

use crate::commands::{
    capture, check, demo, look, machines, passphrase, receipt, restore, rules, survey, take, undo,
    workshop_key,
};
use crate::failure::{Failure, Outcome};
use clap::{Parser, Subcommand};

/// Loyal Porter carries a person's digital life from an old PC to a new one, and proves that it arrived.
#[derive(Debug, Parser)]
#[command(name = "porter", version = VERSION, max_term_width = 100, after_help = EXIT_STATUS)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    command: Command,
}

/// With the systems it was built for: a bug report needs both.
const VERSION: &str = concat!(env!("CARGO_PKG_VERSION"), " (", env!("PORTER_TARGET"), ")");

const EXIT_STATUS: &str = "\
A MACHINE is the folder where the system drive of a PC is mounted (or a copy of it),
a drive or an image of one (`porter machines` lists the drives that are there),
or the word `here` for the running PC.
A TRUNK is the folder that a capture makes.

Exit status: 0 all done and all well, 1 could not be done, 2 wrong use,
             3 done, but something needs a person's attention.

`porter demo` shows the whole job on made-up machines.";

#[derive(Debug, Subcommand)]
enum Command {
    Machines(machines::MachinesArguments),
    Survey(survey::SurveyArguments),
    Capture(Box<capture::CaptureArguments>),
    Look(look::LookArguments),
    Take(take::TakeArguments),
    Restore(restore::RestoreArguments),
    Check(check::CheckArguments),
    Receipt(receipt::ReceiptArguments),
    Undo(undo::UndoArguments),
    Rules(rules::RulesArguments),
    Passphrase(passphrase::PassphraseArguments),
    WorkshopKey(workshop_key::WorkshopKeyArguments),
    Demo(demo::DemoArguments),
}

/// Runs a command. The demo comes through here too, so what it shows is what it runs.
pub(crate) fn run(arguments: &Arguments) -> Result<Outcome, Failure> {
    match &arguments.command {
        Command::Machines(arguments) => machines::run(arguments),
        Command::Survey(arguments) => survey::run(arguments),
        Command::Capture(arguments) => capture::run(arguments),
        Command::Look(arguments) => look::run(arguments),
        Command::Take(arguments) => take::run(arguments),
        Command::Restore(arguments) => restore::run(arguments),
        Command::Check(arguments) => check::run(arguments),
        Command::Receipt(arguments) => receipt::run(arguments),
        Command::Undo(arguments) => undo::run(arguments),
        Command::Rules(arguments) => rules::run(arguments),
        Command::Passphrase(arguments) => passphrase::run(arguments),
        Command::WorkshopKey(arguments) => workshop_key::run(arguments),
        Command::Demo(arguments) => demo::run(arguments, &run_line),
    }
}

fn run_line(words: &[&str]) -> Result<Outcome, Failure> {
    let arguments = Arguments::try_parse_from(std::iter::once("porter").chain(words.iter().copied()))
        .map_err(|error| Failure::new(error.to_string(), "This is a fault of porter."))?;
    run(&arguments)
}
