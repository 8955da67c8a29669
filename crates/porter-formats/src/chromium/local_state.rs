//! Which profiles there are: `Local State`, JSON. Changed, never replaced: it also holds keys that are bound
//! to the machine.

use crate::FormatError;
use serde_json::{Map, Value, json};

const FORMAT: &str = "Local State";

/// Such a file.
#[derive(Debug, Clone)]
pub struct LocalState {
    json: Value,
}

impl LocalState {
    /// Reads a file.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        let json: Value =
            serde_json::from_slice(file).map_err(|cause| FormatError::damaged(FORMAT, cause))?;
        if json.is_object() {
            Ok(Self { json })
        } else {
            Err(FormatError::damaged(FORMAT, "it is not an object"))
        }
    }

    /// One that knows of nothing: the browser fills in the rest.
    pub fn empty() -> Self {
        Self { json: json!({}) }
    }

    /// The folders of the profiles, with what people call them.
    pub fn profiles(&self) -> Vec<(String, String)> {
        let cache = self.json.pointer("/profile/info_cache").and_then(Value::as_object);
        let name = |folder: &String, row: &Value| {
            let name = row.get("name").and_then(Value::as_str).filter(|name| !name.is_empty());
            name.unwrap_or(folder).to_owned()
        };
        cache.into_iter().flatten().map(|(folder, row)| (folder.clone(), name(folder, row))).collect()
    }

    /// The folder of the profile that opens by default.
    pub fn last_used(&self) -> Option<&str> {
        self.json.pointer("/profile/last_used")?.as_str()
    }

    /// True if keys of the profile folder are bound to something outside of it.
    pub fn has_bound_key(&self) -> bool {
        self.json.pointer("/os_crypt/encrypted_key").is_some()
    }

    /// Enters a profile; a known one of that folder is left as it is. With `opens`, it opens by default from
    /// now on.
    pub fn enter(&mut self, folder: &str, name: &str, opens: bool) -> Result<(), FormatError> {
        let damaged = || FormatError::damaged(FORMAT, "its list of profiles is not an object");
        let profile = object(&mut self.json, "profile").ok_or_else(damaged)?;
        let is_first = profile.get("info_cache").and_then(Value::as_object).is_none_or(Map::is_empty);
        let cache =
            profile.entry("info_cache").or_insert_with(|| json!({})).as_object_mut().ok_or_else(damaged)?;
        let own = || json!({ "name": name, "is_using_default_name": false, "is_ephemeral": false, "background_apps": false });
        cache.entry(folder).or_insert_with(own);
        if let Some(order) = profile.get_mut("profiles_order").and_then(Value::as_array_mut)
            && !order.iter().any(|known| known == folder)
        {
            order.push(json!(folder));
        }
        if opens || is_first {
            profile.insert("last_used".to_owned(), json!(folder));
            profile.insert("last_active_profiles".to_owned(), json!([folder]));
        }
        Ok(())
    }

    /// The file.
    pub fn to_bytes(&self) -> Result<Vec<u8>, FormatError> {
        serde_json::to_vec(&self.json).map_err(|cause| FormatError::damaged(FORMAT, cause))
    }
}

fn object<'v>(json: &'v mut Value, name: &str) -> Option<&'v mut Map<String, Value>> {
    json.as_object_mut()?.entry(name).or_insert_with(|| json!({})).as_object_mut()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_profile_is_entered_beside_the_others_and_the_keys_stay() {
        let file = br#"{"os_crypt":{"encrypted_key":"RFBBUEk="},"profile":{"info_cache":{"Default":{"name":"Bram"}},"last_used":"Default","profiles_order":["Default"]}}"#;
        let mut state = LocalState::from_bytes(file).unwrap();
        state.enter("Profile 1", "Odile", false).unwrap();
        state.enter("Default", "other", false).unwrap();
        let state = LocalState::from_bytes(&state.to_bytes().unwrap()).unwrap();
        let named = |folder: &str, name: &str| (folder.to_owned(), name.to_owned());
        assert_eq!(state.profiles(), [named("Default", "Bram"), named("Profile 1", "Odile")]);
        assert_eq!((state.last_used(), state.has_bound_key()), (Some("Default"), true));
        let mut fresh = LocalState::empty();
        fresh.enter("Default", "Odile", false).unwrap();
        assert_eq!(fresh.last_used(), Some("Default"));
        assert!(LocalState::from_bytes(b"[]").is_err());
    }
}
