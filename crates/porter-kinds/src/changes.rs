//! A restore's changes beside copying files: an overlay that the kinds write, and that the plan carries
//! whole.

use crate::bringing::Bring;
use crate::receipt::Reason;
use porter_formats::bookmarks::Added;
use porter_machine::control::Control;
use porter_machine::registry::KeyValues;
use porter_names::{Facts, RelativePath};
use std::collections::{BTreeMap, BTreeSet};

/// All changes of one restore.
#[derive(Default)]
pub struct Changes {
    moves: Vec<Moved>,
    refused: BTreeMap<String, Reason>,
    adapted: Vec<Adapt>,
    files: BTreeMap<RelativePath, Edit>,
    notes: Vec<(String, Reason)>,
    controls: Vec<SetControl>,
    registry: BTreeMap<String, Vec<KeyValues>>,
    registry_values: BTreeMap<String, u64>,
    registry_kept: BTreeSet<String>,
    close_first: BTreeSet<String>,
    merged: Vec<Merged>,
    brings: Vec<Bring>,
}

/// A part of an item goes to another place than the one it was in.
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
    /// Returns the new content; none if it stays as it is.
    pub with: AdaptWith,
}

/// See [`Adapt`].
pub type AdaptWith = Box<dyn Fn(&[u8]) -> Option<Vec<u8>> + Send + Sync>;

/// A file of the machine that gets other content. The old file is set aside.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// For which item.
    pub item: String,
    /// Below the machine's root.
    pub at: RelativePath,
    /// The new content.
    pub content: Vec<u8>,
    /// Files that stand beside it and belong to the old content.
    pub set_aside_too: Vec<RelativePath>,
    /// True for a file that nobody but its owner may read.
    pub is_private: bool,
}

impl Edit {
    /// Other content for a file that stands alone, and that others may read as they may read what is there.
    pub fn new(item: &str, at: RelativePath, content: Vec<u8>) -> Self {
        Self { item: item.to_owned(), at, content, set_aside_too: Vec::new(), is_private: false }
    }
}

/// Something of the running system that is set.
#[derive(Clone)]
pub struct SetControl {
    /// For which item.
    pub item: String,
    /// The control that is set.
    pub control: &'static dyn Control,
    /// Whose it is, as the control names people.
    pub owner: String,
    /// Its value after.
    pub becomes: Facts,
    /// True if it was made for this restore before the plan was: it was not there before, and an undo removes
    /// it.
    pub is_made: bool,
    /// The receipt's reason if it cannot be set, with the system's words.
    pub if_not_set: fn(String) -> Reason,
    /// A password that belongs to it. No journal and no receipt has it.
    pub secret: Option<String>,
}

impl SetControl {
    /// For the whole machine, and without a password.
    pub fn new(
        item: &str,
        control: &'static dyn Control,
        becomes: Facts,
        if_not_set: fn(String) -> Reason,
    ) -> Self {
        let (item, owner) = (item.to_owned(), String::new());
        Self { item, control, owner, becomes, is_made: false, if_not_set, secret: None }
    }
}

/// Numbers that were added to something that exists.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Merged {
    /// The account on the machine.
    pub account: String,
    /// The program and its profile.
    pub into: String,
    /// How much.
    pub added: Added,
}

impl Changes {
    /// An item does not land. The first reason that is given stands.
    pub fn refuse(&mut self, item: &str, reason: Reason) {
        self.refused.entry(item.to_owned()).or_insert(reason);
    }

    /// An item lands, and something of it went otherwise than it should.
    pub fn note(&mut self, item: &str, reason: Reason) {
        self.notes.push((item.to_owned(), reason));
    }

    /// A part of an item goes elsewhere.
    pub fn move_part(&mut self, moved: Moved) {
        self.moves.push(moved);
    }

    /// A file of an item gets another content on its way.
    pub fn adapt(&mut self, adapt: Adapt) {
        self.adapted.push(adapt);
    }

