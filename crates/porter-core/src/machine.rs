//! What stands before us: a system, the people who have accounts on it, and the places where their things are.
//!
//! A [`Machine`] is recognised from a volume by [`recognise()`]. Which folders are which place on which generation
//! of Windows stands in [`layout`].

pub mod account;
pub mod layout;
pub mod place;
pub mod recognise;

pub use account::Account;
pub use place::{FoundPlace, Place, PlaceState};
pub use recognise::{NotRecognised, recognise};

use crate::machine::layout::Layout;
use porter_names::{RelativePath, fold};
use porter_source::Volume;
use porter_trunk::SystemLabel;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A recognised machine.
pub struct Machine {
    /// Where its bytes are.
    pub volume: Arc<dyn Volume>,
    /// What it is called.
    pub name: String,
    /// What runs on it.
    pub system: SystemLabel,
    /// Which folders are which place.
    pub layout: &'static Layout,
    /// The people, in the order of their names.
    pub accounts: Vec<Account>,
    /// The places that belong to nobody in particular.
    pub places: BTreeMap<Place, FoundPlace>,
    /// What lies beside the profile folders: built-in profiles and the like.
    pub not_people: Vec<Vec<u8>>,
    /// What lies at the root of the drive.
    pub at_root: Vec<porter_source::Listed>,
}

impl Machine {
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

    /// Where porter keeps the records of what it did on this machine; none if something else stands in the way.
    pub fn records_folder(&self) -> Option<RelativePath> {
        let data = self.place(None, Place::SharedData)?;
        let usable = matches!(data.state, PlaceState::Present | PlaceState::Absent);
        if usable { data.path.join(b"Loyal Porter").ok() } else { None }
    }
}
