//! `porter passphrase`.

use crate::arguments::TrunkArguments;
use crate::failure::{Failure, Outcome};
use crate::screen::say;
use crate::{keys, paths};
use clap::Args;
use porter_trunk::packed_form::Parts;
use std::path::PathBuf;

/// Change the passphrase of a sealed trunk
///
/// Only the wrapped key is rewritten; the packs stay as they are. Somebody who has an older copy of the
/// trunk, and the older passphrase, can still open that copy.
#[derive(Debug, Args)]
pub(crate) struct PassphraseArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// File whose first line is the new passphrase; or the environment variable PORTER_NEW_PASSPHRASE
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    new_passphrase_file: Option<PathBuf>,
}

pub(crate) fn run(arguments: &PassphraseArguments) -> Result<Outcome, Failure> {
    let parts = Parts::load(&arguments.trunk.folders())?;
    let outside = parts.outside()?;
    if !outside.sealed {
        return Err(Failure::wrong_use(
            "the trunk is not sealed",
            "A trunk is sealed while it is captured, with --seal.",
        ));
    }
    let opener = keys::opener(&arguments.trunk.key, outside)?.ok_or_else(keys::nobody_there)?;
    let Some(key) = parts.unlock(Some(&opener))? else { return Ok(Outcome::Well) };
    let passphrase = keys::other_passphrase(arguments.new_passphrase_file.as_deref())?;
    parts.change_passphrase(&key, &passphrase)?;
    say(format_args!(
        "Trunk {} has another passphrase now. Its packs were not touched.",
        outside.trunk_id.short()
    ));
    Ok(Outcome::Well)
}
