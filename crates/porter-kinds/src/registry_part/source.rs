//! A person's registry, wherever it is.

use porter_hive::{Hive, HiveError, Replayed};
use porter_machine::registry::RegistryKey;
use porter_machine::registry::hives::open_with_logs;
use porter_machine::registry::running;
use porter_machine::{Account, Machine, PlaceState};
use porter_names::RelativePath;

/// Where it is.
pub enum PersonRegistry {
    /// The running system has it, under the person's SID.
    Running(String),
    /// In a file.
    InFile(HiveFile),
}

/// A hive that no system has open.
pub struct HiveFile {
    /// Below the volume's root.
    pub at: RelativePath,
    /// With what its logs add.
    pub hive: Hive,
    /// Its logs that are there, which belong to it as it is.
    pub logs: Vec<RelativePath>,
}

/// Why a person's registry cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum RegistryTrouble {
    /// Nobody ever signed in with the account.
    #[error("the account has no registry yet: it comes with the first sign-in")]
    NoneYet,
    /// It is there and cannot be read.
    #[error("NTUSER.DAT cannot be read")]
    Unreadable,
    /// It cannot be opened, in words.
    #[error("NTUSER.DAT: {0}")]
    NotOpened(String),
    /// It is damaged.
    #[error("NTUSER.DAT: {0}")]
    Damaged(#[from] HiveError),
    /// It was being written when the system stopped, and no log fits it.
    #[error("the newest changes of NTUSER.DAT are missing: let the person sign in and out once")]
    NewestMissing,
}

/// Opens the registry of somebody who has an account on a Windows.
pub fn open(machine: &Machine, account: &Account) -> Result<PersonRegistry, RegistryTrouble> {
    if machine.here.is_some()
        && let Some(sid) = &account.identifier
        && running::is_loaded(sid)
    {
        return Ok(PersonRegistry::Running(sid.clone()));
    }
    let mut looker = machine.looker();
    let found = looker.find(&account.home, "NTUSER.DAT");
    if found.state != PlaceState::IsFile {
        return Err(RegistryTrouble::NoneYet);
    }
    let at = found.path;
    let (hive, logs) =
        open_with_logs(&*machine.volume, &at, &mut looker).map_err(RegistryTrouble::NotOpened)?;
    Ok(PersonRegistry::InFile(HiveFile { at, hive, logs }))
}

/// Something to do with a key, whichever way it is read.
pub(crate) trait WithKey {
    /// The result of the work.
    type Gives;

    /// Does it, with the key that holds all of the person's.
    fn with(self, root: &impl RegistryKey) -> Self::Gives;
}

impl PersonRegistry {
    /// Reads something; none if the key that holds all others is damaged or gone.
    pub(crate) fn read<W: WithKey>(&self, what: W) -> Option<W::Gives> {
        match self {
            Self::Running(sid) => running::open(sid).map(|root| what.with(&root)),
            Self::InFile(file) => file.hive.root().ok().map(|root| what.with(&root)),
        }
    }
}

impl HiveFile {
    /// Refuses a registry that may not be rewritten: its missing or damaged parts would be lost for good.
    pub(super) fn require_whole(&self) -> Result<(), RegistryTrouble> {
        if self.hive.replayed() == Replayed::NothingFits {
            Err(RegistryTrouble::NewestMissing)
        } else {
            Ok(())
        }
    }
}
