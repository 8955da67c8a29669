//! The carry rules: what the items are called, what of them is carried, held or left, and why.
//!
//! The built-in rules stand in `catalogue/`: `folders.toml` for all systems, with the syntax explained at its top, and a
//! file for each family of systems.

use crate::machine::layout::Family;
use crate::machine::{Machine, Place};
use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed};
use serde::Deserialize;

/// The rules in force.
#[derive(Debug)]
pub struct Catalogue {
    /// The folder items, in the order in which people look for them.
    pub folders: Vec<FolderRule>,
    root: Vec<RootRule>,
    rules: Vec<CompiledRule>,
}

/// A place that is an item.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FolderRule {
    /// Which place.
    #[serde(deserialize_with = "place_by_name")]
    pub place: Place,
    /// What the item is called.
    pub title: String,
}

/// What becomes of an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate<'c> {
    /// Captured and restored.
    Carry,
    /// Captured, and kept in the trunk: the reason, in plain words.
    Hold(&'c str),
    /// Not captured: the reason, in plain words.
    Leave(&'c str),
}

/// The rules cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum CatalogueError {
    /// Not TOML, or not of the shape that rules have. The text names line and column.
    #[error("{0}")]
    Malformed(#[from] toml::de::Error),
    /// A pattern that cannot be understood.
    #[error("{0}")]
    BadPattern(#[from] globset::Error),
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    folder: Vec<FolderRule>,
    #[serde(default)]
    root: Vec<RootRule>,
    #[serde(default)]
    rule: Vec<Rule>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct RootRule {
    names: Vec<String>,
    why: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Rule {
    act: Act,
    #[serde(default, deserialize_with = "places_by_name")]
    places: Vec<Place>,
    #[serde(default)]
    folders: Vec<String>,
    #[serde(default)]
    files: Vec<String>,
    #[serde(default)]
    links: Vec<String>,
    why: String,
}

#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Act {
    Leave,
    Hold,
}

#[derive(Debug)]
struct CompiledRule {
    act: Act,
    places: Vec<Place>,
    folders: GlobSet,
    files: GlobSet,
    links: GlobSet,
    why: String,
}

impl Catalogue {
    /// The rules that porter brings along for a family of systems.
    pub fn built_in(family: Family) -> Result<Self, CatalogueError> {
        let of_family = match family {
            Family::Windows => include_str!("catalogue/windows.toml"),
            Family::Linux => include_str!("catalogue/linux.toml"),
        };
        let mut catalogue = Self::from_toml(of_family)?;
        let of_all = Self::from_toml(include_str!("catalogue/folders.toml"))?;
        catalogue.folders.extend(of_all.folders);
        catalogue.root.extend(of_all.root);
        catalogue.rules.extend(of_all.rules);
        Ok(catalogue)
    }

    /// Reads rules.
    pub fn from_toml(text: &str) -> Result<Self, CatalogueError> {
        let file: File = toml::from_str(text)?;
        let rules = file.rule.into_iter().map(compile).collect::<Result<_, _>>()?;
        Ok(Self { folders: file.folder, root: file.root, rules })
    }

    /// What becomes of an entry at `path` below `place`, if nothing above it decided already.
    pub fn fate(&self, place: Place, path: &RelativePath, kind: EntryKind) -> Fate<'_> {
        let in_lower_case = path.as_bytes().to_ascii_lowercase();
        // Bytes that are no Unicode match no pattern but `*`.
        let shown = String::from_utf8_lossy(&in_lower_case);
        let candidate = globset::Candidate::new(&*shown);
        for rule in &self.rules {
            let patterns = match kind {
                EntryKind::Folder => &rule.folders,
                EntryKind::Link => &rule.links,
                EntryKind::File | EntryKind::Other => &rule.files,
            };
            let holds_here = rule.places.is_empty() || rule.places.contains(&place);
            if holds_here && !patterns.is_empty() && patterns.is_match_candidate(&candidate) {
                return match rule.act {
                    Act::Leave => Fate::Leave(&rule.why),
                    Act::Hold => Fate::Hold(&rule.why),
                };
            }
        }
        Fate::Carry
    }

    /// Why something at the root of the drive is no item; none if it is one.
    pub fn not_covered_at_root(&self, machine: &Machine, row: &Listed) -> Option<&str> {
        let known = |name: &String| fold::same_name(name.as_bytes(), &row.name);
        let by_name =
            self.root.iter().find(|rule| rule.names.iter().any(known)).map(|rule| rule.why.as_str());
        let elsewhere =
            || machine.is_other_volume(row).then_some("another volume: capture it by itself if it is wanted");
        by_name.or_else(elsewhere)
    }
}

fn compile(rule: Rule) -> Result<CompiledRule, CatalogueError> {
    let set = |patterns: &[String]| {
        let mut set = GlobSetBuilder::new();
        for pattern in patterns {
            set.add(GlobBuilder::new(pattern).literal_separator(true).build()?);
        }
        set.build()
    };
    Ok(CompiledRule {
        act: rule.act,
        places: rule.places,
        folders: set(&rule.folders)?,
        files: set(&rule.files)?,
        links: set(&rule.links)?,
        why: rule.why,
    })
}

fn place_by_name<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Place, D::Error> {
    let name = String::deserialize(deserializer)?;
    Place::from_name(&name).ok_or_else(|| serde::de::Error::custom(format!("there is no place `{name}`")))
}

fn places_by_name<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Vec<Place>, D::Error> {
    let names = Vec::<String>::deserialize(deserializer)?;
    names
        .iter()
        .map(|name| Place::from_name(name).ok_or(name))
        .collect::<Result<_, _>>()
        .map_err(|name| serde::de::Error::custom(format!("there is no place `{name}`")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn caches_are_left_keys_are_held_and_everything_else_is_carried() {
        let catalogue = Catalogue::built_in(Family::Windows).unwrap();
        let fate = |place, path: &str, kind| {
            let path = RelativePath::from_bytes(path.as_bytes()).unwrap();
            match catalogue.fate(place, &path, kind) {
                Fate::Carry => "carry",
                Fate::Hold(_) => "hold",
                Fate::Leave(_) => "leave",
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
    fn a_mistake_in_a_rule_is_named_with_its_line() {
        let text = "[[folder]]\nplace = \"attic\"\ntitle = \"Attic\"\n";
        let error = Catalogue::from_toml(text).unwrap_err().to_string();
        assert!(error.contains("line 2") && error.contains("attic"), "{error}");
    }
}
