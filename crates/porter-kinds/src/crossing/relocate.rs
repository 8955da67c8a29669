//! Where a program keeps on the new system what it kept on the old one. Between systems of one family places
//! are enough; between others the carry rule of an item knows, by the names of its parts.

use crate::catalogue::{Catalogue, Find};
use crate::changes::Moved;
use porter_machine::Place;
use porter_machine::layout::Family;
use porter_names::{RelativePath, fold};
use porter_trunk::{AccountLabel, Content, Entry, EntryAddress, Label, TrunkItem, TrunkPart};
use std::collections::{HashMap, HashSet};

/// For each item, which part of it moves where.
#[derive(Debug, Default)]
pub struct Relocation {
    by_item: HashMap<String, Vec<Move>>,
    /// By account, folded: the folders below a person's own that only the old system's layout needs, such as
    /// `AppData`.
    layout: HashMap<String, HashSet<Vec<u8>>>,
}

#[derive(Debug)]
struct Move {
    from_place: String,
    from: RelativePath,
    to_place: String,
    to: RelativePath,
}

impl Relocation {
    /// From the system of a trunk's machine to another. Parts that no rule in force has there stay in their
    /// place.
    pub fn new(label: &Label, items: &[TrunkItem], to: Family, catalogue: &Catalogue) -> Self {
        let mut relocation = Self::default();
        if Family::from_name(&label.machine.system.family) == Some(to) {
            return relocation;
        }
        for account in &label.accounts {
            relocation.layout.insert(account.id.clone(), layout_of(account));
        }
        for item in items {
            let Some(rule) = catalogue.rule_of(item) else {
                continue;
            };
            let there: Vec<&Find> = rule.finds_on(to).collect();
            let moves: Vec<Move> = item.parts.iter().filter_map(|part| move_of(part, &there)).collect();
            relocation.by_item.insert(item.id.clone(), moves);
        }
        relocation
    }

    /// A decision for one restore comes before those for every restore.
    #[must_use]
    pub fn with<'m>(mut self, moved: impl IntoIterator<Item = &'m Moved>) -> Self {
        for moved in moved {
            let Moved { item, from_place, from, to_place, to } = moved.clone();
            self.by_item.entry(item).or_default().insert(0, Move { from_place, from, to_place, to });
        }
        self
    }

    /// True for a folder that the old system's layout had, and the new one's has not: what is in it goes
    /// elsewhere.
    pub fn is_of_old_layout(&self, entry: &Entry) -> bool {
        entry.content == Content::Folder
            && entry.address.place == Place::Home.name()
            && entry
                .address
                .owner
                .as_ref()
                .and_then(|owner| self.layout.get(owner))
                .is_some_and(|layout| layout.contains(&fold::folded(entry.address.path.as_bytes())))
    }

    /// The address of an entry on the new system.
    pub fn address(&self, entry: &Entry) -> EntryAddress {
        self.address_of(&entry.item, &entry.address)
    }

    /// The same for any address of an item.
    pub fn address_of(&self, item: &str, address: &EntryAddress) -> EntryAddress {
        let moved = self.by_item.get(item).into_iter().flatten().find_map(|part| {
            if part.from_place != address.place || !address.path.is_within(&part.from) {
                return None;
            }
            let mut below = address.path.steps().skip(part.from.steps().count());
            let path = below.try_fold(part.to.clone(), |path, step| path.join(step).ok())?;
            Some(EntryAddress {
                place: part.to_place.clone(),
                path,
                safe_path: None,
                owner: address.owner.clone(),
            })
        });
        moved.unwrap_or_else(|| address.clone())
    }
}

/// The folders on the way to an account's places, below its own folder.
fn layout_of(account: &AccountLabel) -> HashSet<Vec<u8>> {
    let Some(home) = account.places.get(Place::Home.name()) else { return HashSet::new() };
    let below = account.places.values().filter_map(|path| path.strip_prefix(home.as_str()));
    let mut layout = HashSet::new();
    for path in below {
        let mut folder = String::new();
        for step in path.split(['\\', '/']).filter(|step| !step.is_empty()) {
            if !folder.is_empty() {
                folder.push('/');
            }
            folder.push_str(step);
            layout.insert(fold::folded(folder.as_bytes()));
        }
    }
    layout
}

/// None for a part that the system does not have, or that is a whole place.
fn move_of(part: &TrunkPart, there: &[&Find]) -> Option<Move> {
    if part.path.is_empty() {
        return None;
    }
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    let (to_place, to) = there.iter().filter(|find| find.is_called(&part.name)).find_map(|find| {
        let path = find.path.as_ref()?;
        // Each of several files found by a pattern keeps its name.
        let to = path.literal().or_else(|| path.parent_if_last_is_pattern()?.join(from.name()?).ok())?;
        Some((find.place.name(), to))
    })?;
    Some(Move { from_place: part.place.clone(), from, to_place: to_place.to_owned(), to })
}
