//! Fonts and measures of windows, where a person changed them.

use super::own::{Own, TEXT, bytes_value, text_value};
use super::personal_setting::PersonalSetting;
use super::tell::Tell;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const METRICS: &str = "Control Panel\\Desktop\\WindowMetrics";
/// In twentieths of a point, below zero; what Windows has of itself where that never changed.
const MEASURES: [(&str, &str, Option<&str>); 7] = [
    ("border", "BorderWidth", Some("-15")),
    ("scroll-bar-width", "ScrollWidth", Some("-255")),
    ("scroll-bar-height", "ScrollHeight", Some("-255")),
    ("caption-height", "CaptionHeight", Some("-330")),
    ("menu-height", "MenuHeight", Some("-285")),
    ("icon-spacing", "IconSpacing", None),
    ("icon-vertical-spacing", "IconVerticalSpacing", None),
];
const FONTS: [(&str, &str); 6] = [
    ("caption-font", "CaptionFont"),
    ("small-caption-font", "SmCaptionFont"),
    ("menu-font", "MenuFont"),
    ("status-font", "StatusFont"),
    ("message-font", "MessageFont"),
    ("icon-font", "IconFont"),
];
const DPI: &str = "dpi";
const USUAL_DPI: u32 = 96;
/// Length of a `LOGFONTW`.
const FONT_IN_BYTES: usize = 92;
/// Where the name of the face begins in it, in bytes.
const FACE_AT: usize = 28;

/// See the module.
pub(super) struct WindowFonts;

/// `Segoe UI, -12, 400`: face, height in pixels, weight.
fn font_of(bytes: &[u8]) -> Option<String> {
    if bytes.len() != FONT_IN_BYTES {
        return None;
    }
    let number = |at: usize| Some(i32::from_le_bytes(*bytes.get(at..)?.first_chunk()?));
    let face = bytes[FACE_AT..].as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair));
    let face = String::from_utf16(&face.take_while(|unit| *unit != 0).collect::<Vec<u16>>()).ok()?;
    (!face.is_empty() && !face.contains(',')).then_some(())?;
    Some(format!("{face}, {}, {}", number(0)?, number(16)?))
}

/// The same font over what is there: its character set and pitch stay the new Windows' own.
fn with_font(there: &[u8], text: &str, dpi: (u32, u32)) -> Option<Vec<u8>> {
    let mut words = text.split(", ");
    let (face, height, weight) =
        (words.next()?, words.next()?.parse::<i32>().ok()?, words.next()?.parse::<i32>().ok()?);
    let units: Vec<u16> = face.encode_utf16().collect();
    if there.len() != FONT_IN_BYTES || units.len() >= (FONT_IN_BYTES - FACE_AT) / 2 {
        return None;
    }
    let scaled = i64::from(height) * i64::from(dpi.1) / i64::from(dpi.0.max(1));
    let mut bytes = there.to_vec();
    bytes[..4].copy_from_slice(&i32::try_from(scaled).ok()?.to_le_bytes());
    bytes[16..20].copy_from_slice(&weight.to_le_bytes());
    bytes[FACE_AT..].fill(0);
    for (at, unit) in units.iter().enumerate() {
        bytes[FACE_AT + 2 * at..FACE_AT + 2 * at + 2].copy_from_slice(&unit.to_le_bytes());
    }
    Some(bytes)
}

