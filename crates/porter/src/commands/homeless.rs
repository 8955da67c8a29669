//! People of the trunk who have no account on the new machine: made, asked for, or left to the plan, which
//! refuses.

use crate::arguments::DriveArguments;
use crate::failure::Failure;
use crate::screen::{CARE, ask, styled, tell};
use crate::{open, paths};
use porter_core::restore::{can_make_accounts, homeless, make_account, possible_name};
use porter_kinds::choice::Selection;
use porter_kinds::crossing::accounts::names_on;
use porter_machine::Machine;
use porter_trunk::Trunk;
use std::collections::BTreeMap;
use std::path::Path;

/// How they are dealt with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    /// Their accounts are made.
    Make,
    /// Missing accounts are only named, and their things are left out of the plan.
    TellWhatWouldBeMade,
    /// Somebody is at the terminal.
    Ask,
    /// The plan says what is missing.
    Leave,
}

/// A machine with accounts for everybody, and what was decided on the way.
pub(super) struct Settled {
    pub(super) machine: Machine,
    pub(super) accounts: BTreeMap<String, String>,
    pub(super) selection: Selection,
}

/// Settles where everybody's things go.
pub(super) fn settle(
    trunk: &dyn Trunk,
    (folder, drives): (&Path, &DriveArguments),
    settled: Settled,
    way: Way,
) -> Result<Settled, Failure> {
    let Settled { mut machine, mut accounts, mut selection } = settled;
    for person in homeless(trunk, &machine, &accounts, &selection)? {
        let name = possible_name(&person.name, machine.layout.family);
        let shown = porter_names::screen::on_screen(person.name.as_bytes());
        match way {
            Way::Leave => {}
            Way::TellWhatWouldBeMade => {
                can_make_accounts(&machine)?;
                tell(format_args!(
                    "An account would be made for {shown}: {name}. What goes there is not in this plan."
                ));
                selection = selection.without_account(&person.id);
            }
            Way::Make => {
                make_account(&machine, &name)?;
                tell(format_args!(
                    "Made an account for {shown}: {name}. {}",
                    styled(CARE, "It has no password: set one before anybody can sign in.")
                ));
                // The machine is another one now.
                machine = open::machine(folder, drives)?;
                accounts.insert(person.id, name);
            }
            Way::Ask => {
                tell(format_args!(
                    "{} has no account for {shown}. It has {}.",
                    paths::shown(folder),
                    names_on(&machine).join(", ")
                ));
                let answer = ask(&format!(
                    "Which account do the things of {shown} go into? (nothing: leave them out) "
                ));
                if answer.is_empty() {
                    selection = selection.without_account(&person.id);
                } else {
                    accounts.insert(person.id, answer);
                }
            }
        }
    }
    Ok(Settled { machine, accounts, selection })
}
