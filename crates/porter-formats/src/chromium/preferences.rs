//! The settings of a profile: `Preferences`, and what of them is signed: `Secure Preferences`.

use crate::FormatError;
use serde_json::Value;

const FORMAT: &str = "Preferences";

/// The preferences that matter to us.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Preferences {
    /// The person's name for the profile.
    pub name: Option<String>,
    /// The version that made it.
    pub created_by: Option<String>,
    /// The names of the extensions that a person put there.
    pub extensions: Vec<String>,
    /// The settings that are signed, of those that have a value: the browser resets them where the signature
    /// is of another machine.
    pub signed: Vec<String>,
}

/// Settings that people set and that are signed, with the names that people know (Chromium's
/// `profile_pref_store_manager` list).
const SIGNED: [(&str, &str); 6] = [
    ("/homepage", "home page"),
    ("/session/startup_urls", "pages at the start"),
    ("/session/restore_on_startup", "what opens at the start"),
    ("/default_search_provider_data/template_url_data", "search engine"),
    ("/pinned_tabs", "pinned tabs"),
    ("/extensions/settings", "extensions"),
];

/// Reads both files; either may be missing.
pub fn read(preferences: Option<&[u8]>, secure: Option<&[u8]>) -> Result<Preferences, FormatError> {
    let parse = |file: Option<&[u8]>| match file {
        Some(file) => {
            serde_json::from_slice::<Value>(file).map_err(|cause| FormatError::damaged(FORMAT, cause))
        }
        None => Ok(Value::Null),
    };
    let both = [parse(preferences)?, parse(secure)?];
    let text = |pointer: &str| {
        let found = both.iter().find_map(|json| json.pointer(pointer)?.as_str());
        found.map(str::to_owned).filter(|text| !text.is_empty())
    };
    let mut extensions: Vec<String> = Vec::new();
    for settings in both.iter().filter_map(|json| json.pointer("/extensions/settings")?.as_object()) {
        for (id, extension) in settings {
            // Locations 5 and 10 are parts of the browser; a theme does not count as an extension.
            let location = extension.get("location").and_then(Value::as_i64);
            let is_own = !matches!(location, Some(5 | 10))
                && extension.get("was_installed_by_default") != Some(&Value::Bool(true));
            let is_theme = extension.pointer("/manifest/theme").is_some();
            if is_own && !is_theme && extension.get("path").is_some() {
                let name = extension.pointer("/manifest/name").and_then(Value::as_str);
                extensions.push(name.filter(|name| !name.starts_with("__MSG_")).unwrap_or(id).to_owned());
            }
        }
    }
    extensions.sort();
    extensions.dedup();
    let is_signed =
        |pointer: &str| both.iter().any(|json| json.pointer(&format!("/protection/macs{pointer}")).is_some());
    let has_value = |pointer: &str| {
        both.iter().any(|json| {
            json.pointer(pointer).is_some_and(|value| !value.is_null() && *value != Value::Array(Vec::new()))
        })
    };
    let signed = SIGNED.iter().filter(|(pointer, _)| is_signed(pointer) && has_value(pointer));
    Ok(Preferences {
        name: text("/profile/name"),
        created_by: text("/profile/created_by_version"),
        extensions,
        signed: signed.map(|(_, name)| (*name).to_owned()).collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn extensions_and_signed_settings_are_told_from_the_browsers_own() {
        let preferences = br#"{"profile":{"name":"Workshop","created_by_version":"120.0.1"},"homepage":"https://k.example",
            "extensions":{"settings":{"aaaa":{"path":"aaaa/1","location":1,"manifest":{"name":"Tide table"}},
            "bbbb":{"path":"b","location":5},"cccc":{"path":"c/2","location":1,"manifest":{"name":"__MSG_n__"}}}}}"#;
        let secure = br#"{"protection":{"macs":{"homepage":"AB","pinned_tabs":"CD"}},"pinned_tabs":[]}"#;
        let read = read(Some(preferences), Some(secure)).unwrap();
        assert_eq!((read.name.as_deref(), read.created_by.as_deref()), (Some("Workshop"), Some("120.0.1")));
        assert_eq!(
            (read.extensions, read.signed),
            (vec!["Tide table".to_owned(), "cccc".to_owned()], vec!["home page".to_owned()])
        );
        assert!(super::read(Some(b"{"), None).is_err());
    }
}