impl PersonalSetting for WindowFonts {
    fn id(&self) -> &'static str {
        "window-fonts"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let changed = |(fact, name, standard): &(&'static str, &str, Option<&str>)| {
            let value = own
                .text(METRICS, name)
                .filter(|value| value.starts_with('-') && Some(value.as_str()) != *standard)?;
            // The two that depend on the screen count only beside another change.
            standard.map(|_| (*fact, Some(value)))
        };
        let mut facts: Vec<(&str, Option<String>)> = MEASURES.iter().filter_map(changed).collect();
        let dpi = own.number(METRICS, "AppliedDPI").unwrap_or(USUAL_DPI);
        for (fact, name) in FONTS {
            let font = own.bytes(METRICS, name).and_then(|bytes| font_of(&bytes));
            if font.as_deref().is_some_and(|font| !is_standard(font, dpi)) {
                facts.push((fact, font));
            }
        }
        if !facts.is_empty() {
            facts.push((DPI, Some(dpi.to_string())));
        }
        own.setting(self.id(), "Fonts and measures of windows", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        let then = facts.get(DPI).and_then(|dpi| dpi.parse().ok()).unwrap_or(USUAL_DPI);
        let now = there.number(METRICS, "AppliedDPI").unwrap_or(USUAL_DPI);
        let measure = |(fact, name, _): &(&str, &str, Option<&str>)| {
            let value = facts.get(*fact)?;
            value.parse::<i16>().ok().map(|_| text_value(name, TEXT, value))
        };
        let mut values: Vec<_> = MEASURES.iter().filter_map(measure).collect();
        for (fact, name) in FONTS {
            let font =
                facts.get(fact).and_then(|text| with_font(&there.bytes(METRICS, name)?, text, (then, now)));
            values.extend(font.map(|bytes| bytes_value(name, bytes)));
        }
        vec![KeyValues { key: METRICS.to_owned(), values }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![METRICS]
    }

    /// Whatever the screens' resolutions, which scale the heights of fonts.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        let dpi = |facts: &Facts| facts.get(DPI).and_then(|dpi| dpi.parse::<i64>().ok()).unwrap_or(96).max(1);
        let in_points = |facts: &Facts, text: &str| {
            let mut words: Vec<String> = text.split(", ").map(str::to_owned).collect();
            if let Some(height) = words.get_mut(1)
                && let Ok(pixels) = height.parse::<i64>()
            {
                *height = (pixels * 720 / dpi(facts) / 5).to_string();
            }
            words
        };
        let is_it = |(name, value): (&String, &String)| {
            let there = now.get(name);
            name == DPI || there.is_some_and(|there| in_points(then, value) == in_points(now, there))
        };
        then.iter().all(is_it)
    }

    fn tells(&self, key: &str, _: &str) -> Tell {
        if key.eq_ignore_ascii_case(METRICS) { Tell::Section("WindowMetrics") } else { Tell::Nothing }
    }
}

/// The fonts that Windows has of itself, since Vista and before.
fn is_standard(font: &str, dpi: u32) -> bool {
    let mut words = font.split(", ");
    let face = words.next().unwrap_or_default();
    let height = words.next().and_then(|height| height.parse::<i64>().ok()).unwrap_or_default();
    let at_96 = height * i64::from(USUAL_DPI) / i64::from(dpi.max(1));
    matches!(
        (face, at_96),
        ("Segoe UI", -15..=-11) | ("Tahoma" | "MS Sans Serif" | "Trebuchet MS", -13..=-11)
    ) && matches!(words.next(), Some("400" | "700"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_font_follows_to_a_screen_of_another_resolution() {
        let there = with_font(&[0; 92], "Segoe UI, -12, 400", (96, 96)).unwrap();
        assert_eq!(font_of(&there).as_deref(), Some("Segoe UI, -12, 400"));
        assert!(is_standard("Segoe UI, -18, 400", 144) && !is_standard("Segoe UI, -18, 400", 96));
        let now = with_font(&there, "Verdana, -16, 700", (96, 144)).unwrap();
        assert_eq!(font_of(&now).as_deref(), Some("Verdana, -24, 700"));
        assert_eq!(with_font(&there[1..], "Verdana, -16, 700", (96, 96)), None);
        assert_eq!(with_font(&there, &"x".repeat(40), (96, 96)), None);
        let facts = |font: &str, dpi: &str| {
            Facts::from([("menu-font".to_owned(), font.to_owned()), (DPI.to_owned(), dpi.to_owned())])
        };
        assert!(WindowFonts.is_same(&facts("Verdana, -16, 700", "96"), &facts("Verdana, -24, 700", "144")));
        assert!(!WindowFonts.is_same(&facts("Verdana, -16, 700", "96"), &facts("Verdana, -16, 700", "144")));
    }
}
