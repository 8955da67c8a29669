//! `porter capture`.

use super::rules::OwnRulesArguments;
use super::survey::look_at;
use crate::arguments::{ChoiceArguments, ConductArguments, ListArguments, SelectionArguments};
use crate::failure::{Failure, Outcome};
use crate::screen::say_json;
use crate::{open, paths, views};
use clap::{Args, ValueEnum};
use porter_core::capture::{CaptureError, capture, forecast};
use porter_core::machine::Machine;
use porter_trunk::label::{FORMAT, FormatVersion, MAJOR, MINOR};
use porter_trunk::open_form::OpenTrunkWriter;
use porter_trunk::{AccountLabel, Label, MachineLabel, TrunkError, TrunkId};
use std::path::PathBuf;

/// Capture a machine's items into a new trunk, and read it back
#[derive(Debug, Args)]
pub(crate) struct CaptureArguments {
    /// Folder where the machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    /// Folder for the trunk: new, or empty
    #[arg(value_parser = paths::typed())]
    trunk: PathBuf,
    /// Form of the trunk
    #[arg(long, value_enum, default_value_t = Form::Open)]
    form: Form,
    /// Only the items of this account (may be given several times)
    #[arg(long, value_name = "NAME")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    choice: ChoiceArguments,
    #[command(flatten)]
    packing: ListArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    #[command(flatten)]
    label: LabelArguments,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

/// The forms of trunk.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Form {
    /// Plain folders that anyone can browse (a BagIt bag)
    Open,
}

/// What to write on the outside of the trunk.
#[derive(Debug, Args)]
#[command(next_help_heading = "On the label")]
struct LabelArguments {
    /// What the workshop calls the job
    #[arg(long, value_name = "NUMBER")]
    job: Option<String>,
    /// Who makes the capture
    #[arg(long, value_name = "NAME")]
    technician: Option<String>,
    /// The workshop
    #[arg(long, value_name = "NAME")]
    workshop: Option<String>,
    /// Whose things these are
    #[arg(long, value_name = "NAME")]
    owner: Option<String>,
    /// How to reach them if the trunk is found
    #[arg(long, value_name = "TEXT")]
    return_to: Option<String>,
}

pub(crate) fn run(arguments: &CaptureArguments) -> Result<Outcome, Failure> {
    let Form::Open = arguments.form;
    let machine = open::machine(&arguments.machine)?;
    let catalogue = open::catalogue(&machine, &arguments.rules)?;
    let selection =
        open::selection_on(&machine, &arguments.account, &arguments.selection, &arguments.choice)?;
    let list = open::packing_list(&arguments.packing)?;
    let selection = open::narrowed(selection, list.as_ref());
    let unchosen = open::unchosen(&arguments.choice, list.as_ref())?;
    let survey = look_at(&machine, &catalogue, &selection, &unchosen, &arguments.conduct)?;
    views::capture::tell_running(&survey);
    if let Some(list) = &list {
        views::capture::tell_changes(&machine, list, &list.changes_in(&survey));
    }
    let forecast = forecast(&machine, &survey, &arguments.trunk)?;
    let label = label(&machine, &arguments.label)?;
    let trunk_id = label.trunk_id.short();
    let trunk = OpenTrunkWriter::create(&arguments.trunk, label)?;
    if !arguments.json {
        views::capture::show_forecast(&machine, &forecast, &arguments.trunk);
    }
    let report = open::conducted(&arguments.conduct, |conduct| {
        capture(&machine, &catalogue, &survey, &unchosen, &trunk, &open::now_utc, conduct)
    })??;
    if arguments.json {
        say_json(&views::capture::json(&report, &arguments.trunk, &trunk_id));
    } else {
        views::capture::show(&report, &arguments.trunk, &trunk_id);
    }
    Ok(Outcome::attention_if(views::capture::need_attention(&report).next().is_some()))
}

fn label(machine: &Machine, given: &LabelArguments) -> Result<Label, Failure> {
    let trunk_id = TrunkId::random().map_err(|cause| {
        CaptureError::Trunk(TrunkError::Io { doing: "asking for randomness", path: PathBuf::new(), cause })
    })?;
    let accounts = machine
        .accounts
        .iter()
        .map(|account| AccountLabel { id: account.id.clone(), name: account.shown_name() })
        .collect();
    Ok(Label {
        format: FORMAT.to_owned(),
        version: FormatVersion { major: MAJOR, minor: MINOR },
        trunk_id,
        made_by: concat!("porter ", env!("CARGO_PKG_VERSION")).to_owned(),
        started_utc: open::now_utc(),
        machine: MachineLabel { name: machine.name.clone(), system: machine.system.clone() },
        accounts,
        job: given.job.clone(),
        technician: given.technician.clone(),
        workshop: given.workshop.clone(),
        owner: given.owner.clone(),
        return_to: given.return_to.clone(),
    })
}
