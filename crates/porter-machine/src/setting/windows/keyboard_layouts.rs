//! Keyboard layouts, in the order in which they are switched.

use super::own::{Own, TEXT, text_value};
use super::personal_setting::PersonalSetting;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const PRELOAD: &str = "Keyboard Layout\\Preload";
const SUBSTITUTES: &str = "Keyboard Layout\\Substitutes";
/// The layouts, by their numbers.
const LAYOUTS: &str = "windows-layouts";
/// Which layout stands for which: `d0010409=00020409`.
const STAND_INS: &str = "stand-ins";

/// See the module.
pub(super) struct KeyboardLayouts;

/// By the numbers that are their names: 10 comes behind 9.
fn layouts(own: &Own<'_>) -> Vec<String> {
    let mut rows: Vec<(u32, String)> = own
        .all_texts(PRELOAD)
        .into_iter()
        .filter_map(|(name, layout, _)| Some((name.parse().ok()?, layout.to_lowercase())))
        .filter(|(_, layout)| is_layout(layout))
        .collect();
    rows.sort();
    rows.into_iter().map(|(_, layout)| layout).collect()
}

fn is_layout(text: &str) -> bool {
    text.len() == 8 && text.chars().all(|digit| digit.is_ascii_hexdigit())
}

impl PersonalSetting for KeyboardLayouts {
    fn id(&self) -> &'static str {
        "keyboard"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let stand_ins = own.all_texts(SUBSTITUTES).into_iter();
        let stand_ins: Vec<String> = stand_ins
            .filter(|(name, layout, _)| is_layout(name) && is_layout(layout))
            .map(|(name, layout, _)| format!("{name}={layout}").to_lowercase())
            .collect();
        let facts = [(LAYOUTS, Some(layouts(own).join(" "))), (STAND_INS, Some(stand_ins.join(" ")))];
        own.setting(self.id(), "Keyboard layouts", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        let mut all: Vec<String> =
            facts.get(LAYOUTS).into_iter().flat_map(|text| text.split(' ')).map(str::to_lowercase).collect();
        all.retain(|layout| is_layout(layout));
        if all.is_empty() {
            return Vec::new();
        }
        // Layouts that are there stay behind these: so no number is left over that means one of them twice.
        for layout in layouts(there) {
            if !all.contains(&layout) {
                all.push(layout);
            }
        }
        let number = |(at, layout): (usize, &String)| text_value(&(at + 1).to_string(), TEXT, layout);
        let mut keys =
            vec![KeyValues { key: PRELOAD.to_owned(), values: all.iter().enumerate().map(number).collect() }];
        let stand_ins = facts.get(STAND_INS).into_iter().flat_map(|text| text.split(' '));
        let stand_ins: Vec<_> = stand_ins
            .filter_map(|pair| pair.split_once('='))
            .filter(|(name, layout)| is_layout(name) && is_layout(layout))
            .map(|(name, layout)| text_value(name, TEXT, layout))
            .collect();
        if !stand_ins.is_empty() {
            keys.push(KeyValues { key: SUBSTITUTES.to_owned(), values: stand_ins });
        }
        keys
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![PRELOAD, SUBSTITUTES]
    }

    /// Further layouts behind these are no loss.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        let words = |facts: &Facts, name: &str| -> Vec<String> {
            facts
                .get(name)
                .map(|text| text.to_lowercase())
                .unwrap_or_default()
                .split(' ')
                .map(str::to_owned)
                .collect()
        };
        words(now, LAYOUTS).starts_with(&words(then, LAYOUTS))
            && words(then, STAND_INS)
                .iter()
                .all(|pair| pair.is_empty() || words(now, STAND_INS).contains(pair))
    }
}
