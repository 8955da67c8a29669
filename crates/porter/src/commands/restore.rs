//! `porter restore`.

use super::rules::OwnRulesArguments;
use crate::arguments::{ConductArguments, ListArguments, SelectionArguments, TrunkArguments};
use crate::failure::{Failure, Outcome};
use crate::screen::{say, say_json, tell};
use crate::{open, paths, views};
use clap::Args;
use porter_core::restore::{RestoreError, plan_restore, run_plan};
use std::io::{IsTerminal, Write};
use std::path::PathBuf;

/// Restore a trunk's items onto another machine. Nothing there is deleted or overwritten
#[derive(Debug, Args)]
pub(crate) struct RestoreArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// Folder where the new machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    /// OLD=NEW: the account OLD goes into the account NEW. A name alone: only the items of that account
    #[arg(long, value_name = "OLD=NEW")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    packing: ListArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    /// Say what would happen, and change nothing
    #[arg(long = "try")]
    try_only: bool,
    /// Do not ask
    #[arg(long, short)]
    yes: bool,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

pub(crate) fn run(arguments: &RestoreArguments) -> Result<Outcome, Failure> {
    if !arguments.yes && !arguments.try_only && !std::io::stdin().is_terminal() {
        return Err(Failure::wrong_use(
            "nobody is there to be asked",
            "Nothing was changed. Add --yes to restore, or --try to see what would happen.",
        ));
    }
    let trunk = open::trunk(&arguments.trunk)?;
    let trunk = &*trunk;
    let machine = open::machine(&arguments.machine)?;
    let (mapping, selection) = open::selection_in(trunk.label(), &arguments.account, &arguments.selection)?;
    let selection = open::narrowed(selection, open::packing_list(&arguments.packing)?.as_ref());
    let ids = trunk.items().iter().map(|item| (item.id.as_str(), item.account.as_deref()));
    open::refuse_unmatched(&selection, ids)?;
    let catalogue = open::catalogue(&machine, &arguments.rules)?;
    let plan = open::conducted(&arguments.conduct, |conduct| {
        plan_restore(trunk, &machine, &catalogue, &mapping, &selection, open::now_utc(), conduct)
    })??;
    let needs_attention = |refused: &[porter_core::restore::Refused]| {
        Outcome::attention_if(refused.iter().any(|refused| refused.needs_attention))
    };
    if !arguments.json {
        views::restore::show_plan(&plan, &trunk.label().machine.name, &machine.name);
    }
    if arguments.try_only {
        if arguments.json {
            say_json(&views::restore::plan_json(&plan));
        } else {
            say("");
            say("Only tried: nothing was changed.");
        }
        return Ok(needs_attention(&plan.refused));
    }
    if !arguments.yes && !asked() {
        return Err(Failure::new("not restored", "Nothing was changed."));
    }
    let Some(records) = machine.records_on_host() else {
        let folder = machine.layout.shared_data.to_owned();
        return Err(RestoreError::RecordsInTheWay(folder).into());
    };
    let accounts = plan.accounts.clone();
    let is_setting =
        |item: &&porter_trunk::TrunkItem| plan.items.contains(&item.id) && !item.facts.is_empty();
    let settings = trunk.items().iter().filter(is_setting).count();
    let report = open::conducted(&arguments.conduct, |conduct| {
        run_plan(trunk, plan, Some(&records), &open::now_utc, conduct)
    })??;
    if arguments.json {
        say_json(&views::restore::json(&report, &accounts));
    } else {
        views::restore::show("Restored.", &report);
        if settings > 0 {
            views::restore::tell_of_settings(settings as u64);
        }
    }
    Ok(needs_attention(&report.refused))
}

/// Only on a terminal; anything but a clear yes is a no.
fn asked() -> bool {
    tell("");
    let _ = write!(std::io::stderr(), "Restore now? [y/N] ");
    let mut answer = String::new();
    let _ = std::io::stdin().read_line(&mut answer);
    matches!(answer.trim().to_ascii_lowercase().as_str(), "y" | "yes")
}
