//! A carry rule: a program's data, or a kind of folder. `docs/carry-rules.md` describes the file that it is
//! read from.

use super::patterns::{Candidate, PathPattern, Patterns, in_lower_case, of_kind};
use super::registry::{RegistryPart, key_path};
use super::{CatalogueError, Fate};
use crate::part::{Part, What};
use porter_machine::Place;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::EntryKind;
use serde::{Deserialize, Deserializer, de};
use std::collections::BTreeMap;
use toml::Spanned;

/// Which of a program's data is carried, on each system.
#[derive(Debug)]
pub struct CarryRule {
    /// The part behind the owner in the ids of its items: `mail/thunderbird`. The first step is the kind.
    pub id: String,
    /// The title of its items.
    pub title: String,
    /// Advice for the technician, if any.
    pub about: Option<String>,
    /// Where its data lives.
    pub find: Vec<Find>,
    keep: Vec<Within>,
    hold: Vec<Within>,
    leave: Vec<Within>,
    /// Each folder that it finds is an item of its own, not a part of one.
    pub an_item_each: bool,
    /// Why all of it stays in the trunk and is put back by hand, if it does.
    pub restore_by_hand: Option<String>,
    /// Programs that must not run while it is captured or restored, by the names of their processes, without
    /// `.exe`.
    pub must_be_closed: Vec<String>,
    /// Files whose lines are joined with those that the new machine has, by their names.
    pub join_lines: Patterns,
    /// How it is proved beside its bytes.
    pub proof: Proof,
    /// The keys of its items in their owner's registry, on Windows.
    pub registry: Vec<RegistryPart>,
    /// Set if the program keeps profiles, each an item of its own.
    pub profiles: Option<Profiles>,
    /// Why what lies beside the profiles stays in the trunk.
    beside: Option<String>,
}

/// The name of the part that is a profile.
pub const PROFILE_PART: &str = "profile";

/// How a program keeps its profiles.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Profiles {
    /// Whose way of keeping them it is.
    pub engine: EngineName,
    /// The program's own key of a person's registry, on Windows. Keys that all programs of the engine share
    /// lie below it.
    #[serde(default, deserialize_with = "some_key_path")]
    pub registry: Option<String>,
}

/// The ways of keeping profiles that are understood.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum EngineName {
    /// `profiles.ini`, and a folder for each.
    Gecko,
    /// `Local State`, and a folder for each beside it.
    Chromium,
    /// As Gecko, with mail.
    Thunderbird,
    /// One only, Safari's.
    Safari,
}

/// One place where a rule looks.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Find {
    /// On these systems; on all if it names none.
    #[serde(default)]
    pub systems: Vec<Family>,
    /// In this place.
    #[serde(deserialize_with = "place_by_name")]
    pub place: Place,
    /// Below it; the whole place if it names none.
    #[serde(default)]
    pub path: Option<PathPattern>,
    /// But not what has one of these names, of what the last step of the path fits.
    #[serde(default)]
    pub except: Patterns,
    /// The same on each system that has the same data.
    #[serde(default = "main_part")]
    pub part: String,
    /// The name that it had in trunks of earlier versions, whose items were others.
    #[serde(default)]
    pub was: Option<String>,
    /// Where the program that looks there is installed: folders below the machine's root, with `/`.
    #[serde(default)]
    pub programs: Vec<String>,
}

/// How a rule proves its items, beside comparing every byte.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Proof {
    /// An item without a file that fits one of these is not whole.
    #[serde(default)]
    pub needs: Patterns,
    /// Numbers counted at the capture and again on the new machine: a name, and the files that count as one
    /// each.
    #[serde(default)]
    pub counts: BTreeMap<String, Patterns>,
}

