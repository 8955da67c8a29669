//! A Unix makes accounts with `useradd`, where that is Linux.

use super::NotMade;
use porter_machine::layout::Family;
use std::path::Path;
use std::process::{Command, Stdio};

pub(super) fn makes_accounts_of(family: Family, _is_mounted: bool) -> bool {
    family == Family::Linux && cfg!(target_os = "linux")
}

pub(super) fn make(mounted_at: Option<&Path>, name: &str) -> Result<(), NotMade> {
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
