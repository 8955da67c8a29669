//! What the kinds decide about their items beside their files: where they go, what in them follows, what is told to whom.

use super::accounts::AccountMap;
use super::history::History;
use crate::catalogue::Catalogue;
use crate::kinds::browser::landing::BrowserWishes;
use crate::machine::Machine;
use crate::receipt::Reason;
use crate::registry_part::landing::RegistryChange;
use porter_names::RelativePath;
use porter_trunk::Label;
use std::collections::{BTreeMap, BTreeSet};

/// All that a kind needs to know to decide.
pub struct Ground<'a> {
    /// The trunk's outside.
    pub label: &'a Label,
    /// Where to.
    pub machine: &'a Machine,
    /// Who is who.
    pub accounts: &'a AccountMap<'a>,
    /// What was done before.
    pub history: &'a History,
    /// The rules in force.
    pub catalogue: &'a Catalogue,
    /// What was decided.
    pub wishes: BrowserWishes,
}

impl Ground<'_> {
    /// True if the trunk seems to have been captured from this machine.
    pub fn is_same_machine(&self) -> bool {
        is_same_machine(self.label, self.machine)
    }
}

/// True if a trunk seems to have been captured from a machine: it has the same name, and a system of the same family.
pub fn is_same_machine(label: &Label, machine: &Machine) -> bool {
    let captured = &label.machine;
    porter_names::fold::same_name(captured.name.as_bytes(), machine.name.as_bytes())
        && captured.system.family == machine.system.family
}

/// All of it for one restore.
#[derive(Default)]
pub struct Landings {
    /// Parts of items that go elsewhere than where they were.
    pub moves: Vec<Moved>,
    /// Items that do not land, and why.
    pub refused: BTreeMap<String, Reason>,
    /// Files that are changed on their way.
    pub adapt: Vec<Adapt>,
    /// Files of the machine that are written anew. What they were is set aside.
    pub edits: Vec<Edit>,
    /// What went otherwise than it should for an item that lands all the same.
    pub notes: Vec<(String, Reason)>,
    /// Values of the running system's registry that are set.
    pub registry: Vec<RegistryChange>,
    /// How many values come into registries in files, by item.
    pub registry_values: BTreeMap<String, u64>,
    /// Items whose differing values in the registry stay as they are.
    pub registry_kept: BTreeSet<String>,
    /// Browsers that run there now, and would write over what they are told.
    pub open_browsers: BTreeSet<String>,
}

/// What was at one address in the trunk goes to another place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moved {
    /// Whose part it is.
    pub item: String,
    /// The place it was in.
    pub from_place: String,
    /// Below that.
    pub from: RelativePath,
    /// The place it goes to.
    pub to_place: String,
    /// Below that.
    pub to: RelativePath,
}

/// A small file whose content follows to the new machine.
pub struct Adapt {
    /// Whose file it is.
    pub item: String,
    /// Its place in the trunk.
    pub place: String,
    /// Below that.
    pub path: RelativePath,
    /// Gives the new content; none if it stays as it is.
    pub with: AdaptWith,
}

/// See [`Adapt`].
pub type AdaptWith = Box<dyn Fn(&[u8]) -> Option<Vec<u8>> + Send + Sync>;

/// A file of the machine that gets another content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// For which item.
    pub item: String,
    /// Below the machine's root.
    pub at: RelativePath,
    /// The new content.
    pub content: Vec<u8>,
    /// What stands beside it and belongs to the old content.
    pub set_aside_too: Vec<RelativePath>,
}
