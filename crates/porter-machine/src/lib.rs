//! A machine: a system, the people who have accounts on it, and the places where their things are.
//!
//! A [`Machine`] is recognised from a volume by [`recognise()`]; [`here()`] opens the running one. Which
//! folders are which place on which system stands in [`layout`].

pub mod account;
pub mod account_picture;
pub mod computer_name;
pub mod control;
pub mod controls;
pub mod cups;
pub mod data_driver;
pub mod database;
pub mod facts;
pub mod here;
pub mod hosts;
pub mod keyboard_layout;
pub mod layout;
#[cfg(windows)]
mod library;
pub mod linux;
pub mod looker;
mod macos;
pub mod new_account;
mod other_names;
mod people;
pub mod place;
pub mod power_plan;
pub mod program;
pub mod recognise;
pub mod registered_program;
pub mod registry;
pub mod running;
pub mod setting;
pub mod shared_folder;
pub mod small_file;
#[cfg(windows)]
mod spooler;
pub mod tcp_port;
pub mod time_zone;
pub mod wifi;
mod without_system;

pub use account::Account;
pub use here::{Here, here};
pub use place::{FoundPlace, Place, PlaceState};
pub use program::Program;
pub use recognise::{NotRecognised, recognise, recognise_with};
pub use setting::{Setting, SettingKind};
pub use without_system::{holds_people, recognise_drive, recognise_person};

use crate::control::Control;
use crate::data_driver::DataDriver;
use crate::facts::StateFacts;
use crate::layout::{Family, Layout};
use crate::registry::hives::HiveTrouble;
use porter_names::{RelativePath, fold};
use porter_source::{Listed, Volume};
use porter_trunk::SystemLabel;
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Arc;

/// A recognised machine.
pub struct Machine {
    /// Where its bytes are.
    pub volume: Arc<dyn Volume>,
    /// Its name.
    pub name: String,
    /// Its system.
    pub system: SystemLabel,
    /// Which folders are which place.
    pub layout: &'static Layout,
    /// Set if it is the running machine.
    pub here: Option<Here>,
    /// The people, in the order of their names.
    pub accounts: Vec<Account>,
    /// The places that belong to nobody in particular.
    pub places: BTreeMap<Place, FoundPlace>,
    /// Folders beside the profile folders: built-in profiles and the like.
    pub not_people: Vec<Vec<u8>>,
    /// Additions by name, below the root.
    pub also: Vec<RelativePath>,
    /// The entries at the root of the drive.
    pub at_root: Vec<Listed>,
    /// The number of the volume at its root, where the system has such.
    pub root_volume_id: Option<u64>,
    /// Troubles of its registry, by the paths of the hives.
    pub registry_troubles: Vec<(RelativePath, HiveTrouble)>,
    /// The programs that are installed, in the order of their names.
    pub programs: Vec<Program>,
    /// Settings of the whole machine, and its printers.
    pub settings: Vec<Setting>,
    /// Drivers for sources of data (ODBC).
    pub data_drivers: Vec<DataDriver>,
    /// The state in which the system was left.
    pub state: StateFacts,
    /// People who may sign in and have no folder: nothing of theirs is here.
    pub without_folder: Vec<String>,
    /// The names of the programs that run now; none where nothing runs.
    pub running: Option<BTreeSet<String>>,
    /// The controls that can be set, if it runs.
    pub controls: &'static [&'static dyn Control],
    /// True if it runs, and an administrator has agreed that it shows the passwords of its Wi-Fi networks.
    pub shows_wifi_passwords: bool,
}

impl Machine {
    /// True if it runs, and an administrator runs us: all of it can be set.
    pub fn may_be_set(&self) -> bool {
        self.here.is_some_and(|here| here.as_administrator)
    }

    /// Every place of everybody, and of the machine.
    pub fn all_places(&self) -> impl Iterator<Item = &FoundPlace> {
        self.accounts.iter().flat_map(|account| account.places.values()).chain(self.places.values())
    }

