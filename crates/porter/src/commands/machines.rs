//! `porter machines`.

use crate::failure::{Failure, Outcome};
use crate::screen::say_json;
use crate::{paths, views};
use clap::Args;
use porter_core::machines::{DriveFound, SystemFound, look_at};
use porter_disk::Reading;
use porter_disk::device::{self, Device};
use porter_disk::drive::path_and_part;
use porter_disk::lock::NoKeys;
use porter_machine::here;
use std::path::PathBuf;

/// List the drives that are there, and what is on each: systems, people, what is locked. Reads only
#[derive(Debug, Args)]
pub(crate) struct MachinesArguments {
    /// Only this drive, partition or image (may be several)
    #[arg(value_name = "DRIVE_OR_IMAGE", value_parser = paths::typed())]
    drives: Vec<PathBuf>,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
}

/// A drive with what was found on it, or why it cannot be read.
pub(crate) struct Row {
    /// As it is named to the other commands.
    pub(crate) path: PathBuf,
    /// The facts that the system has; none for an image.
    pub(crate) device: Option<Device>,
    /// Its content, or in words why that cannot be read.
    pub(crate) found: Result<DriveFound, String>,
}

pub(crate) fn run(arguments: &MachinesArguments) -> Result<Outcome, Failure> {
    let devices = device::all();
    let row = |path: PathBuf| {
        let found = look_at(&path, &Reading::default(), &NoKeys).map_err(|error| error.to_string());
        let device = devices.iter().find(|device| device.path == path).cloned();
        Row { path, device, found }
    };
    let here = if arguments.drives.is_empty() { here().ok() } else { None };
    let here = here.as_ref().map(SystemFound::of);
    let rows: Vec<Row> = if arguments.drives.is_empty() {
        devices.iter().map(|device| row(device.path.clone())).collect()
    } else {
        arguments.drives.iter().map(|named| row(path_and_part(named).0)).collect()
    };
    if arguments.json {
        say_json(&views::machines::json(&rows, here.as_ref()));
    } else {
        views::machines::show(&rows, here.as_ref());
    }
    let unreadable = rows.iter().any(|row| row.found.is_err());
    if unreadable && !arguments.drives.is_empty() {
        return Err(Failure::new(
            "not everything that was named could be read",
            "Is it a drive or an image, and may you read it? To read a drive takes an administrator or root.",
        ));
    }
    Ok(Outcome::Well)
}
