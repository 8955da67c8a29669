//! The things a person would name.

use crate::catalogue::CarryRule;
use crate::caution::Caution;
use crate::part::{Part, What};
use porter_machine::{FoundPlace, Machine};
use porter_names::{Facts, RelativePath};
use porter_trunk::RegistryKey;
use std::sync::Arc;

/// One thing a person would name: *Odile's Documents*.
#[derive(Debug, Clone)]
pub struct Item {
    /// `odile/folder/documents`, `machine/folder/drive/kite-plans`.
    pub id: String,
    /// The kind it is of, such as `folder`.
    pub kind: String,
    /// Id of the account it belongs to; none for the machine's own.
    pub owner: Option<String>,
    /// In words.
    pub title: String,
    /// Where its files are.
    pub parts: Vec<Part>,
    /// Its facts beside files.
    pub facts: Facts,
    /// Its keys in the owner's registry.
    pub registry: Vec<RegistryKey>,
    /// The carry rule that it was found by, if it was one.
    pub rule: Option<Arc<CarryRule>>,
    /// Numbers that its kind has read, as its owner knows them: bookmarks, passwords.
    pub counts: Vec<(String, u64)>,
    /// Its kind's cautions.
    pub cautions: Vec<Caution>,
    /// True if a program has its files open now: what it writes is copied in one piece.
    pub is_open: bool,
}

impl Item {
    /// An item with an owner and a title, and no other facts.
    pub fn new(id: String, kind: &str, owner: Option<String>, title: String) -> Self {
        Self {
            id,
            kind: kind.to_owned(),
            owner,
            title,
            parts: Vec::new(),
            facts: Facts::new(),
            registry: Vec::new(),
            rule: None,
            counts: Vec::new(),
            cautions: Vec::new(),
            is_open: false,
        }
    }

    /// True for a setting, a printer or an account: values, and no files.
    pub fn is_setting(&self) -> bool {
        crate::value_kinds::has_only_values(&self.kind)
    }

    /// The place of a part on a machine.
    pub fn place_of<'m>(&self, part: &Part, machine: &'m Machine) -> Option<&'m FoundPlace> {
        let owner = match &self.owner {
            Some(id) => Some(machine.account(id)?),
            None => None,
        };
        machine.place(owner.filter(|_| part.place.is_personal()), part.place)
    }

    /// Where a part of it is, below the root of the volume; for loose files, the folder that they are in.
    pub fn path_of(&self, part: &Part, machine: &Machine) -> Option<RelativePath> {
        let place = self.place_of(part, machine)?;
        match &part.what {
            What::Whole | What::LooseFiles => Some(place.path.clone()),
            What::At(path) => place.path.join_path(path).ok(),
        }
    }
}
