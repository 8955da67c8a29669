//! A running Windows: its registry, and its own interface for accounts.

#[path = "windows/accounts.rs"]
mod accounts;
#[path = "windows/registry.rs"]
mod registry;

use super::{HereError, Opened};
use crate::facts::AccountFacts;
use crate::registry::windows_path::folder_of_drive;
use porter_source::HostFolder;
use std::collections::BTreeSet;
use std::path::Path;

pub(super) use accounts::is_administrator;
pub(crate) use accounts::{flags_of_local, told_of_local};

pub(super) fn open() -> Result<Opened, HereError> {
    let drive = std::env::var("SystemDrive").unwrap_or_else(|_| "C:".to_owned());
    let root = format!("{drive}\\");
    let mut volume = HostFolder::open(Path::new(&root))
        .map_err(|cause| HereError::Unreadable { path: root.into(), cause })?;
    let facts = registry::facts(&drive, &volume);
    for name in drives_of(&facts.accounts) {
        // The survey names a drive that is not connected now.
        if let Some(folder) = folder_of_drive(&name)
            && Path::new(&folder).is_dir()
        {
            volume = volume
                .with_drive(&name, Path::new(&folder))
                .map_err(|cause| HereError::Unreadable { path: folder.into(), cause })?;
        }
    }
    let name = facts.name.clone().unwrap_or_else(|| "here".to_owned());
    Ok(Opened { volume, name, facts })
}

/// The further drives and shares on which people have homes or places.
fn drives_of(accounts: &[AccountFacts]) -> BTreeSet<Vec<u8>> {
    accounts
        .iter()
        .flat_map(|account| account.places.values().chain([&account.home]))
        .filter_map(|path| path.steps().next().map(<[u8]>::to_vec))
        .filter(|first| folder_of_drive(first).is_some())
        .collect()
}