/// Something that a rule found on a machine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// Below its place.
    pub part: Part,
    /// True for a folder.
    pub is_folder: bool,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Within {
    #[serde(default)]
    folders: Patterns,
    #[serde(default)]
    files: Patterns,
    #[serde(default)]
    links: Patterns,
    #[serde(default)]
    why: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    id: Spanned<Id>,
    title: String,
    #[serde(default)]
    about: Option<String>,
    find: Vec<Spanned<Find>>,
    #[serde(default)]
    keep: Vec<Spanned<Within>>,
    #[serde(default)]
    hold: Vec<Spanned<Within>>,
    #[serde(default)]
    leave: Vec<Spanned<Within>>,
    #[serde(default)]
    an_item_each: bool,
    #[serde(default)]
    restore_by_hand: Option<String>,
    #[serde(default)]
    must_be_closed: Vec<String>,
    #[serde(default)]
    join_lines: Patterns,
    #[serde(default)]
    prove: Proof,
    #[serde(default)]
    registry: Vec<RegistryPart>,
    #[serde(default)]
    profiles: Option<Profiles>,
}

/// `kind/name` or longer: lower-case letters, digits and hyphens between slashes.
struct Id(String);

impl<'de> Deserialize<'de> for Id {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let id = String::deserialize(deserializer)?;
        let is_step = |step: &str| {
            let fits = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
            !step.is_empty() && step.chars().all(fits)
        };
        if id.split('/').all(is_step) && (2..=4).contains(&id.split('/').count()) {
            Ok(Self(id))
        } else {
            Err(de::Error::custom(
                "an id is a kind and a name of lower-case letters, digits and hyphens, such as `mail/kite-post`",
            ))
        }
    }
}

fn some_key_path<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Option<String>, D::Error> {
    key_path(deserializer).map(Some)
}

fn main_part() -> String {
    "main".to_owned()
}

impl Find {
    /// True for the name of its part, now or in an earlier version.
    pub fn is_called(&self, part: &str) -> bool {
        self.part == part || self.was.as_deref() == Some(part)
    }

    /// True for what it looks for below its place, and what is in that.
    pub fn begins(&self, below: &RelativePath) -> bool {
        let Some(pattern) = &self.path else { return true };
        pattern.begins(below) && !self.passes_by(below)
    }

    /// True if the folder that it would find there is one of the exceptions.
    pub fn passes_by(&self, below: &RelativePath) -> bool {
        let last = self.path.as_ref().map_or(1, |pattern| pattern.steps.len()).saturating_sub(1);
        let name = below.steps().nth(last).and_then(|name| RelativePath::root().join(name).ok());
        name.is_some_and(|name| self.except.fit(&Candidate::new(&in_lower_case(&name))))
    }
}

