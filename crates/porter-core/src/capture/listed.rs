//! Items and their parts, as a trunk lists them.

use crate::item::{Item, Part, What};
use porter_trunk::{Tally, TrunkItem, TrunkPart};

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
        parts: item.parts.iter().map(trunk_part).collect(),
        facts: item.facts.clone(),
        registry: item.registry.clone(),
        needs: item.rule.as_ref().map(|rule| rule.proof.needs.texts().to_vec()).unwrap_or_default(),
        counts: Vec::new(),
    }
}

/// A part, as a trunk lists it.
pub(crate) fn trunk_part(part: &Part) -> TrunkPart {
    let path = match &part.what {
        What::At(path) => path.to_string(),
        What::Whole | What::LooseFiles => String::new(),
    };
    TrunkPart { name: part.name.clone(), place: part.place.name().to_owned(), path }
}
