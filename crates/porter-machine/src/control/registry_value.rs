//! A value of a person's registry.

use super::{Control, fact, session};
use crate::registry::running;
use crate::setting::windows::list::tells;
use porter_names::Facts;
use porter_trunk::RegistryValue;
use std::fmt::Write;
use std::io;

/// See the module. Its owner is a SID; [`facts`] has its facts.
pub struct RegistryValues;

/// The facts of a value: `key` and `name` say which, `type` is the number of `winnt.h`'s `REG_…`, and `data`
/// stands in hexadecimal digits.
pub fn facts(key: &str, value: &RegistryValue) -> Facts {
    let mut data = String::with_capacity(value.data.len() * 2);
    for byte in &value.data {
        // Writing to a text does not fail.
        let _ = write!(data, "{byte:02x}");
    }
    [("key", key.to_owned()), ("name", value.name.clone()), ("type", value.kind.to_string()), ("data", data)]
        .map(|(name, value)| (name.to_owned(), value))
        .into()
}

fn value_in(facts: &Facts) -> io::Result<RegistryValue> {
    let wrong = |what: &str| io::Error::new(io::ErrorKind::InvalidData, format!("`{what}` cannot be read"));
    let digits = fact(facts, "data")?;
    let byte = |at: usize| digits.get(at..at + 2).and_then(|pair| u8::from_str_radix(pair, 16).ok());
    let data: Option<Vec<u8>> = (0..digits.len()).step_by(2).map(byte).collect();
    Ok(RegistryValue {
        name: fact(facts, "name")?.to_owned(),
        kind: fact(facts, "type")?.parse().map_err(|_| wrong("type"))?,
        data: data.ok_or_else(|| wrong("data"))?,
    })
}

impl Control for RegistryValues {
    fn name(&self) -> &'static str {
        "registry-value"
    }

    fn read(&self, owner: &str, like: &Facts) -> io::Result<Option<Facts>> {
        running::require_loaded(owner)?;
        let key = fact(like, "key")?;
        Ok(running::value(owner, key, fact(like, "name")?).map(|value| facts(key, &value)))
    }

    fn set(&self, owner: &str, becomes: &Facts) -> io::Result<()> {
        running::set(owner, fact(becomes, "key")?, &value_in(becomes)?)
    }

    fn remove(&self, owner: &str, made: &Facts) -> io::Result<()> {
        running::remove_value(owner, fact(made, "key")?, fact(made, "name")?)
    }

    fn shown(&self, owner: &str, facts: &Facts) -> String {
        let text = |name: &str| facts.get(name).map_or("", String::as_str);
        format!("HKEY_USERS/{owner}/{}/{}", text("key").replace('\\', "/"), text("name"))
    }

    /// The case of a name is not a change.
    fn is_same(&self, one: &Facts, other: &Facts) -> bool {
        ["type", "data"].iter().all(|name| one.get(*name) == other.get(*name))
    }

    fn tell(&self, owner: &str, done: &[&Facts]) {
        let text = |facts: &Facts, name: &str| facts.get(name).cloned().unwrap_or_default();
        let tells = done.iter().map(|facts| tells(&text(facts, "key"), &text(facts, "name"))).collect();
        session::tell(owner, &tells);
    }

    fn registry_key<'f>(&self, facts: &'f Facts) -> Option<&'f str> {
        Some(facts.get("key").map_or("", String::as_str))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_the_same_after_its_facts() {
        let value = RegistryValue { name: "Höhe".to_owned(), kind: 3, data: vec![0, 255, 16] };
        let facts = facts("Software\\Kites", &value);
        assert_eq!(facts["data"], "00ff10");
        assert_eq!(value_in(&facts).unwrap(), value);
        for (name, wrong) in [("data", "0g"), ("data", "ä"), ("data", "123"), ("type", "-1")] {
            let mut facts = facts.clone();
            facts.insert(name.to_owned(), wrong.to_owned());
            assert_eq!(value_in(&facts).unwrap_err().kind(), io::ErrorKind::InvalidData, "{name} {wrong}");
        }
    }
}
