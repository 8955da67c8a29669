//! Sounds of events, and the beep. Windows plays the file that an event's `.Current` names; the scheme's name
//! is only a name.

use super::own::{Own, TEXT, text_value};
use super::personal_setting::PersonalSetting;
use crate::registry::KeyValues;
use crate::setting::{Setting, is_local_file};
use porter_names::Facts;

const SCHEMES: &str = "AppEvents\\Schemes";
const APPS: &str = "AppEvents\\Schemes\\Apps";
const SOUND: &str = "Control Panel\\Sound";
const STANDARD_SCHEME: &str = ".Default";
/// An event without a sound; a fact is never empty.
const SILENT: &str = "-";

/// See the module.
pub(super) struct Sounds;

/// `.Default\SystemHand`: the program and the event.
fn is_event(text: &str) -> bool {
    let steps: Vec<&str> = text.split('\\').collect();
    steps.len() == 2 && steps.iter().all(|step| !step.is_empty() && step.len() < 200 && !step.contains('\0'))
}

impl PersonalSetting for Sounds {
    fn id(&self) -> &'static str {
        "sounds"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let scheme = own.text(SCHEMES, "").filter(|name| !name.is_empty() && name != STANDARD_SCHEME);
        let mut events = Vec::new();
        for app in own.below(APPS) {
            for event in own.below(&format!("{APPS}\\{app}")) {
                let file = |which: &str| own.text(&format!("{APPS}\\{app}\\{event}\\{which}"), "");
                let (current, standard) = (file(".Current"), file(".Default"));
                let name = |path: &str| path.rsplit(['\\', '/']).next().unwrap_or_default().to_lowercase();
                // The standard names it with %SystemRoot%, the current one in full.
                let is_standard = current.as_deref().map(name) == standard.as_deref().map(name);
                let current = current.map(|file| if file.is_empty() { SILENT.to_owned() } else { file });
                let event = format!("{app}\\{event}");
                if let Some(file) = current.filter(|_| !is_standard && is_event(&event)) {
                    events.push((event, file));
                }
            }
        }
        let mut facts: Vec<(&str, Option<String>)> =
            events.iter().map(|(event, file)| (event.as_str(), Some(file.clone()))).collect();
        let beep = own.text(SOUND, "Beep").filter(|beep| !beep.eq_ignore_ascii_case("yes"));
        facts.extend([("scheme", scheme), ("beep", beep)]);
        own.setting(self.id(), "Sounds", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        let mut keys = Vec::new();
        let one = |key: String, value| KeyValues { key, values: vec![value] };
        for (event, file) in facts.iter().filter(|(name, _)| is_event(name)) {
            let file = if file == SILENT { "" } else { file };
            let key = format!("{APPS}\\{event}");
            // An event that the new Windows does not have is not made.
            if there.has(&format!("{key}\\.Current"), "") && (file.is_empty() || is_local_file(file)) {
                keys.push(one(format!("{key}\\.Current"), text_value("", TEXT, file)));
            }
        }
        keys.extend(facts.get("scheme").map(|name| one(SCHEMES.to_owned(), text_value("", TEXT, name))));
        keys.extend(facts.get("beep").map(|beep| one(SOUND.to_owned(), text_value("Beep", TEXT, beep))));
        keys
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![SCHEMES, SOUND]
    }
}
