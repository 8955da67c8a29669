//! The programs that open web pages, mail addresses and files. Windows signs each choice, so that only the
//! person makes it.

use super::own::Own;
use super::personal_setting::PersonalSetting;
use crate::setting::Setting;

const OF_ADDRESSES: &str = "Software\\Microsoft\\Windows\\Shell\\Associations\\UrlAssociations";
const OF_FILES: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\FileExts";
/// The key and the name by which each fact is chosen.
const CHOICES: [(&str, &str, &str); 5] = [
    ("web", OF_ADDRESSES, "http"),
    ("mail", OF_ADDRESSES, "mailto"),
    ("pdf", OF_FILES, ".pdf"),
    ("pictures", OF_FILES, ".jpg"),
    ("music", OF_FILES, ".mp3"),
];
/// The beginnings of names that stand for a Windows' own programs.
const WINDOWS_OWN: [&str; 6] = ["IE.", "MSEdge", "AppX", "WMP11.", "PhotoViewer.", "WindowsLive."];

/// See the module.
pub(super) struct DefaultPrograms;

impl PersonalSetting for DefaultPrograms {
    fn id(&self) -> &'static str {
        "default-programs"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let chosen = |(fact, key, name): (&'static str, &str, &str)| {
            let program = own.text(&format!("{key}\\{name}\\UserChoice"), "ProgId");
            let is_own = |program: &String| WINDOWS_OWN.iter().any(|begin| program.starts_with(begin));
            (fact, program.filter(|program| !is_own(program)))
        };
        own.setting(self.id(), "Default programs", &CHOICES.map(chosen)).into_iter().collect()
    }
}
