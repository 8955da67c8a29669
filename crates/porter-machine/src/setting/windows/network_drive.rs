//! Drives that are folders of a server. Windows connects them at the next sign-in.

use super::own::{Own, TEXT, number_value, text_value};
use super::personal_setting::PersonalSetting;
use crate::account::id_from_name;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const KEY: &str = "Network";
const LETTER: &str = "letter";
const FOLDER: &str = "server-folder";
const USER: &str = "signed-in-as";
/// `WNNC_NET_LANMAN`.
const LAN_MANAGER: u32 = 0x2_0000;

/// See the module.
pub(super) struct NetworkDrives;

impl PersonalSetting for NetworkDrives {
    fn id(&self) -> &'static str {
        "drive"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let drive = |letter: String| {
            let key = format!("{KEY}\\{letter}");
            // 0, a number, if it is connected as the person.
            let has_user = own.names_of(&key, TEXT).iter().any(|name| name.eq_ignore_ascii_case("UserName"));
            let user = if has_user { own.text(&key, "UserName") } else { None };
            let facts = [
                (LETTER, Some(letter.to_uppercase())),
                (FOLDER, own.text(&key, "RemotePath")),
                (USER, user.filter(|user| !user.is_empty())),
            ];
            let (id, title) = (
                format!("drive/{}", id_from_name(letter.as_bytes())),
                format!("Drive {}:", letter.to_uppercase()),
            );
            own.setting(&id, &title, &facts)
        };
        own.below(KEY).into_iter().filter_map(drive).collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let letter = facts
            .get(LETTER)
            .filter(|letter| matches!(letter.as_bytes(), [letter] if letter.is_ascii_alphabetic()));
        let folder = facts.get(FOLDER).filter(|folder| folder.starts_with("\\\\") && !folder.contains('\0'));
        let (Some(letter), Some(folder)) = (letter, folder) else { return Vec::new() };
        let user = match facts.get(USER) {
            Some(user) => text_value("UserName", TEXT, user),
            None => number_value("UserName", 0),
        };
        let values = vec![
            text_value("RemotePath", TEXT, folder),
            user,
            text_value("ProviderName", TEXT, "Microsoft Windows Network"),
            number_value("ProviderType", LAN_MANAGER),
            number_value("ConnectionType", 1),
            number_value("DeferFlags", 4),
        ];
        vec![KeyValues { key: format!("{KEY}\\{}", letter.to_uppercase()), values }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![KEY]
    }
}
