//! One file per command: its arguments, one call of the core, one view.

pub(crate) mod capture;
pub(crate) mod check;
mod choose;
pub(crate) mod demo;
mod homeless;
pub(crate) mod look;
pub(crate) mod passphrase;
pub(crate) mod receipt;
pub(crate) mod restore;
pub(crate) mod rules;
pub(crate) mod survey;
pub(crate) mod take;
pub(crate) mod undo;
pub(crate) mod workshop_key;

use crate::arguments::{Arguments, Command};
use crate::failure::{Failure, Outcome};

/// Runs a command. The demo comes through here too, so what it shows is what it runs.
pub(crate) fn run(arguments: &Arguments) -> Result<Outcome, Failure> {
    match &arguments.command {
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
        Command::Demo(arguments) => demo::run(arguments),
    }
}
