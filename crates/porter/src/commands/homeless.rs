//! People of the trunk who have no account on the new machine: made, asked for, or left to the plan, which
//! refuses.

use crate::arguments::DriveArguments;
use crate::failure::Failure;
use crate::screen::{CARE, ask, styled, tell};
use crate::{open, paths};
use porter_core::restore::homeless;
use porter_kinds::account::new_account;
use porter_kinds::choice::Selection;
use porter_kinds::crossing::accounts::names_on;
use porter_machine::Machine;
use porter_machine::control::Control;
use porter_machine::control::account::{self, Accounts};
use porter_machine::new_account::{NotMade, can_make_accounts, make_account, possible_name};
use porter_trunk::Trunk;
use std::collections::BTreeMap;
use std::path::Path;
use zeroize::Zeroizing;

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
    /// The people for whom an account was made just now, by their ids, with the accounts' names.
    pub(super) made: BTreeMap<String, String>,
}

/// Passwords for accounts that are made, by the names of the accounts or of the old ones.
pub(super) type Passwords = BTreeMap<String, Zeroizing<String>>;

/// Reads a file of lines `NAME:PASSWORD`.
pub(super) fn passwords_in(file: Option<&Path>) -> Result<Passwords, Failure> {
    let Some(file) = file else { return Ok(Passwords::new()) };
    let unreadable = |cause| {
        Failure::new(format!("{} cannot be read: {cause}", paths::shown(file)), "Nothing was changed.")
    };
    let text = Zeroizing::new(std::fs::read_to_string(file).map_err(unreadable)?);
    let mut passwords = Passwords::new();
    for (at, line) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        let row = line.split_once(':').filter(|(name, password)| !name.is_empty() && !password.is_empty());
        let Some((name, password)) = row else {
            return Err(Failure::wrong_use(
                format!("line {} of {} is not NAME:PASSWORD", at + 1, paths::shown(file)),
                "Nothing was changed. A line for each account: its name, a colon, its first password.",
            ));
        };
        passwords.insert(name.to_owned(), Zeroizing::new(password.to_owned()));
    }
    Ok(passwords)
}

/// Takes accounts back that were made for a restore which somebody then did not want.
pub(super) fn take_back(machine: &Machine, made: &BTreeMap<String, String>) {
    // Those of a mounted system are not ours to remove: it does not run.
    if machine.here.is_none() {
        return;
    }
    for name in made.values() {
        match Accounts.remove("", &account::facts(name)) {
            Ok(()) => tell(format_args!("The account {name} was taken back.")),
            Err(cause) => tell(format_args!("The account {name} stays: {cause}.")),
        }
    }
}

/// Settles where everybody's things go.
pub(super) fn settle(
    trunk: &dyn Trunk,
    (folder, drives): (&Path, &DriveArguments),
    settled: Settled,
    way: Way,
    passwords: &Passwords,
) -> Result<Settled, Failure> {
    let Settled { mut machine, mut accounts, mut selection, mut made } = settled;
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
                let new = new_account(&person, trunk.items(), machine.layout.family);
                let password = passwords.get(&new.name).or_else(|| passwords.get(&person.name));
                let done = make_account(&machine, &new, password.map(|password| password.as_str()));
                done.inspect_err(|_: &NotMade| take_back(&machine, &made))?;
                let rights = if new.is_administrator { ", an administrator" } else { "" };
                let without = "It has no password: set one before anybody can sign in.";
                let remark =
                    if password.is_some() { String::new() } else { styled(CARE, without).to_string() };
                tell(format_args!("Made an account for {shown}: {name}{rights}. {remark}"));
                // The machine is another one now.
                machine = open::machine(folder, drives)?;
                made.insert(person.id.clone(), name.clone());
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
    Ok(Settled { machine, accounts, selection, made })
}
