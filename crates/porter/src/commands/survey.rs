//! `porter survey`.

use crate::arguments::{ConductArguments, SelectionArguments};
use crate::failure::{Failure, Outcome};
use crate::publish::publish;
use crate::screen::say_json;
use crate::{open, paths, views};
use clap::Args;
use porter_core::catalogue::Catalogue;
use porter_core::machine::Machine;
use porter_core::packing::Selection;
use porter_core::survey::{Survey, survey};
use std::path::PathBuf;

/// Look at a machine: who, what, how big, and what to beware of. Reads only
#[derive(Debug, Args)]
pub(crate) struct SurveyArguments {
    /// Folder where the machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    /// Only the items of this account (may be given several times)
    #[arg(long, value_name = "NAME")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    /// Write the packing list to FILE: which items are carried, to be edited and given to a capture
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    list: Option<PathBuf>,
    /// Write the installed programs to FILE.csv: the list of what to install again
    #[arg(long, value_name = "FILE.csv", value_parser = paths::typed())]
    programs: Option<PathBuf>,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

pub(crate) fn run(arguments: &SurveyArguments) -> Result<Outcome, Failure> {
    let machine = open::machine(&arguments.machine)?;
    let catalogue = open::catalogue(&machine)?;
    let selection = open::selection_on(&machine, &arguments.account, &arguments.selection)?;
    let survey = look_at(&machine, &catalogue, &selection, &arguments.conduct)?;
    if let Some(path) = &arguments.list {
        publish(path, views::survey::packing_list(&machine, &survey).as_bytes())?;
    }
    if let Some(path) = &arguments.programs {
        let table = views::survey::programs_csv(&machine).map_err(|error| {
            Failure::new(format!("the list of programs: {error}"), "This is a fault of porter.")
        })?;
        publish(path, &table)?;
    }
    if arguments.json {
        say_json(&views::survey::json(&machine, &survey));
    } else {
        views::survey::show(&machine, &survey);
    }
    Ok(Outcome::Well)
}

/// A survey of which every pattern fits something.
pub(crate) fn look_at(
    machine: &Machine,
    catalogue: &Catalogue,
    selection: &Selection,
    conduct: &ConductArguments,
) -> Result<Survey, Failure> {
    let found = open::conducted(conduct, |conduct| survey(machine, catalogue, selection, conduct))?
        .map_err(|cancelled| Failure::new(cancelled.to_string(), "Nothing was changed."))?;
    let ids = found.items.iter().map(|row| (row.item.id.as_str(), row.item.owner.as_deref()));
    open::refuse_unmatched(selection, ids)?;
    Ok(found)
}
