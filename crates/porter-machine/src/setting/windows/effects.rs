//! Shadows, fades and sliding menus: single bits of a value whose other bits belong to each Windows.

use super::own::{Own, bytes_value};
use super::personal_setting::PersonalSetting;
use super::tell::Tell;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const DESKTOP: &str = "Control Panel\\Desktop";
const MASK: &str = "UserPreferencesMask";

/// The bits that a person chooses, by their numbers from the lowest of the first byte, and what Windows has
/// of itself.
const BITS: [(&str, usize, bool); 14] = [
    ("window-under-pointer", 0, false),
    ("menus-slide", 1, true),
    ("boxes-slide", 2, true),
    ("lists-slide", 3, true),
    ("captions-fade", 4, true),
    ("keys-underlined", 5, false),
    ("menus-fade", 9, true),
    ("chosen-fades", 10, true),
    ("tips-move", 11, true),
    ("tips-fade", 12, true),
    ("ctrl-shows-pointer", 14, false),
    ("click-locks", 15, false),
    ("pointer-hides", 16, true),
    ("windows-shadow", 18, true),
];

/// See the module.
pub(super) struct Effects;

impl PersonalSetting for Effects {
    fn id(&self) -> &'static str {
        "effects"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let mask = own.bytes(DESKTOP, MASK).filter(|mask| mask.len() >= 4);
        let mask = mask.unwrap_or_default();
        let bit = |at: usize| mask.get(at / 8).is_some_and(|byte| byte >> (at % 8) & 1 == 1);
        // Bits that are Windows' own are not facts: their standards changed between its versions.
        let chosen = |(name, at, standard): &(&'static str, usize, bool)| {
            let value = bit(*at);
            (value != *standard && !mask.is_empty()).then(|| (*name, Some(u8::from(value).to_string())))
        };
        let facts: Vec<_> = BITS.iter().filter_map(chosen).collect();
        own.setting(self.id(), "Visual effects", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        // Without the new Windows' own bits nothing can be said of the others.
        let Some(mut mask) = there.bytes(DESKTOP, MASK).filter(|mask| mask.len() >= 4) else {
            return Vec::new();
        };
        for (name, at, _) in BITS {
            if let (Some(value), Some(byte)) = (facts.get(name), mask.get_mut(at / 8)) {
                let bit = 1 << (at % 8);
                *byte = if value == "1" { *byte | bit } else { *byte & !bit };
            }
        }
        vec![KeyValues { key: DESKTOP.to_owned(), values: vec![bytes_value(MASK, mask)] }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![DESKTOP]
    }

    fn tells(&self, key: &str, name: &str) -> Tell {
        let is_it = key.eq_ignore_ascii_case(DESKTOP) && name.eq_ignore_ascii_case(MASK);
        if is_it { Tell::Section("WindowMetrics") } else { Tell::Nothing }
    }
}
