//! The printer that is used unless another is chosen.

use super::own::{Own, TEXT, number_value, text_value};
use super::personal_setting::PersonalSetting;
use super::table::build;
use super::tell::Tell;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const KEY: &str = "Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows";
const NAME: &str = "name";
/// Set if Windows is not to choose the printer that was used last, since Windows 10.
const KEPT: &str = "stays";

/// See the module.
pub(super) struct UsualPrinter;

impl PersonalSetting for UsualPrinter {
    fn id(&self) -> &'static str {
        "default-printer"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        // Behind the name stand a driver and a port, which each Windows gives.
        let device = own.text(KEY, "Device");
        let name = device.and_then(|device| device.split(',').next().map(str::to_owned));
        let stays = own.number(KEY, "LegacyDefaultPrinterMode").filter(|_| name.is_some());
        let facts = [(NAME, name), (KEPT, stays.map(|number| number.to_string()))];
        own.setting(self.id(), "The usual printer", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let Some(name) = facts.get(NAME).filter(|name| !name.contains([',', '\0'])) else {
            return Vec::new();
        };
        let mut values = vec![text_value("Device", TEXT, &format!("{name},winspool,Ne00:"))];
        let stays = facts.get(KEPT).and_then(|number| number.parse().ok());
        values.extend(stays.map(|number| number_value("LegacyDefaultPrinterMode", number)));
        vec![KeyValues { key: KEY.to_owned(), values }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![KEY]
    }

    /// Programs that start with a session stand beside it.
    fn has_value(&self, _: &str, name: &str) -> bool {
        ["Device", "LegacyDefaultPrinterMode"].iter().any(|own| own.eq_ignore_ascii_case(name))
    }

    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.get(NAME).map(|name| name.to_lowercase()) == now.get(NAME).map(|name| name.to_lowercase())
    }

    fn unknown_to(&self, build: u32, facts: &Facts) -> Vec<String> {
        let is_later = |fact: &&String| fact.as_str() == KEPT && build < build::TEN;
        facts.keys().filter(is_later).cloned().collect()
    }

    fn tells(&self, key: &str, name: &str) -> Tell {
        let is_it = key.eq_ignore_ascii_case(KEY) && name.eq_ignore_ascii_case("Device");
        if is_it { Tell::Section("windows") } else { Tell::Nothing }
    }
}
