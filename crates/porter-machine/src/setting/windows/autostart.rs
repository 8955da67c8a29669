//! Programs that start when the person signs in. Each comes back with its program: a trunk brings nothing
//! that runs by itself.

use super::own::Own;
use super::personal_setting::PersonalSetting;
use crate::setting::Setting;
use porter_names::Facts;

const KEY: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Run";
/// Windows' own.
const WINDOWS_OWN: [&str; 4] = ["OneDrive", "OneDriveSetup", "SecurityHealth", "MicrosoftEdgeAutoLaunch"];

/// See the module.
pub(super) struct Autostart;

impl PersonalSetting for Autostart {
    fn id(&self) -> &'static str {
        "autostart"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let rows = own.all_texts(KEY);
        let is_own = |name: &str| WINDOWS_OWN.iter().any(|begin| name.starts_with(begin));
        let facts: Vec<(&str, Option<String>)> = rows
            .iter()
            .filter(|(name, ..)| !name.is_empty() && !is_own(name))
            .map(|(name, command, _)| (name.as_str(), Some(command.clone())))
            .collect();
        own.setting(self.id(), "Programs that start by themselves", &facts).into_iter().collect()
    }

    /// Whatever the command is: programs stand elsewhere on another machine.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.keys().all(|name| now.contains_key(name))
    }
}
