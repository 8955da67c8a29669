//! An item's keys in its owner's registry, with their values, exact.

use crate::hex::{from_hex, to_hex};
use serde::{Deserialize, Serialize};

/// A key of a person's registry, with the values in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RegistryKey {
    /// Its path below the root of the person's registry, with `\` between the names.
    pub key: String,
    /// Its values, in the registry's order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub values: Vec<RegistryValue>,
    /// Why it stays in the trunk, if it does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub held: Option<String>,
}

/// A value of a key.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "Written", try_from = "Written")]
pub struct RegistryValue {
    /// Its name; empty for the key's default value.
    pub name: String,
    /// The type of its data: the number of `winnt.h`'s `REG_…`.
    pub kind: u32,
    /// Its data.
    pub data: Vec<u8>,
}

/// `REG_SZ` and `REG_EXPAND_SZ`.
const TEXTS: [u32; 2] = [1, 2];
/// `REG_DWORD`.
const NUMBER: u32 = 4;

impl RegistryValue {
    /// The text, if it is one: exactly that, with one NUL behind it.
    pub fn text(&self) -> Option<String> {
        let (pairs, rest) = self.data.as_chunks::<2>();
        let units: Vec<u16> = pairs.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
        let (end, text) = units.split_last()?;
        let is_exact = rest.is_empty() && *end == 0 && !text.contains(&0);
        if TEXTS.contains(&self.kind) && is_exact { String::from_utf16(text).ok() } else { None }
    }

    /// The number of 32 bits, if it is one.
    pub fn number(&self) -> Option<u32> {
        let bytes: [u8; 4] = self.data.as_slice().try_into().ok()?;
        (self.kind == NUMBER).then(|| u32::from_le_bytes(bytes))
    }

    /// The same value with another text.
    #[must_use]
    pub fn with_text(&self, text: &str) -> Self {
        Self { name: self.name.clone(), kind: self.kind, data: utf16_with_end(text) }
    }
}

/// One of the three: whichever is exact, and easiest to read.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    name: String,
    #[serde(rename = "type")]
    kind: u32,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    text: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    number: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    hex: Option<String>,
}

impl From<RegistryValue> for Written {
    fn from(value: RegistryValue) -> Self {
        let (text, number) = (value.text(), value.number());
        let hex = (text.is_none() && number.is_none()).then(|| to_hex(&value.data));
        Self { name: value.name, kind: value.kind, text, number, hex }
    }
}

impl TryFrom<Written> for RegistryValue {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        let data = match (written.text, written.number, written.hex) {
            (Some(text), None, None) => utf16_with_end(&text),
            (None, Some(number), None) => number.to_le_bytes().to_vec(),
            (None, None, Some(hex)) => {
                from_hex(&hex).ok_or("the data of a registry value is not in hex digits")?
            }
            _ => return Err("a registry value has one of `text`, `number` and `hex`"),
        };
        Ok(Self { name: written.name, kind: written.kind, data })
    }
}

fn utf16_with_end(text: &str) -> Vec<u8> {
    text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_written_so_that_people_can_read_it_and_stays_exact() {
        let bytes = |text: &str| utf16_with_end(text);
        for (kind, data, written) in [
            (1, bytes("C:\\Kites"), r#""text":"C:\\Kites""#),
            (2, bytes(""), r#""text":"""#),
            (4, vec![b'K', 0, 0, 0], r#""number":75"#),
            // Without an end, with more behind it, with half a letter, not meant as text: no text says that.
            (1, vec![b'K', 0, b'i', 0], r#""hex":"4b006900""#),
            (1, vec![b'K', 0, 0, 0, b'x', 0, 0, 0], r#""hex":"4b00000078000000""#),
            (1, vec![0, 0xd8, 0, 0], r#""hex":"00d80000""#),
            (3, bytes("K"), r#""hex":"4b000000""#),
            (4, Vec::new(), r#""hex":"""#),
        ] {
            let value = RegistryValue { name: "Spar".to_owned(), kind, data };
            let written = format!(r#"{{"name":"Spar","type":{kind},{written}}}"#);
            assert_eq!(serde_json::to_string(&value).unwrap(), written);
            assert_eq!(serde_json::from_str::<RegistryValue>(&written).unwrap(), value);
        }
        for wrong in [r#""hex":"4""#, r#""hex":"4B""#, r#""text":"a","number":1"#, r#""text":null"#] {
            let written = format!(r#"{{"name":"","type":1,{wrong}}}"#);
            assert!(serde_json::from_str::<RegistryValue>(&written).is_err(), "{wrong}");
        }
    }
}
