//! Where a program looks for its profiles on a machine.

use crate::catalogue::{CarryRule, Find};
use porter_machine::{Account, Machine, PlaceState};
use porter_names::RelativePath;

/// Where a program looks on a machine: place, path below it, and the same below the volume's root.
pub struct Root<'r> {
    /// By this part of its rule.
    pub find: &'r Find,
    /// Below the place.
    pub below_place: RelativePath,
    /// Below the volume's root.
    pub on_volume: RelativePath,
}

/// All places where a program would look, those that are there first.
pub fn roots<'r>(machine: &Machine, account: &Account, rule: &'r CarryRule) -> Vec<Root<'r>> {
    let root = |find: &'r Find| {
        let below_place = find.path.as_ref()?.literal()?;
        let place = machine.place(Some(account), find.place)?;
        let is_usable = matches!(place.state, PlaceState::Present | PlaceState::Absent);
        let on_volume = place.path.join_path(&below_place).ok().filter(|_| is_usable)?;
        Some(Root { find, below_place, on_volume })
    };
    let mut roots: Vec<Root<'_>> = rule.finds_on(machine.layout.family).filter_map(root).collect();
    let is_there = |path: &RelativePath| machine.volume.metadata(path).is_ok();
    let has_program = |find: &Find| {
        let path = |text: &String| RelativePath::from_bytes(text.as_bytes()).ok();
        find.programs.iter().filter_map(path).any(|path| is_there(&path))
    };
    // Stable: among equals the order of the rule holds.
    roots.sort_by_key(|root| (!is_there(&root.on_volume), !has_program(root.find)));
    roots
}