impl CarryRule {
    /// Reads a rule.
    pub fn from_toml(text: &str) -> Result<Self, CatalogueError> {
        let file: File = toml::from_str(text)?;
        let line_at = |at: usize| text.get(..at).map_or(1, |before| before.matches('\n').count() + 1);
        let wrong = |at: usize, what: &str| CatalogueError::Contradiction {
            line: line_at(at),
            what: what.to_owned(),
        };
        let id_at = file.id.span().start;
        let Some(first) = file.find.first() else {
            return Err(wrong(id_at, "a rule looks somewhere: it needs a [[find]]"));
        };
        let is_personal = first.get_ref().place.is_personal();
        for find in &file.find {
            let Find { place, path, .. } = find.get_ref();
            if place.is_personal() != is_personal {
                let what =
                    "one rule looks either in places of people or in places of the machine: make two of it";
                return Err(wrong(find.span().start, what));
            }
            if path.is_none() && *place == Place::DriveRoot {
                let what = "the whole drive is not an item: say which `path`";
                return Err(wrong(find.span().start, what));
            }
        }
        let within = |rows: Vec<Spanned<Within>>, needs_why: bool| {
            rows.into_iter()
                .map(|row| {
                    let at = row.span().start;
                    let row = row.into_inner();
                    if row.folders.is_empty() && row.files.is_empty() && row.links.is_empty() {
                        return Err(wrong(at, "it names no `folders`, `files` or `links`"));
                    }
                    if needs_why && row.why.trim().is_empty() {
                        return Err(wrong(at, "say `why`: people read it on the receipt"));
                    }
                    Ok(row)
                })
                .collect::<Result<Vec<_>, _>>()
        };
        let mut leave = within(file.leave, true)?;
        let mut registry = file.registry;
        let tables = file.profiles.as_ref().map(|profiles| profiles.engine.tables()).transpose()?;
        let beside = tables.map(|tables| {
            leave.extend(tables.leave);
            let base = file.profiles.as_ref().and_then(|profiles| profiles.registry.as_ref());
            registry.extend(
                base.into_iter().flat_map(|base| tables.registry.iter().map(|part| part.clone().below(base))),
            );
            tables.beside
        });
        if !registry.is_empty() && !is_personal {
            return Err(wrong(id_at, "what is in the registry of people goes with places of people"));
        }
        Ok(Self {
            keep: within(file.keep, false)?,
            hold: within(file.hold, true)?,
            leave,
            id: file.id.into_inner().0,
            title: file.title,
            about: file.about,
            find: file.find.into_iter().map(Spanned::into_inner).collect(),
            an_item_each: file.an_item_each,
            restore_by_hand: file.restore_by_hand,
            must_be_closed: file.must_be_closed,
            join_lines: file.join_lines,
            proof: file.prove,
            registry,
            profiles: file.profiles,
            beside,
        })
    }

    /// A rule that finds nothing, and whose items stay in the trunk.
    pub fn by_hand(id: &str, title: &str, why: &str) -> Self {
        Self {
            id: id.to_owned(),
            title: title.to_owned(),
            about: None,
            find: Vec::new(),
            keep: Vec::new(),
            hold: Vec::new(),
            leave: Vec::new(),
            an_item_each: false,
            restore_by_hand: Some(why.to_owned()),
            must_be_closed: Vec::new(),
            join_lines: Patterns::default(),
            proof: Proof::default(),
            registry: Vec::new(),
            profiles: None,
            beside: None,
        }
    }

    /// The kind of its items.
    pub fn kind(&self) -> &str {
        self.id.split('/').next().unwrap_or_default()
    }

    /// True if each account has its own.
    pub fn is_personal(&self) -> bool {
        self.find.first().is_some_and(|find| find.place.is_personal())
    }

    /// Where it looks on a family of systems.
    pub fn finds_on(&self, family: Family) -> impl Iterator<Item = &Find> {
        // On a drive without a system no program looks anywhere.
        let is_everywhere = move |find: &&Find| find.systems.is_empty() && family != Family::Drive;
        self.find.iter().filter(move |find| is_everywhere(find) || find.systems.contains(&family))
    }

    /// Its verdict on an entry at `path` below the place of a part; none if it has none. Patterns fit the
    /// path below the folder that was found; for a file that was found itself, its name.
    pub fn fate(&self, part: &Part, path: &RelativePath, kind: EntryKind) -> Option<Fate<'_>> {
        // Most rules say nothing, and most of a machine is asked of them.
        if self.keep.is_empty() && self.hold.is_empty() && self.leave.is_empty() {
            return None;
        }
        let below = below_found(part, path)?;
        let lowered = in_lower_case(&below);
        let candidate = Candidate::new(&*lowered);
        let find = |rows: &'_ [Within]| {
            rows.iter().position(|row| of_kind(kind, &row.folders, &row.files, &row.links).fit(&candidate))
        };
        if find(&self.keep).is_some() {
            return Some(Fate::Carry);
        }
        let held = find(&self.hold).map(|at| Fate::Hold(&self.hold[at].why));
        held.or_else(|| find(&self.leave).map(|at| Fate::Leave(&self.leave[at].why)))
    }

    /// The fate that every entry of a part begins with.
    pub fn first_fate(&self, part: &Part) -> Fate<'_> {
        let is_beside = self.find.iter().any(|find| find.part == part.name);
        let beside = self.beside.as_deref().filter(|_| is_beside);
        let held = beside.or(self.restore_by_hand.as_deref());
        held.map_or(Fate::Carry, Fate::Hold)
    }
}

