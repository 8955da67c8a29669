//! Which of a person's registry belongs to a rule's items: its `[[registry]]` tables.

use serde::{Deserialize, Deserializer, de};

/// A key of a person's registry, with all that is below it unless it says otherwise.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RegistryPart {
    /// Its path below the root of the person's registry, with `\` between the names.
    #[serde(deserialize_with = "key_path")]
    pub key: String,
    /// Only these of the key's values, and nothing below it; all of it if it names none.
    #[serde(default)]
    pub values: Vec<String>,
    /// True if the keys in it are named after the folders of profiles: each belongs to its profile.
    #[serde(default)]
    pub by_profile: bool,
    /// Why it stays in the trunk, if it does.
    #[serde(default)]
    pub hold: Option<String>,
}

impl RegistryPart {
    /// The same, of the program whose own key is `base`: a rule's engine says what all its browsers have there.
    pub(super) fn below(mut self, base: &str) -> Self {
        self.key = if self.key == HERE { base.to_owned() } else { format!("{base}\\{}", self.key) };
        self
    }

    /// True if `key` is the part's, or below it, whatever the case of either.
    pub fn has(&self, key: &str) -> bool {
        let (own, key) = (self.key.to_lowercase(), key.to_lowercase());
        key.strip_prefix(&own)
            .is_some_and(|rest| rest.is_empty() || (rest.starts_with('\\') && self.values.is_empty()))
    }

    /// True if it has this value of its key.
    pub fn has_value(&self, name: &str) -> bool {
        self.values.is_empty() || self.values.iter().any(|own| own.to_lowercase() == name.to_lowercase())
    }
}

/// The program's own key, in an engine's tables.
const HERE: &str = ".";

/// The part that decides about a key: the one that says most about where it is.
pub fn part_of<'p>(parts: &'p [RegistryPart], key: &str) -> Option<&'p RegistryPart> {
    parts.iter().filter(|part| part.has(key)).max_by_key(|part| part.key.len())
}

pub(super) fn key_path<'de, D: Deserializer<'de>>(deserializer: D) -> Result<String, D::Error> {
    let path = String::deserialize(deserializer)?;
    let is_root = |step: &str| step.to_uppercase().starts_with("HKEY_") || step.eq_ignore_ascii_case("HKCU");
    let mut steps = path.split('\\');
    if steps.clone().any(str::is_empty) || path.contains('/') || steps.next().is_some_and(is_root) {
        return Err(de::Error::custom(
            "a key is a path below the person's own registry, such as `Software\\Kite Planner`, without `HKEY_CURRENT_USER`",
        ));
    }
    Ok(path)
}
