//! An account that the new machine does not have yet, made by the system's own program.

use crate::machine::Machine;
use crate::machine::layout::Family;
use std::path::Path;

/// Why an account was not made.
#[derive(Debug, thiserror::Error)]
pub enum NotMade {
    /// Only the machine's own system makes accounts that work: an account is more than a folder there.
    #[error("accounts are made on this machine itself")]
    OnlyThere,
    /// The machine is no folder of the running system.
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

/// The longest name that `useradd` takes (`useradd(8)`, *CAVEATS*).
const LONGEST_NAME: usize = 32;

/// What the account of a person can be called on the machine: Linux takes lower-case letters, digits, `.`, `_` and `-`, and a letter first.
pub fn possible_name(name: &str) -> String {
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
    let possible: String = possible.chars().take(LONGEST_NAME).collect();
    if possible.is_empty() { "person".to_owned() } else { possible }
}

/// Makes an account with a folder, and without a password: nobody can sign in until one is set.
///
/// On a running Linux and on a mounted one (`useradd --prefix`). Needs root.
pub fn make_account(machine: &Machine, name: &str) -> Result<(), NotMade> {
    if machine.layout.family != Family::Linux {
        return Err(NotMade::OnlyThere);
    }
    let root = machine.volume.host_tree().ok_or(NotMade::ReadOnlyMachine)?.root();
    useradd(if machine.here.is_some() { None } else { Some(root) }, name)
}

#[cfg(not(target_os = "linux"))]
fn useradd(_mounted_at: Option<&Path>, _name: &str) -> Result<(), NotMade> {
    Err(NotMade::OnlyThere)
}

#[cfg(target_os = "linux")]
fn useradd(mounted_at: Option<&Path>, name: &str) -> Result<(), NotMade> {
    use std::process::{Command, Stdio};
    let mut useradd = Command::new("useradd");
    useradd.args(["--create-home", "--user-group", "--shell", "/bin/bash"]);
    if let Some(root) = mounted_at {
        useradd.arg("--prefix").arg(root);
    }
    let refused = |detail: String| NotMade::Refused { name: name.to_owned(), detail };
    // After `--` no name can be taken for an option.
    let said = useradd.args(["--", name]).stdin(Stdio::null()).output();
    let said = said.map_err(|cause| refused(format!("useradd: {cause}")))?;
    if said.status.success() {
        Ok(())
    } else {
        Err(refused(String::from_utf8_lossy(&said.stderr).trim().to_owned()))
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
            assert_eq!(possible_name(name), possible, "{name}");
        }
        assert_eq!(possible_name(&"x".repeat(99)).len(), LONGEST_NAME);
    }
}
