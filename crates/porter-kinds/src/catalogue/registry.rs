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
    /// The same, of the program whose own key is `base`: a rule's engine says what all its browsers have
    /// there.
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

#[cfg(test)]
mod tests {
    use crate::catalogue::CarryRule;

    fn rule(more: &str) -> Result<CarryRule, String> {
        let head = "id = \"kites/planner\"\ntitle = \"Kite Planner\"\n[[find]]\nplace = \"roaming-data\"\npath = \"Kite Planner\"\n";
        CarryRule::from_toml(&format!("{head}{more}")).map_err(|error| error.to_string())
    }

    #[test]
    fn the_table_that_says_most_about_a_key_decides_whatever_the_case() {
        let rule = rule(
            "[[registry]]\nkey = 'Software\\Planner'\nhold = \"its own\"\n\
             [[registry]]\nkey = 'Software\\Planner\\Views'\n\
             [[registry]]\nkey = 'Software\\Other'\nvalues = [\"Sail\"]\n\
             [profiles]\nengine = \"chromium\"\nregistry = 'Software\\Browser'\n",
        )
        .unwrap();
        let part = |key: &str| super::part_of(&rule.registry, key);
        let hold = |key: &str| part(key).map(|part| part.hold.as_deref().unwrap_or("lands"));
        assert_eq!(hold("SOFTWARE\\planner\\Licence"), Some("its own"));
        assert_eq!(hold("Software\\Planner\\views\\Left"), Some("lands"));
        // A key that only begins alike is another one.
        assert_eq!(hold("Software\\Planner\\ViewsOfOthers"), Some("its own"));
        assert_eq!(hold("Software\\PlannerPlus"), None);
        // Keys below a key with chosen values do not belong to the rule.
        assert_eq!((hold("Software\\Other"), hold("Software\\Other\\Below")), (Some("lands"), None));
        let other = part("Software\\Other").unwrap();
        assert!(other.has_value("SAIL") && !other.has_value("Spar"));
        // Keys from its engine lie below the program's own key.
        assert!(part("Software\\Browser\\PreferenceMACs\\Default").is_some_and(|part| part.by_profile));
        assert!(hold("Software\\Browser\\BLBeacon").is_some_and(|why| why != "lands"));
    }

    #[test]
    fn a_key_that_leads_anywhere_else_is_refused() {
        for key in [
            "HKEY_CURRENT_USER\\Software",
            "hkcu\\Software",
            "\\Software",
            "Software\\\\Kites",
            "Software/Kites",
            "",
        ] {
            let refused = rule(&format!("[[registry]]\nkey = '{key}'\n")).unwrap_err();
            assert!(refused.contains("below the person's own registry"), "{key}: {refused}");
        }
        let shared = rule("[[registry]]\nkey = 'Software'\n").unwrap();
        assert_eq!(shared.registry.len(), 1);
        let machines = "id = \"kites/planner\"\ntitle = \"x\"\n[[find]]\nplace = \"shared-data\"\n[[registry]]\nkey = 'Software'\n";
        let refused = CarryRule::from_toml(machines).unwrap_err().to_string();
        assert!(refused.contains("goes with places of people"), "{refused}");
    }
}
