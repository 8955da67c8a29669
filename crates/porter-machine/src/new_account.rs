//! An account that a machine does not have yet, made by its system: on Linux by `useradd`, on Windows by its
//! interface for users. One that was made here can be taken back, as long as nothing is in it.

pub mod directory;

#[cfg(windows)]
#[path = "new_account/windows.rs"]
mod system;
#[cfg(not(windows))]
#[path = "new_account/unix.rs"]
mod system;

use crate::Machine;
use crate::layout::Family;
use std::io;
use std::path::Path;

/// Why an account was not made.
#[derive(Debug, thiserror::Error)]
pub enum NotMade {
    /// Only the machine's own system makes accounts that work: an account is more than a folder there.
    #[error("only its own system makes accounts of this machine")]
    OnlyThere,
    /// The machine is not a folder of the running system.
    #[error("this machine can only be read")]
    ReadOnlyMachine,
    /// The system's program said no, or is not there.
    #[error("the account `{name}` was not made: {detail}")]
    Refused {
        /// The account.
        name: String,
        /// The program's words.
        detail: String,
    },
}

/// An account to be made.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NewAccount {
    /// The name to sign in with.
    pub name: String,
    /// The person's name.
    pub full_name: Option<String>,
    /// In an administrator's words.
    pub comment: Option<String>,
    /// True if it may change the system.
    pub is_administrator: bool,
    /// True if its password need not be changed from time to time.
    pub password_never_expires: bool,
}

/// The longest name that `useradd` takes (`useradd(8)`, *CAVEATS*).
const LONGEST_ON_LINUX: usize = 32;
/// The longest name of a Windows account (`UNLEN` is longer, but a sign-in takes at most this).
const LONGEST_ON_WINDOWS: usize = 20;

/// A name for a person's account that the system accepts: Linux takes lower-case letters, digits, `.`, `_`
/// and `-`, and a letter first; Windows all but a few marks.
pub fn possible_name(name: &str, family: Family) -> String {
    let possible: String = if family == Family::Windows {
        let is_held = |c: &char| !c.is_control() && !"\"/\\[]:;|=,+*?<>@".contains(*c);
        let held: String = name.trim().chars().filter(is_held).take(LONGEST_ON_WINDOWS).collect();
        held.trim_end_matches(['.', ' ']).to_owned()
    } else {
        let plain = porter_names::fold::without_accents(name).to_lowercase();
        let mut possible = String::new();
        for c in plain.trim().chars() {
            match c {
                'a'..='z' | '0'..='9' | '.' | '_' | '-' => possible.push(c),
                c if c.is_whitespace() => possible.push('.'),
                _ => {}
            }
        }
        let possible = possible.trim_start_matches(|c: char| !c.is_ascii_lowercase());
        possible.chars().take(LONGEST_ON_LINUX).collect()
    };
    if possible.is_empty() { "person".to_owned() } else { possible }
}

/// Makes an account with a folder. Without a password nobody can sign in until one is set.
///
/// On a running Linux and on a mounted one (`useradd --prefix`), as root; on a running Windows, as
/// administrator. An account that cannot be made whole is not made.
pub fn make_account(machine: &Machine, account: &NewAccount, password: Option<&str>) -> Result<(), NotMade> {
    let mounted_at = can_make_accounts(machine)?;
    let refused =
        |cause: io::Error| NotMade::Refused { name: account.name.clone(), detail: cause.to_string() };
    system::make(mounted_at, account, password).map_err(refused)
}

/// Removes an account of the running system, with its folder. Fails with `DirectoryNotEmpty` if a person's
/// things are in it, or somebody has signed in.
pub(crate) fn remove_account(name: &str) -> io::Result<()> {
    system::remove(name)
}

/// True if the running system has an account of that name.
pub(crate) fn has_account(name: &str) -> io::Result<bool> {
    system::has(name)
}

/// Whether accounts of this machine can be made from here, if it can be known beforehand. Returns the folder
/// that it is mounted at, unless it is the running one.
pub fn can_make_accounts(machine: &Machine) -> Result<Option<&Path>, NotMade> {
    let root = machine.volume.host_tree().ok_or(NotMade::ReadOnlyMachine)?.root();
    let mounted_at = if machine.here.is_some() { None } else { Some(root) };
    if system::makes_accounts_of(machine.layout.family, mounted_at.is_some()) {
        Ok(mounted_at)
    } else {
        Err(NotMade::OnlyThere)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_name_becomes_one_that_linux_takes() {
        for (name, possible) in [
            ("odile", "odile"),
            ("Tamsin Okafor", "tamsin.okafor"),
            ("Élodie", "elodie"),
            ("-rf", "rf"),
            ("7 of nine", "of.nine"),
            ("凧", "person"),
        ] {
            assert_eq!(possible_name(name, Family::Linux), possible, "{name}");
        }
        assert_eq!(possible_name(&"x".repeat(99), Family::Linux).len(), LONGEST_ON_LINUX);
        for (name, possible) in
            [("Tamsin Okafor", "Tamsin Okafor"), ("Élodie/M. ", "ÉlodieM"), ("*", "person")]
        {
            assert_eq!(possible_name(name, Family::Windows), possible, "{name}");
        }
    }
}
