//! Starting Outlook once, so that it opens the data files that landed.

use crate::failure::Failure;
use crate::paths;
use crate::screen::{CARE, confirmed, styled, tell};
use porter_kinds::mail::opener_of;
use porter_machine::layout::Family;
use porter_machine::registered_program::registered_program;
use porter_machine::running::running_programs;
use porter_machine::{Account, Machine};
use porter_names::fold::same_name;
use std::path::PathBuf;
use std::process::Command;

const PROGRAM: &str = "outlook.exe";

/// Outlook starts only where porter runs.
pub(crate) fn refuse_elsewhere(machine: &Machine) -> Result<(), Failure> {
    if machine.here.is_some() && machine.layout.family == Family::Windows {
        return Ok(());
    }
    Err(Failure::wrong_use(
        "--open-in-outlook starts Outlook, and works only on the running Windows",
        "Nothing was changed. Restore without it; `porter check` says how the data files are opened there.",
    ))
}

/// Starts it for the person who is signed in. False if something has to be done by hand, which is told.
pub(crate) fn open_carried(machine: &Machine, old_machine: &str, yes: bool) -> bool {
    let by_hand = |why: &str| {
        tell(styled(
            CARE,
            format_args!("! Outlook was not started: {why}. `porter check` says how to open the data files."),
        ));
        false
    };
    let Some(opener) = signed_in(machine).and_then(|account| opener_for(machine, account, old_machine))
    else {
        return by_hand("no data file landed for the person who is signed in");
    };
    let Some(program) = registered_program(PROGRAM) else {
        return by_hand("it is not installed here, or it is one without profiles");
    };
    if running_programs().contains("outlook") {
        return by_hand("it runs; close it first");
    }
    if !yes && !confirmed(&format!("Start Outlook now, with `{}`?", paths::shown(&opener))) {
        return by_hand("nobody wanted it");
    }
    match Command::new(&program).arg("/importprf").arg(&opener).spawn() {
        Ok(_) => {
            tell("Outlook was started: look whether its list of folders has the data files.");
            true
        }
        Err(cause) => by_hand(&cause.to_string()),
    }
}

fn signed_in(machine: &Machine) -> Option<&Account> {
    let name = std::env::var("USERNAME").ok()?;
    machine.accounts.iter().find(|account| same_name(&account.name, name.as_bytes()))
}

fn opener_for(machine: &Machine, account: &Account, old_machine: &str) -> Option<PathBuf> {
    let at = opener_of(machine, account, old_machine)?;
    let path = machine.volume.host_tree()?.host_path(&at).ok()?;
    path.is_file().then_some(path)
}
