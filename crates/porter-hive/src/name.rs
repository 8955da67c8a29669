//! Names of keys and values.
//!
//! A name is UTF-16 that may be ill-formed; where every letter is below 256 it may be kept with one byte
//! each.

use std::fmt;

/// A name, exact.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Name(Vec<u16>);

impl Name {
    /// Decodes what stands in a hive.
    pub(crate) fn from_bytes(bytes: &[u8], one_byte_each: bool) -> Self {
        if one_byte_each {
            Self(bytes.iter().map(|byte| u16::from(*byte)).collect())
        } else {
            Self(bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect())
        }
    }

    /// As it stands in a hive, and whether with one byte for each letter.
    pub(crate) fn to_bytes(&self) -> (Vec<u8>, bool) {
        if self.0.iter().all(|unit| *unit < 0x80) {
            (self.0.iter().map(|unit| *unit as u8).collect(), true)
        } else {
            (self.0.iter().flat_map(|unit| unit.to_le_bytes()).collect(), false)
        }
    }

    /// The UTF-16 units.
    pub fn units(&self) -> &[u16] {
        &self.0
    }

    /// True for names that Windows takes as the same.
    pub fn is_same(&self, other: &Self) -> bool {
        self.0.len() == other.0.len() && self.folded().eq(other.folded())
    }

    /// By which Windows orders and compares.
    pub(crate) fn folded(&self) -> impl Iterator<Item = u16> {
        self.0.iter().map(|unit| upper(*unit))
    }

    /// The hash of the newer lists of subkeys.
    pub(crate) fn hash(&self) -> u32 {
        self.folded().fold(0_u32, |hash, unit| hash.wrapping_mul(37).wrapping_add(unit.into()))
    }
}

impl From<&str> for Name {
    fn from(text: &str) -> Self {
        Self(text.encode_utf16().collect())
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&String::from_utf16_lossy(&self.0))
    }
}

/// Windows changes letters one by one, and only where one letter becomes one letter.
fn upper(unit: u16) -> u16 {
    if unit < 0x80 {
        return if (u16::from(b'a')..=u16::from(b'z')).contains(&unit) { unit - 32 } else { unit };
    }
    let Some(letter) = char::from_u32(unit.into()) else { return unit };
    let mut upper = letter.to_uppercase();
    match (upper.next(), upper.next()) {
        (Some(upper), None) => u16::try_from(u32::from(upper)).unwrap_or(unit),
        _ => unit,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_compared_letter_by_letter() {
        let name = |text: &str| Name::from(text);
        assert!(name("Straße Ärger").is_same(&name("STRAßE äRGER")) && !name("ß").is_same(&name("SS")));
        assert_eq!(name("Software").to_bytes(), (b"Software".to_vec(), true));
        assert_eq!(Name::from_bytes(&name("Змей").to_bytes().0, false), name("Змей"));
        assert_eq!(Name::from_bytes(b"\xc4", true), name("Ä"));
        // S * 37^2 + A * 37 + M
        assert_eq!(name("sam").hash(), 83 * 37 * 37 + 65 * 37 + 77);
    }
}