    /// The content that was planned for a file of the machine, if one was.
    pub fn file(&self, at: &RelativePath) -> Option<&[u8]> {
        self.files.get(at).map(|edit| edit.content.as_slice())
    }

    /// A file of the machine gets another content, in place of what was planned for it.
    pub fn write(&mut self, edit: Edit) {
        self.files.insert(edit.at.clone(), edit);
    }

    /// Keys of an item, with the values that come into its owner's registry in place of what is there.
    pub fn enter(&mut self, item: &str, keys: Vec<KeyValues>) {
        self.registry.entry(item.to_owned()).or_default().extend(keys);
    }

    /// True if some of an item's keys come so.
    pub fn enters(&self, item: &str) -> bool {
        !self.registry(item).is_empty()
    }

    /// The keys that a kind has entered so for an item.
    pub fn registry(&self, item: &str) -> &[KeyValues] {
        self.registry.get(item).map(Vec::as_slice).unwrap_or_default()
    }

    /// Adds to the number of an item's values that come into its owner's registry.
    pub fn add_registry_values(&mut self, item: &str, values: u64) {
        *self.registry_values.entry(item.to_owned()).or_default() += values;
    }

    /// The values of an item that differ in its owner's registry stay as they are.
    pub fn keep_registry(&mut self, item: &str) {
        self.registry_kept.insert(item.to_owned());
    }

    /// Something of the running system is set.
    pub fn set(&mut self, change: SetControl) {
        self.controls.push(change);
    }

    /// A program of this title runs, and would write over what is changed: it has to be closed before.
    pub fn close_program_first(&mut self, title: &str) {
        self.close_first.insert(title.to_owned());
    }

    /// Something was added to what is there.
    pub fn add_merged(&mut self, merged: Merged) {
        self.merged.push(merged);
    }

    /// Something is made while the restore runs.
    pub fn bring(&mut self, bring: Bring) {
        self.brings.push(bring);
    }

    /// All that is made while the restore runs, in this order.
    pub fn brings(&self) -> &[Bring] {
        &self.brings
    }

    /// The files that get another content on their way; they are taken out.
    pub fn take_adapted(&mut self) -> Vec<Adapt> {
        std::mem::take(&mut self.adapted)
    }

    /// The files of the machine that get another content; they are taken out.
    pub fn take_files(&mut self) -> impl Iterator<Item = Edit> + use<> {
        std::mem::take(&mut self.files).into_values()
    }

    /// Parts of items that go elsewhere.
    pub fn moves(&self) -> &[Moved] {
        &self.moves
    }

    /// Where the first part of an item goes that goes elsewhere.
    pub fn moved(&self, item: &str) -> Option<&Moved> {
        self.moves.iter().find(|moved| moved.item == item)
    }

    /// Why an item does not land, if it does not.
    pub fn refused(&self, item: &str) -> Option<&Reason> {
        self.refused.get(item)
    }

    /// Remarks about items that land in spite of them.
    pub fn notes(&self) -> &[(String, Reason)] {
        &self.notes
    }

    /// The controls to set, in this order.
    pub fn controls(&self) -> &[SetControl] {
        &self.controls
    }

    /// How many values of an item come into its owner's registry.
    pub fn registry_values_of(&self, item: &str) -> u64 {
        self.registry_values.get(item).copied().unwrap_or_default()
    }

    /// Items whose differing values in the registry stay as they are.
    pub fn registry_kept(&self) -> impl Iterator<Item = &str> {
        self.registry_kept.iter().map(String::as_str)
    }

    /// Programs that run there, and would overwrite the entries.
    pub fn close_first(&self) -> impl ExactSizeIterator<Item = &str> {
        self.close_first.iter().map(String::as_str)
    }

    /// The additions to files that exist.
    pub fn merged(&self) -> &[Merged] {
        &self.merged
    }
}
