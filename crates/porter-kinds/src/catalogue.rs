//! The carry rules: what the items are, where they live on each system, what of them is carried, held or
//! left, and why.
//!
//! Each [`CarryRule`] is a file of its own below `catalogue/`, in the same syntax that a technician uses for
//! further ones (`docs/carry-rules.md`). Rules that the browsers of one engine share stand in
//! `catalogue/engine/`. Rules for a whole system, such as which entries at the root of the drive are not a
//! person's, stand in `catalogue/system/` ([`general`]).

mod built_in;
mod engine;
mod error;
mod fate;
pub mod general;
pub mod patterns;
pub mod registry;
pub mod rule;

pub use built_in::{BuiltIn, built_in_rules};
pub use error::CatalogueError;
pub use fate::Fate;
pub use registry::RegistryPart;
pub use rule::{CarryRule, EngineName, Find, Found, PROFILE_PART, Profiles, Proof};

use crate::part::Part;
use general::General;
use porter_machine::layout::Family;
use porter_machine::{Machine, Place};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed};
use porter_trunk::TrunkItem;
use std::sync::Arc;

/// The rules in force for one machine.
#[derive(Debug)]
pub struct Catalogue {
    /// The rules, in the order in which people look for what they carry.
    pub rules: Vec<Arc<CarryRule>>,
    general: General,
}

impl Catalogue {
    /// The rules that porter brings along, for a family of systems.
    pub fn built_in(family: Family) -> Result<Self, CatalogueError> {
        let rules = built_in_rules()?.into_iter().map(|(rule, _)| Arc::new(rule)).collect();
        Ok(Self { rules, general: General::of(family)? })
    }

    /// The same with a technician's own rules: before the others, and instead of those with the same id.
    #[must_use]
    pub fn with_rules(mut self, own: Vec<CarryRule>) -> Self {
        self.rules.retain(|rule| !own.iter().any(|own| own.id == rule.id));
        self.rules.splice(0..0, own.into_iter().map(Arc::new));
        self
    }

    /// The rule that an item of a trunk was found by, if it is in force here.
    pub fn rule_of(&self, item: &TrunkItem) -> Option<&Arc<CarryRule>> {
        self.rules.iter().find(|rule| Some(&rule.id) == item.rule.as_ref())
    }

    /// The title of the program that an item of a trunk belongs to, if that program does not exist on a
    /// family of systems. Folders of people, those of many programs among them, belong to no program.
    pub fn program_missing_on(&self, item: &TrunkItem, family: Family) -> Option<&str> {
        let rule = self.rule_of(item).filter(|rule| rule.kind() != "folder" && !rule.find.is_empty())?;
        let exists = rule.find.iter().any(|find| find.systems.is_empty() || find.systems.contains(&family));
        (!exists).then_some(&*rule.title)
    }

    /// The fate of an entry at `path` below its place, if nothing above it decided already. The item's own
    /// rule comes before those that hold everywhere.
    pub fn fate<'c>(
        &'c self,
        rule: Option<&'c CarryRule>,
        part: &Part,
        path: &RelativePath,
        kind: EntryKind,
    ) -> Fate<'c> {
        let own = rule.and_then(|rule| rule.fate(part, path, kind));
        own.unwrap_or_else(|| self.general_fate(part.place, path, kind))
    }

    /// The fate of an entry in any item.
    pub fn general_fate(&self, place: Place, path: &RelativePath, kind: EntryKind) -> Fate<'_> {
        self.general.fate(place, path, kind)
    }

    /// Why an entry of this name at the root of the drive is not a person's.
    pub fn not_covered_by_name(&self, name: &[u8]) -> Option<&str> {
        let known = |known: &String| fold::same_name(known.as_bytes(), name);
        self.general.root.iter().find(|rule| rule.names.iter().any(known)).map(|rule| rule.why.as_str())
    }

    /// Why an entry at the root of the drive is not an item; none if it is one.
    pub fn not_covered_at_root(&self, machine: &Machine, row: &Listed) -> Option<&str> {
        let by_name = self.not_covered_by_name(&row.name);
        let elsewhere = || {
            machine.is_other_volume(row).then_some("another volume: capture it separately if it is wanted")
        };
        by_name.or_else(elsewhere)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn caches_are_left_keys_are_held_and_everything_else_is_carried() {
        let catalogue = Catalogue::built_in(Family::Windows).unwrap();
        let fate = |place, path: &str, kind| {
            let path = RelativePath::from_bytes(path.as_bytes()).unwrap();
            match catalogue.general_fate(place, &path, kind) {
                Fate::Carry => "carry",
                Fate::Hold(_) => "hold",
                Fate::Leave(_) | Fate::Unchosen(_) => "leave",
            }
        };
        use EntryKind::{File, Folder, Link};
        for (place, path, kind, expected) in [
            (Place::LocalData, "Temp", Folder, "leave"),
            (Place::Documents, "Temp", Folder, "carry"),
            (Place::LocalData, "Kitebrowser/Default/Cache", Folder, "leave"),
            (Place::Documents, "Cache", Folder, "carry"),
            (Place::RoamingData, "Microsoft/Protect", Folder, "hold"),
            (Place::Home, "NTUSER.DAT.LOG1", File, "hold"),
            (Place::Documents, "NTUSER.DAT", File, "carry"),
            (Place::Pictures, "2011/Thumbs.db", File, "leave"),
            (Place::Home, "My Documents", Link, "leave"),
            (Place::Home, "My Documents", Folder, "carry"),
            (Place::Documents, "~$order.docx", File, "leave"),
        ] {
            assert_eq!(fate(place, path, kind), expected, "{path}");
        }
    }

    #[test]
    fn every_built_in_rule_can_be_read_and_is_there_once() {
        let rules = built_in_rules().unwrap();
        let ids: std::collections::BTreeSet<_> = rules.iter().map(|(rule, _)| rule.id.clone()).collect();
        assert_eq!(ids.len(), rules.len());
        for family in Family::ALL {
            Catalogue::built_in(family).unwrap();
        }
    }
}
