//! `porter take`.

use super::look::{holds, item_and_path, nothing_there};
use crate::arguments::{ConductArguments, TrunkArguments};
use crate::failure::{Failure, Outcome};
use crate::{open, paths, views};
use clap::Args;
use porter_core::restore::{plan_take, run_plan};
use std::path::PathBuf;

/// Take one thing out of a trunk, into a folder
#[derive(Debug, Args)]
pub(crate) struct TakeArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// An item, or a folder or file in it: odile/folder/documents/Kites
    #[arg(value_name = "ITEM[/PATH]")]
    item: String,
    /// Folder to put it into; made if it is not there. What differs there is set aside, never deleted
    #[arg(value_parser = paths::typed())]
    folder: PathBuf,
    #[command(flatten)]
    conduct: ConductArguments,
}

pub(crate) fn run(arguments: &TakeArguments) -> Result<Outcome, Failure> {
    let trunk = open::trunk(&arguments.trunk)?;
    let trunk = &*trunk;
    let (item, below) = item_and_path(trunk, &arguments.item)?;
    if !holds(trunk, item, &below)? {
        return Err(nothing_there(item, &below));
    }
    std::fs::create_dir_all(&arguments.folder).map_err(|cause| {
        Failure::new(
            format!("`{}` cannot be made: {cause}", paths::shown(&arguments.folder)),
            "Name a folder that can be written to.",
        )
    })?;
    let report = open::conducted(&arguments.conduct, |conduct| {
        let plan = plan_take(trunk, &item.id, &below, &arguments.folder, open::now_utc(), conduct)?;
        run_plan(trunk, plan, None, &open::now_utc, conduct)
    })??;
    views::restore::show("Taken.", &report);
    Ok(Outcome::attention_if(report.refused.iter().any(|refused| refused.needs_attention)))
}
