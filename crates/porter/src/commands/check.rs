//! `porter check`.

use crate::arguments::OwnRulesArguments;
use crate::arguments::{
    CHOOSING, ConductArguments, DriveArguments, ListArguments, SelectionArguments, TrunkArguments,
};
use crate::failure::{Failure, Outcome};
use crate::publish::{publish, will_publish};
use crate::screen::say_json;
use crate::views::script::Language;
use crate::{keys, open, paths, views};
use clap::{Args, ValueEnum};
use porter_core::check::{check_machine, check_trunk};
use porter_kinds::receipt::{Reason, Receipt};
use porter_machine::layout::Family;
use porter_trunk::packed_form::mend_seal;
use porter_trunk::signature::{Authenticity, authenticity};
use porter_trunk::spare::mend;
use porter_trunk::{Depth, Trunk};
use std::cmp::Ordering;
use std::path::{Path, PathBuf};

/// Prove a trunk, or a machine against a trunk, byte for byte, and give the receipt
#[derive(Debug, Args)]
pub(crate) struct CheckArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// Folder where the new machine's system drive is mounted, or `here`; without it the trunk alone is
    /// checked
    #[arg(value_parser = paths::typed())]
    machine: Option<PathBuf>,
    #[command(flatten)]
    drives: DriveArguments,
    /// OLD=NEW, if it was restored without porter's records. A name alone: only the items of that account
    #[arg(help_heading = CHOOSING, long, value_name = "OLD=NEW")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    packing: ListArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    /// How deep a trunk alone is checked
    #[arg(long, value_enum, default_value_t = HowDeep::Full, conflicts_with = "machine")]
    depth: HowDeep,
    /// Repair the trunk first: with its recovery data, which is rewritten where it is lost, and its wrapped
    /// key from the second copy
    #[arg(long, conflicts_with = "machine")]
    mend: bool,
    /// A receipt of the trunk from earlier, as JSON: is the trunk still at least what it was then?
    #[arg(long, value_name = "RECEIPT.json", value_parser = paths::typed())]
    since: Option<PathBuf>,
    /// Write the receipt as JSON: into FILE, or without one on standard output
    #[arg(long, value_name = "FILE", num_args = 0..=1, default_missing_value = "-", value_parser = paths::typed())]
    json: Option<PathBuf>,
    /// Write the receipt as a page to print and sign
    #[arg(long, value_name = "FILE.html", value_parser = paths::typed())]
    page: Option<PathBuf>,
    /// Write what is left to do by command as a script for the new machine: for PowerShell on Windows, for a
    /// shell elsewhere
    #[arg(long, value_name = "FILE.ps1|FILE.sh", value_parser = paths::typed(), requires = "machine")]
    script: Option<PathBuf>,
    #[command(flatten)]
    conduct: ConductArguments,
}

/// How much a check of a trunk proves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum HowDeep {
    /// Its lists are whole, and every file of the trunk is there in full length; nothing of contents
    Listing,
    /// As listing, and all the content of every twentieth file, spread over all folders
    Sample,
    /// Every byte of the trunk is what was written, and every file comes out of it as it went in
    Full,
}

impl From<HowDeep> for Depth {
    fn from(depth: HowDeep) -> Self {
        match depth {
            HowDeep::Listing => Self::Listing,
            HowDeep::Sample => Self::Sample,
            HowDeep::Full => Self::Full,
        }
    }
}

