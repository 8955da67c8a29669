//! The languages that a person listed: programs and pages are shown in the first that they have, and Windows
//! makes the list of keyboard layouts of them at each sign-in (since Windows 8).

use super::own::{NUMBER, Own, number_value, texts_value};
use super::personal_setting::PersonalSetting;
use super::table::build;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const PROFILE: &str = "Control Panel\\International\\User Profile";
const LIST: &str = "languages";
const SWITCHES: [(&str, &str); 4] = [
    ("corrects", "ShowAutoCorrection"),
    ("predicts", "ShowTextPrediction"),
    ("capitals", "ShowCasing"),
    ("shift-ends-capitals", "ShowShiftLock"),
];

/// See the module.
pub(super) struct Languages;

/// A tag as BCP 47 has it.
fn is_tag(text: &str) -> bool {
    (2..=35).contains(&text.len()) && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '-')
}

/// `0409:00000409`; an input method has more behind the colon.
fn is_input(text: &str) -> bool {
    (9..=90).contains(&text.len()) && text.chars().all(|c| c.is_ascii_alphanumeric() || ":{}-".contains(c))
}

impl PersonalSetting for Languages {
    fn id(&self) -> &'static str {
        "languages"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let Some(list) = own.texts(PROFILE, "Languages") else { return Vec::new() };
        let tags: Vec<String> = list.into_iter().filter(|tag| is_tag(tag)).collect();
        let inputs: Vec<(String, String)> = tags
            .iter()
            .map(|tag| {
                let key = format!("{PROFILE}\\{tag}");
                let mut rows: Vec<(u32, String)> = own
                    .names_of(&key, NUMBER)
                    .into_iter()
                    .filter(|name| is_input(name))
                    .filter_map(|name| Some((own.number(&key, &name)?, name)))
                    .collect();
                rows.sort();
                let names: Vec<String> = rows.into_iter().map(|(_, name)| name).collect();
                (format!("inputs of {tag}"), names.join(" "))
            })
            .collect();
        let mut facts = vec![(LIST, Some(tags.join(" ")))];
        facts.extend(inputs.iter().map(|(name, text)| (name.as_str(), Some(text.clone()))));
        let switch = |name: &str| own.number(PROFILE, name).map(|number| number.to_string());
        facts.extend(SWITCHES.map(|(fact, name)| (fact, switch(name))));
        own.setting(self.id(), "Languages", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let tags: Vec<&str> =
            facts.get(LIST).into_iter().flat_map(|text| text.split(' ')).filter(|tag| is_tag(tag)).collect();
        let mut values = Vec::new();
        if !tags.is_empty() {
            values.push(texts_value("Languages", tags.iter().copied()));
        }
        let number = |fact: &str| facts.get(fact)?.parse().ok();
        values.extend(SWITCHES.iter().filter_map(|(fact, name)| Some(number_value(name, number(fact)?))));
        let of_tag = tags.iter().filter_map(|tag| {
            let inputs = facts.get(&format!("inputs of {tag}"))?.split(' ').filter(|input| is_input(input));
            let values: Vec<_> = (1..).zip(inputs).map(|(order, input)| number_value(input, order)).collect();
            (!values.is_empty()).then(|| KeyValues { key: format!("{PROFILE}\\{tag}"), values })
        });
        let mut keys: Vec<KeyValues> = of_tag.collect();
        keys.insert(0, KeyValues { key: PROFILE.to_owned(), values });
        keys
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![PROFILE]
    }

    fn unknown_to(&self, build: u32, facts: &Facts) -> Vec<String> {
        if build < build::EIGHT { facts.keys().cloned().collect() } else { Vec::new() }
    }
}
