//! `porter receipt`.

use crate::failure::{Failure, Outcome};
use crate::publish::{publish, will_publish};
use crate::screen::say_json;
use crate::{paths, saved_receipt, views};
use clap::Args;
use porter_core::receipt::{Compared, Receipt};
use std::path::{Path, PathBuf};

/// Show a saved receipt again, as text, page or JUnit XML, or compare it with a later one
#[derive(Debug, Args)]
pub(crate) struct ReceiptArguments {
    /// The JSON that `porter check --json` wrote
    #[arg(value_parser = paths::typed())]
    receipt: PathBuf,
    /// A later receipt of the same trunk, to be compared with the first
    #[arg(value_parser = paths::typed())]
    later: Option<PathBuf>,
    /// Write it as a page to print and sign
    #[arg(long, value_name = "FILE.html", value_parser = paths::typed(), conflicts_with = "later")]
    page: Option<PathBuf>,
    /// Write it as JUnit XML, a test for each item
    #[arg(long, value_name = "FILE.xml", value_parser = paths::typed(), conflicts_with = "later")]
    junit: Option<PathBuf>,
    /// The comparison as one JSON document on standard output
    #[arg(long, requires = "later")]
    json: bool,
}

pub(crate) fn run(arguments: &ReceiptArguments) -> Result<Outcome, Failure> {
    will_publish(arguments.page.iter().chain(&arguments.junit))?;
    let receipt = load(&arguments.receipt)?;
    let Some(later) = &arguments.later else {
        if let Some(path) = &arguments.page {
            publish(path, views::page::html(&receipt).as_bytes())?;
        }
        if let Some(path) = &arguments.junit {
            publish(path, views::junit::xml(&receipt).as_bytes())?;
        }
        views::receipt::show(&receipt);
        return Ok(Outcome::attention_if(receipt.needs_attention()));
    };
    let later = load(later)?;
    if later.trunk.trunk_id != receipt.trunk.trunk_id {
        return Err(Failure::wrong_use(
            "these receipts are of different trunks",
            "Two receipts of one trunk can be compared: the earlier one first.",
        ));
    }
    let compared = Compared::new(&receipt, &later);
    if arguments.json {
        say_json(&views::compared::json(&compared));
    } else {
        views::compared::show(&receipt, &later, &compared);
    }
    Ok(Outcome::attention_if(later.needs_attention()))
}

fn load(path: &Path) -> Result<Receipt, Failure> {
    let shown = paths::shown(path);
    let bytes = std::fs::read(path).map_err(|cause| {
        Failure::new(
            format!("`{shown}` cannot be read: {cause}"),
            "Name a file that `porter check --json` wrote.",
        )
    })?;
    saved_receipt::from_bytes(&bytes).map_err(|cause| {
        Failure::new(format!("`{shown}`: {cause}"), "Name a file that `porter check --json` wrote.")
    })
}
