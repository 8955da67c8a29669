//! Items and their parts, as a trunk lists them.

use porter_kinds::item::Item;
use porter_kinds::part::Part;
use porter_trunk::{Tally, TrunkItem};

/// An item, as a trunk lists it before anything of it was counted.
pub(super) fn listed(item: &Item, chosen: bool) -> TrunkItem {
    TrunkItem {
        id: item.id.clone(),
        kind: item.kind.clone(),
        account: item.owner.clone(),
        title: item.title.clone(),
        chosen,
        seen: Tally::default(),
        captured: Tally::default(),
        left: Tally::default(),
        rule: item.rule.as_ref().map(|rule| rule.id.clone()),
        parts: item.parts.iter().map(Part::as_listed).collect(),
        facts: item.facts.clone(),
        registry: item.registry.clone(),
        needs: item.rule.as_ref().map(|rule| rule.proof.needs.texts().to_vec()).unwrap_or_default(),
        counts: Vec::new(),
    }
}