    /// The rank of an owner among the people, in the order of the accounts; the machine itself comes last.
    pub fn rank_of(&self, owner: Option<&str>) -> usize {
        let at = owner.and_then(|id| self.accounts.iter().position(|account| account.id == *id));
        at.unwrap_or(usize::MAX)
    }

    /// To find what is on it, whatever the case of its names.
    pub fn looker(&self) -> looker::Looker<'_> {
        let mut looker = looker::Looker::new(&*self.volume);
        if self.layout.family == Family::Linux {
            looker.heed_case();
        }
        looker
    }

    /// The account with this id, or this name whatever its case.
    pub fn account(&self, id_or_name: &str) -> Option<&Account> {
        self.accounts
            .iter()
            .find(|account| account.id == id_or_name)
            .or_else(|| self.accounts.iter().find(|a| fold::same_name(&a.name, id_or_name.as_bytes())))
    }

    /// Where a place is, for an account or, with none, for the whole machine.
    pub fn place<'a>(&'a self, owner: Option<&'a Account>, place: Place) -> Option<&'a FoundPlace> {
        owner.map_or(&self.places, |account| &account.places).get(&place)
    }

    /// Adds a folder or file to what is captured: as the machine writes its path, below its root, or as the
    /// running system shows it. False if it is not there, or is the whole drive.
    pub fn add_by_name(&mut self, named: &str) -> bool {
        let on_host = self.volume.host_tree().and_then(|tree| {
            let below = std::fs::canonicalize(named).ok()?.strip_prefix(tree.root()).ok()?.to_path_buf();
            let steps = below.iter().map(porter_names::host::name_from_host);
            steps.into_iter().try_fold(RelativePath::root(), |at, step| at.join(&step).ok())
        });
        let as_written = || {
            let text = if self.layout.family == Family::Windows {
                named.replace('\\', "/")
            } else {
                named.to_owned()
            };
            let text = text.strip_prefix("C:").or_else(|| text.strip_prefix("c:")).unwrap_or(&text);
            RelativePath::from_bytes(text.trim_matches('/').as_bytes()).ok()
        };
        let Some(path) = on_host.or_else(as_written).filter(|path| !path.is_root()) else { return false };
        let found = self.looker().find_path(&path);
        let is_there = matches!(found.state, PlaceState::Present | PlaceState::IsFile);
        if is_there && self.volume.metadata(&found.path).is_ok() && !self.also.contains(&found.path) {
            self.also.push(found.path);
        }
        is_there
    }

    /// Where porter keeps the records of what it did on this machine; none if something else stands in the
    /// way.
    pub fn records_folder(&self) -> Option<RelativePath> {
        if self.layout.shared_data.is_empty() {
            return RelativePath::root().join(self.layout.records.as_bytes()).ok();
        }
        let data = self.place(None, Place::SharedData)?;
        let usable = matches!(data.state, PlaceState::Present | PlaceState::Absent);
        if usable { data.path.join(self.layout.records.as_bytes()).ok() } else { None }
    }

    /// The same folder as the running system shows it.
    pub fn records_on_host(&self) -> Option<PathBuf> {
        self.volume.host_tree()?.host_path(&self.records_folder()?).ok()
    }

    /// True if file permissions taken from `system` mean the same here.
    pub fn has_permissions_of(&self, system: &SystemLabel) -> bool {
        self.layout.family == Family::Linux && system.family == Family::Linux.name()
    }

    /// True if a program of that name runs there now, whatever its case.
    pub fn runs(&self, program: &str) -> bool {
        self.running.as_ref().is_some_and(|running| running.contains(&running::comparable(program)))
    }

    /// True if something at the root is a volume of its own, mounted there.
    pub fn is_other_volume(&self, row: &Listed) -> bool {
        row.metadata.volume_id != self.root_volume_id
    }
}
