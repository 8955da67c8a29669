//! Rules for a whole family of systems, whatever item an entry is in: `catalogue/system/*.toml`.

use super::patterns::{Candidate, Patterns, in_lower_case, of_kind};
use super::rule::places_by_name;
use super::{CatalogueError, Fate};
use porter_machine::Place;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::EntryKind;
use serde::Deserialize;

/// The rules of a family of systems, and then those of all.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct General {
    #[serde(default)]
    pub(super) root: Vec<RootRule>,
    #[serde(default)]
    rule: Vec<Rule>,
}

/// Entries at the root of the system's drive that are not a person's.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RootRule {
    pub(super) names: Vec<String>,
    pub(super) why: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rule {
    act: Act,
    #[serde(default, deserialize_with = "places_by_name")]
    places: Vec<Place>,
    #[serde(default)]
    folders: Patterns,
    #[serde(default)]
    files: Patterns,
    #[serde(default)]
    links: Patterns,
    why: String,
}

#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Act {
    Leave,
    Hold,
}

impl General {
    pub(super) fn of(family: Family) -> Result<Self, CatalogueError> {
        let of_family = match family {
            Family::Windows => include_str!("system/windows.toml"),
            Family::Linux => include_str!("system/linux.toml"),
            Family::MacOs => include_str!("system/macos.toml"),
            Family::Drive => include_str!("system/drive.toml"),
        };
        let mut general: Self = toml::from_str(of_family)?;
        let of_all: Self = toml::from_str(include_str!("system/all.toml"))?;
        general.root.extend(of_all.root);
        general.rule.extend(of_all.rule);
        Ok(general)
    }

    pub(super) fn fate(&self, place: Place, path: &RelativePath, kind: EntryKind) -> Fate<'_> {
        let lowered = in_lower_case(path);
        let candidate = Candidate::new(&*lowered);
        for rule in &self.rule {
            let patterns = of_kind(kind, &rule.folders, &rule.files, &rule.links);
            let holds_here = rule.places.is_empty() || rule.places.contains(&place);
            if holds_here && patterns.fit(&candidate) {
                return match rule.act {
                    Act::Leave => Fate::Leave(&rule.why),
                    Act::Hold => Fate::Hold(&rule.why),
                };
            }
        }
        Fate::Carry
    }
}
