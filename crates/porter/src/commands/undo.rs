//! `porter undo`.

use crate::arguments::OwnRulesArguments;
use crate::arguments::{ConductArguments, DriveArguments};
use crate::failure::{Failure, Outcome};
use crate::screen::{confirmed, say, say_json};
use crate::{open, paths, views};
use clap::Args;
use porter_core::journal::{Record, Run, records_in};
use porter_core::undo::{UndoError, UndoGrounds, last_standing, take_back};
use std::io::IsTerminal;
use std::path::PathBuf;

/// Take the last restore back: remove the files that landed, and give those that were set aside their names
/// again. Files that were changed since stay
#[derive(Debug, Args)]
pub(crate) struct UndoArguments {
    /// Folder where the new machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    #[command(flatten)]
    drives: DriveArguments,
    /// Show the restores that this machine has seen, and change nothing
    #[arg(long)]
    list: bool,
    /// Say what would happen, and change nothing
    #[arg(long = "try", alias = "dry-run", conflicts_with = "list")]
    try_only: bool,
    /// Do not ask
    #[arg(long, short)]
    yes: bool,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    rules: OwnRulesArguments,
    #[command(flatten)]
    conduct: ConductArguments,
}

pub(crate) fn run(arguments: &UndoArguments) -> Result<Outcome, Failure> {
    let machine = open::machine(&arguments.machine, &arguments.drives)?;
    let asks = !arguments.yes && !arguments.try_only && !arguments.list;
    if asks && !std::io::stdin().is_terminal() {
        return Err(Failure::wrong_use(
            "nobody is there to be asked",
            "Nothing was changed. Add --yes to take the last restore back, or --try to see what would happen.",
        ));
    }
    let target = machine.volume.host_tree().ok_or(UndoError::ReadOnlyMachine)?;
    let kinds = open::kinds(&machine, &arguments.rules)?;
    let grounds = UndoGrounds::new(&machine, &kinds);
    let records = machine.records_on_host().map(|folder| records_in(&folder)).unwrap_or_default();
    if arguments.list {
        if arguments.json {
            say_json(&views::undo::list_json(&records));
        } else {
            views::undo::show_list(&records, &machine.name);
        }
        let is_unreadable = |record: &Record| matches!(record, Record::Unreadable(_));
        return Ok(Outcome::attention_if(records.iter().any(is_unreadable)));
    }
    let last = &last_standing(records)?;
    let undo = |run: &Run, try_only: bool| {
        open::conducted(&arguments.conduct, |conduct| {
            take_back(run, target, &grounds, try_only, &open::now_utc, conduct)
        })
    };
    if asks || arguments.try_only {
        let planned = undo(last, true)??;
        if arguments.try_only && arguments.json {
            say_json(&views::undo::json(last, &planned, true));
            return Ok(Outcome::attention_if(planned.needs_attention()));
        }
        views::undo::show_plan(last, &planned, &machine.name);
        if arguments.try_only {
            say("");
            say("Only tried: nothing was changed.");
            return Ok(Outcome::attention_if(planned.needs_attention()));
        }
        if !confirmed("Take this restore back now?") {
            return Err(Failure::new("not taken back", "Nothing was changed."));
        }
    }
    let report = undo(last, false)??;
    if arguments.json {
        say_json(&views::undo::json(last, &report, false));
    } else {
        views::undo::show(last, &report);
    }
    Ok(Outcome::attention_if(report.needs_attention()))
}
