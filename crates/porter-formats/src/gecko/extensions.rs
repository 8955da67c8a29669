//! Extensions of the browser: `extensions.json`.

use crate::FormatError;
use serde_json::Value;

/// The names of the extensions that a person put there: not those that come with the browser, and no themes
/// of its own.
pub fn names(file: &[u8]) -> Result<Vec<String>, FormatError> {
    let damaged = |cause| FormatError::damaged("extensions.json", cause);
    let json: Value = serde_json::from_slice(file).map_err(damaged)?;
    let addons = json.get("addons").and_then(Value::as_array).map(Vec::as_slice).unwrap_or_default();
    let mut names = Vec::new();
    for addon in addons {
        let text = |name: &str| addon.get(name).and_then(Value::as_str);
        let is_own = text("location").is_none_or(|location| location.starts_with("app-profile"));
        let is_extension = text("type").is_none_or(|kind| kind == "extension");
        let name = addon.pointer("/defaultLocale/name").and_then(Value::as_str).or(text("id"));
        if is_own && is_extension {
            names.extend(name.map(str::to_owned));
        }
    }
    names.sort();
    Ok(names)
}

#[cfg(test)]
mod tests {
    #[test]
    fn only_what_a_person_added_counts() {
        let json = br#"{"addons":[
            {"id":"wind@kites.example","location":"app-profile","type":"extension","defaultLocale":{"name":"Wind"}},
            {"id":"b@kites.example","type":"extension"},
            {"id":"own@browser","location":"app-builtin","type":"extension"},
            {"id":"dark@browser","location":"app-profile","type":"theme"}]}"#;
        assert_eq!(super::names(json).unwrap(), ["Wind", "b@kites.example"]);
        assert!(super::names(b"[").is_err());
    }
}
