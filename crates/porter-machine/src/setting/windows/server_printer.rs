//! Printers of servers that a person has. Windows connects them at the next sign-in.

use super::own::{Own, TEXT, number_value, text_value};
use super::personal_setting::PersonalSetting;
use crate::account::id_from_name;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

const KEY: &str = "Printers\\Connections";
const NAME: &str = "name";
const PATH: &str = "server-printer";

/// See the module.
pub(super) struct ServerPrinters;

impl PersonalSetting for ServerPrinters {
    fn id(&self) -> &'static str {
        SERVER_PRINTER
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        // A backslash cannot stand in a key's name: `,,server,printer`.
        let paths = own.below(KEY).into_iter().map(|key| key.replace(',', "\\"));
        let printer = |path: String| {
            let name = path.rsplit('\\').next().unwrap_or_default().to_owned();
            let id = id_from_name(path.trim_matches('\\').as_bytes());
            let facts = [(NAME, Some(name)), (PATH, Some(path.clone()))];
            Setting::printer(&id, &format!("Printer {path}"), &facts)
        };
        paths.filter_map(printer).collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let path = facts.get(PATH).and_then(|path| path.strip_prefix("\\\\")?.split_once('\\'));
        let is_name = |name: &str| {
            !name.is_empty() && !name.contains(['\\', '/', ',']) && !name.chars().any(char::is_control)
        };
        let Some((server, printer)) = path.filter(|(server, printer)| is_name(server) && is_name(printer))
        else {
            return Vec::new();
        };
        let values = vec![
            text_value("Server", TEXT, &format!("\\\\{server}")),
            text_value("Provider", TEXT, "win32spl.dll"),
            number_value("LocalConnection", 1),
        ];
        vec![KeyValues { key: format!("{KEY}\\,,{server},{printer}"), values }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![KEY]
    }

    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.get(PATH).map(|path| path.to_lowercase()) == now.get(PATH).map(|path| path.to_lowercase())
    }
}

/// Its id among the settings. As an item it is a printer.
pub const SERVER_PRINTER: &str = "server-printer";

#[cfg(test)]
mod tests {
    use super::*;
    use crate::registry::RegistryRow;
    use crate::setting::windows::own::Keys;

    struct Connections(&'static [&'static str]);

    impl Keys for Connections {
        fn rows_of(&self, _: &str) -> Option<Vec<Option<RegistryRow>>> {
            Some(Vec::new())
        }

        fn names_below(&self, _: &str) -> Vec<String> {
            self.0.iter().map(|name| (*name).to_owned()).collect()
        }
    }

    #[test]
    fn a_connection_is_written_as_it_was_read_and_no_other_path_is() {
        let keys = Connections(&[",,loft,Big Plotter"]);
        let own = Own::new(&keys);
        let [printer] = &ServerPrinters.read(&own)[..] else { panic!("one") };
        assert_eq!(printer.facts.get(PATH).map(String::as_str), Some("\\\\loft\\Big Plotter"));
        let [key] = &ServerPrinters.values(&printer.facts, &own)[..] else { panic!("one key") };
        assert_eq!((key.key.as_str(), key.values.len()), ("Printers\\Connections\\,,loft,Big Plotter", 3));
        for path in ["loft\\x", "\\\\loft", "\\\\loft\\", "\\\\loft\\a\\b", "\\\\loft\\a,b", "\\\\lo/ft\\a"] {
            let facts = Facts::from([(PATH.to_owned(), path.to_owned())]);
            assert!(ServerPrinters.values(&facts, &own).is_empty(), "{path}");
        }
    }
}