pub(crate) fn run(arguments: &CheckArguments) -> Result<Outcome, Failure> {
    will_publish(arguments.json.iter().chain(&arguments.page).chain(&arguments.script))?;
    if let Some(machine) = &arguments.machine {
        open::refuse_swapped(&arguments.trunk.trunk, machine, "check")?;
    }
    if arguments.mend {
        let mut done = Vec::new();
        for folder in arguments.trunk.folders() {
            done.extend(mend(&folder)?);
        }
        views::mend::tell_mended(&done);
        views::mend::tell_resealed(mend_seal(&arguments.trunk.folders())?);
    }
    if arguments.mend {
        open::trunk_to_mend(&arguments.trunk)?.complete_spare(&mut views::mend::tell_spare_made)?;
    }
    let trunk = open::trunk(&arguments.trunk)?;
    let trunk = &*trunk;
    if arguments.drives.spinning {
        trunk.spin();
    }
    let since = arguments.since.as_deref().map(|path| earlier(path, trunk)).transpose()?;
    let mut receipt = prove(arguments, trunk)?;
    if let Some(reason) = since.flatten() {
        receipt.note_of_trunk(reason);
    }
    match authenticity(&arguments.trunk.folders())? {
        Authenticity::NotSigned => {}
        Authenticity::Signed(signature) => receipt.signed_by = Some(keys::signer_in_words(&signature)),
        Authenticity::Altered => receipt.note_of_trunk(Reason::AlteredSinceSigned),
    }
    let key = keys::signing_key()?;
    let document = || views::signed::json(views::receipt::json(&receipt), key.as_ref(), open::now_utc());
    match &arguments.json {
        Some(path) if path.as_os_str() == "-" => say_json(&document()),
        Some(path) => {
            publish(path, format!("{:#}\n", document()).as_bytes())?;
            views::receipt::show(&receipt);
        }
        None => views::receipt::show(&receipt),
    }
    if let Some(path) = &arguments.page {
        let page = views::signed::page(views::page::html(&receipt), key.as_ref(), open::now_utc());
        publish(path, page.as_bytes())?;
    }
    if let Some(path) = &arguments.script {
        write_script(path, &receipt)?;
        // Nothing stands beside a document.
        if arguments.json.as_ref().is_none_or(|json| json.as_os_str() != "-") {
            views::receipt::tell_of_script(path, views::script::commands(&receipt));
        }
    }
    Ok(Outcome::attention_if(receipt.needs_attention()))
}

pub(super) fn write_script(path: &Path, receipt: &Receipt) -> Result<(), Failure> {
    let family = receipt.machine.as_ref().map(|machine| machine.system.family.as_str());
    let language = Language::of(family.and_then(Family::from_name).unwrap_or(Family::Windows));
    if path.extension().is_none_or(|ending| !ending.eq_ignore_ascii_case(language.ending())) {
        return Err(Failure::wrong_use(
            format!("the new machine runs no script called `{}`", paths::shown(path)),
            format!("Name a file that ends in .{}; the receipt is whole.", language.ending()),
        ));
    }
    publish(path, views::script::script(receipt).as_bytes())
}

/// Why an earlier receipt of the trunk is no longer true, if it is not.
fn earlier(path: &Path, trunk: &dyn Trunk) -> Result<Option<Reason>, Failure> {
    let receipt = super::receipt::load(path)?;
    if receipt.trunk.trunk_id != trunk.label().trunk_id {
        return Err(Failure::wrong_use(
            format!("`{}` is a receipt of another trunk", paths::shown(path)),
            "Name a receipt of this one, as `porter check --json` wrote it.",
        ));
    }
    let Some(said) = receipt.proof else { return Ok(None) };
    let there = trunk.proof()?;
    Ok(match said.capture.cmp(&there.capture) {
        Ordering::Greater => Some(Reason::RolledBack { said: said.capture, there: there.capture }),
        Ordering::Equal if said.list != there.list => Some(Reason::OtherList { capture: there.capture }),
        _ => None,
    })
}

fn prove(arguments: &CheckArguments, trunk: &dyn Trunk) -> Result<Receipt, Failure> {
    let (mapping, selection) = open::selection_in(trunk.label(), &arguments.account, &arguments.selection)?;
    let selection = open::narrowed(selection, open::packing_list(&arguments.packing)?.as_ref());
    let ids = trunk.items().iter().map(|item| (item.id.as_str(), item.account.as_deref()));
    open::refuse_unmatched(&selection, ids)?;
    let Some(folder) = &arguments.machine else {
        return Ok(open::conducted(&arguments.conduct, |conduct| {
            check_trunk(trunk, arguments.depth.into(), open::now_utc(), conduct)
        })??);
    };
    let machine = open::machine(folder, &arguments.drives)?;
    let kinds = open::kinds(&machine, &arguments.rules)?;
    Ok(open::conducted(&arguments.conduct, |conduct| {
        check_machine(trunk, &machine, &kinds, &mapping, &selection, open::now_utc(), conduct)
    })??)
}
