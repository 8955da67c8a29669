//! `porter receipt`.

use crate::failure::{Failure, Outcome};
use crate::publish::{publish, will_publish};
use crate::screen::{CARE, say, say_json, styled, tell};
use crate::{keys, paths, saved_receipt, views};
use clap::Args;
use porter_kinds::receipt::{Compared, Receipt};
use porter_trunk::signature::Authenticity;
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
        let is_as_signed = tell_signer(&arguments.receipt);
        return Ok(Outcome::attention_if(receipt.needs_attention() || !is_as_signed));
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

pub(super) fn load(path: &Path) -> Result<Receipt, Failure> {
    let shown = paths::shown(path);
    let bytes = std::fs::read(path).map_err(|cause| {
        let what = format!("`{shown}` cannot be read: {cause}");
        Failure::about_name(&cause, what, "Name a file that `porter check --json` wrote.")
    })?;
    saved_receipt::from_bytes(&bytes).map_err(|cause| {
        Failure::new(format!("`{shown}`: {cause}"), "Name a file that `porter check --json` wrote.")
    })
}

/// Says who signed a saved receipt. False if it was altered since.
fn tell_signer(path: &Path) -> bool {
    let document = std::fs::read(path).ok().and_then(|bytes| serde_json::from_slice(&bytes).ok());
    match document.map_or(Authenticity::NotSigned, |document| views::signed::authenticity_of(&document)) {
        Authenticity::NotSigned => {}
        Authenticity::Signed(signature) => {
            say(format_args!("This receipt is signed by {}.", keys::signer_in_words(&signature)));
        }
        Authenticity::Altered => {
            tell(styled(CARE, "! This receipt was altered since it was signed: do not rely on it."));
            return false;
        }
    }
    true
}