/// The path below what a part found; for a found file itself, its name. None for a path that is not in it.
pub fn below_found(part: &Part, path: &RelativePath) -> Option<RelativePath> {
    let What::At(found) = &part.what else { return Some(path.clone()) };
    if path == found {
        return RelativePath::root().join(path.name()?).ok();
    }
    path.below(found)
}

fn place_by_name<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Place, D::Error> {
    let name = String::deserialize(deserializer)?;
    Place::from_name(&name).ok_or_else(|| no_such_place(&name))
}

pub(super) fn places_by_name<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<Place>, D::Error> {
    let names = Vec::<String>::deserialize(deserializer)?;
    names.iter().map(|name| Place::from_name(name).ok_or_else(|| no_such_place(name))).collect()
}

fn no_such_place<E: de::Error>(name: &str) -> E {
    let known: Vec<&str> = Place::all().map(Place::name).collect();
    E::custom(format!("there is no place `{name}`; there are {}", known.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLANNER: &str = "id = \"kites/planner\"\ntitle = \"Kite Planner\"\n\n[[find]]\nplace = \"roaming-data\"\n\
        path = \"Kite Planner/*/plans\"\n\n[[leave]]\nfolders = [\"**/preview\"]\nwhy = \"made anew\"\n";

    #[test]
    fn what_is_kept_comes_before_what_is_held_and_that_before_what_is_left() {
        let more =
            "[[keep]]\nfolders = [\"own/preview\"]\n[[hold]]\nfiles = [\"*.key\"]\nwhy = \"old key\"\n";
        let rule = CarryRule::from_toml(&format!("{PLANNER}{more}")).unwrap();
        assert_eq!((rule.kind(), rule.is_personal()), ("kites", true));
        let path = |text: &str| RelativePath::from_bytes(text.as_bytes()).unwrap();
        let part = Part {
            name: main_part(),
            place: Place::RoamingData,
            what: What::At(path("Kite Planner/4/plans")),
        };
        let fate =
            |below: &str, kind| rule.fate(&part, &path(&format!("Kite Planner/4/plans/{below}")), kind);
        assert_eq!(fate("a/Preview", EntryKind::Folder), Some(Fate::Leave("made anew")));
        assert_eq!(fate("own/preview", EntryKind::Folder), Some(Fate::Carry));
        assert_eq!(fate("a.KEY", EntryKind::File), Some(Fate::Hold("old key")));
        assert_eq!(fate("a.kite", EntryKind::File), None);
    }

    #[test]
    fn a_mistake_in_a_rule_is_named_with_its_line_and_column() {
        for (wrong, right, says) in [
            ("\"roaming-data\"", "\"attic\"", "line 5, column 9"),
            ("\"kites/planner\"", "\"Planner\"", "line 1, column 6"),
            ("path = \"Kite", "path = \"/Kite", "line 6, column 8"),
            ("/plans\"", "/**\"", "`**` cannot stand in a path"),
            ("**/preview", "**/pre[view", "line 9, column 11"),
            ("why = \"made anew\"", "", "line 8: say `why`"),
            ("folders", "folder", "unknown field `folder`"),
            (
                "path = \"Kite Planner/*/plans\"",
                "[[find]]\nplace = \"shared-data\"",
                "line 6: one rule looks either",
            ),
        ] {
            let error = CarryRule::from_toml(&PLANNER.replace(wrong, right)).unwrap_err().to_string();
            assert!(error.contains(says), "{right}: {error}");
        }
    }
}
