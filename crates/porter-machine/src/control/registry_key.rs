//! A key of a person's registry, which is made for the values in it.

use super::{Control, fact};
use crate::registry::running;
use porter_names::Facts;
use std::io;

/// See the module. Its owner is a SID, and its one fact `key` the path below the person's own.
pub struct RegistryKeys;

/// The facts of a key.
pub fn facts(key: &str) -> Facts {
    Facts::from([("key".to_owned(), key.to_owned())])
}

impl Control for RegistryKeys {
    fn name(&self) -> &'static str {
        "registry-key"
    }

    fn read(&self, owner: &str, like: &Facts) -> io::Result<Option<Facts>> {
        running::require_loaded(owner)?;
        let key = fact(like, "key")?;
        Ok(running::has_key(owner, key).then(|| facts(key)))
    }

    fn set(&self, owner: &str, becomes: &Facts) -> io::Result<()> {
        running::make_key(owner, fact(becomes, "key")?)
    }

    fn remove(&self, owner: &str, made: &Facts) -> io::Result<()> {
        running::remove_key(owner, fact(made, "key")?)
    }

    fn shown(&self, owner: &str, facts: &Facts) -> String {
        let key = facts.get("key").map_or("", String::as_str);
        format!("HKEY_USERS/{owner}/{}", key.replace('\\', "/"))
    }

    fn is_container(&self) -> bool {
        true
    }

    fn registry_key<'f>(&self, facts: &'f Facts) -> Option<&'f str> {
        Some(facts.get("key").map_or("", String::as_str))
    }
}
