//! Where a program keeps on the new system what it kept on the old one. Between systems of one family places are enough; between
//! others the carry rule of an item knows, by the names of its parts.

use super::landing::Moved;
use crate::catalogue::{Catalogue, Find};
use crate::machine::layout::Family;
use porter_names::RelativePath;
use porter_trunk::{Entry, EntryAddress, Label, TrunkItem, TrunkPart};
use std::collections::HashMap;

/// For each item, which part of it moves where.
#[derive(Debug, Default)]
pub struct Relocation {
    by_item: HashMap<String, Vec<Move>>,
}

#[derive(Debug)]
struct Move {
    from_place: String,
    from: RelativePath,
    to_place: String,
    to: RelativePath,
}

impl Relocation {
    /// From the system of a trunk's machine to another. Parts that no rule in force has there stay in their place.
    pub fn new(label: &Label, items: &[TrunkItem], to: Family, catalogue: &Catalogue) -> Self {
        let mut relocation = Self::default();
        if Family::from_name(&label.machine.system.family) == Some(to) {
            return relocation;
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

    /// What was decided for one restore comes before what holds for every one.
    #[must_use]
    pub fn with<'m>(mut self, moved: impl IntoIterator<Item = &'m Moved>) -> Self {
        for moved in moved {
            let Moved { item, from_place, from, to_place, to } = moved.clone();
            self.by_item.entry(item).or_default().insert(0, Move { from_place, from, to_place, to });
        }
        self
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

/// None for a part that the system does not have, or that is a whole place.
fn move_of(part: &TrunkPart, there: &[&Find]) -> Option<Move> {
    if part.path.is_empty() {
        return None;
    }
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    let (to_place, to) = there.iter().filter(|find| find.part == part.name).find_map(|find| {
        let path = find.path.as_ref()?;
        // Of several files found by a pattern, each keeps its name.
        let to = path.literal().or_else(|| path.parent_if_last_is_pattern()?.join(from.name()?).ok())?;
        Some((find.place.name(), to))
    })?;
    Some(Move { from_place: part.place.clone(), from, to_place: to_place.to_owned(), to })
}
