//! A hive taken apart: a tree of keys that can be made and changed.

use crate::walk::{MOST_LEVELS, Sight};
use crate::{Hive, HiveError, Key, Name, ValueKind};
use std::sync::Arc;

/// A key with all that is below it.
#[derive(Debug, Clone, Default)]
pub struct KeyTree {
    /// Its name.
    pub name: Name,
    /// When it was last changed, as a `FILETIME`.
    pub last_written: u64,
    /// True if it only stands for another key.
    pub is_link: bool,
    /// The name of its class.
    pub class_name: Option<Name>,
    /// Who may do what; none to have what the key above has.
    pub security: Option<Arc<[u8]>>,
    /// Its values, in the order of the hive.
    pub values: Vec<TreeValue>,
    /// The keys below it.
    pub subkeys: Vec<KeyTree>,
}

/// A value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TreeValue {
    /// Its name.
    pub name: Name,
    /// The type of its data.
    pub kind: ValueKind,
    /// Its data.
    pub data: Vec<u8>,
}

impl KeyTree {
    /// A key with nothing in it.
    pub fn new(name: &str) -> Self {
        Self { name: name.into(), ..Self::default() }
    }

    /// Takes a hive apart. Damaged keys and values are returned as errors beside the tree, and are not in it.
    pub fn from_hive(hive: &Hive) -> (Option<Self>, Vec<HiveError>) {
        let mut damage = Vec::new();
        // The keys on the way down, each complete but for the keys that are still to come.
        let mut open: Vec<Self> = Vec::new();
        for sight in hive.walk() {
            match sight {
                Sight::Key(key, level) => {
                    close(&mut open, level);
                    open.push(Self::from_key(&key, &mut damage));
                }
                Sight::Damage(found) => damage.push(found),
            }
        }
        close(&mut open, 1);
        (open.pop(), damage)
    }

    fn from_key(key: &Key<'_>, damage: &mut Vec<HiveError>) -> Self {
        let mut tree = Self {
            name: key.name(),
            last_written: key.last_written(),
            is_link: key.is_link(),
            ..Self::default()
        };
        match key.class_name() {
            Ok(class_name) => tree.class_name = class_name,
            Err(found) => damage.push(found),
        }
        match key.security() {
            Ok(security) => tree.security = security.map(Arc::from),
            Err(found) => damage.push(found),
        }
        for value in key.values() {
            let taken = value.and_then(|value| {
                Ok(TreeValue { name: value.name(), kind: value.kind(), data: value.data()?.into_owned() })
            });
            match taken {
                Ok(value) => tree.values.push(value),
                Err(found) => damage.push(found),
            }
        }
        tree
    }

    /// The subkey of that name, made if it is not there.
    pub fn subkey(&mut self, name: &str) -> &mut Self {
        let wanted = Name::from(name);
        let at = self.subkeys.iter().position(|key| key.name.is_same(&wanted));
        let at = at.unwrap_or_else(|| {
            self.subkeys.push(Self { name: wanted, last_written: self.last_written, ..Self::default() });
            self.subkeys.len() - 1
        });
        &mut self.subkeys[at]
    }

    /// The key at the end of a path with `\` between the names. Missing keys are made.
    pub fn key(&mut self, path: &str) -> &mut Self {
        path.split('\\').filter(|step| !step.is_empty()).fold(self, |key, step| key.subkey(step))
    }

    /// Removes the subkey of that name with all keys below it, and returns it.
    pub fn remove_subkey(&mut self, name: &str) -> Option<Self> {
        let wanted = Name::from(name);
        let at = self.subkeys.iter().position(|key| key.name.is_same(&wanted))?;
        Some(self.subkeys.remove(at))
    }

    /// Sets a value, in place of one of the same name.
    pub fn set(&mut self, name: &str, kind: ValueKind, data: impl Into<Vec<u8>>) -> &mut Self {
        let value = TreeValue { name: name.into(), kind, data: data.into() };
        match self.values.iter_mut().find(|known| known.name.is_same(&value.name)) {
            Some(known) => *known = value,
            None => self.values.push(value),
        }
        self
    }

    /// Sets a text.
    pub fn set_text(&mut self, name: &str, text: &str) -> &mut Self {
        self.set(name, ValueKind::Text, utf16_with_end(text))
    }

    /// Sets a text with `%NAME%` in it.
    pub fn set_expand_text(&mut self, name: &str, text: &str) -> &mut Self {
        self.set(name, ValueKind::ExpandText, utf16_with_end(text))
    }

    /// Sets several texts.
    pub fn set_texts(&mut self, name: &str, texts: &[&str]) -> &mut Self {
        let mut data: Vec<u8> = texts.iter().flat_map(|text| utf16_with_end(text)).collect();
        data.extend([0, 0]);
        self.set(name, ValueKind::Texts, data)
    }

    /// Sets a number of 32 bits.
    pub fn set_number(&mut self, name: &str, number: u32) -> &mut Self {
        self.set(name, ValueKind::Number, number.to_le_bytes())
    }

    /// Removes a value. False if none has that name.
    pub fn remove_value(&mut self, name: &str) -> bool {
        let (wanted, count) = (Name::from(name), self.values.len());
        self.values.retain(|value| !value.name.is_same(&wanted));
        self.values.len() < count
    }

    /// How many keys there are, this one among them.
    pub fn count(&self) -> usize {
        1 + self.subkeys.iter().map(Self::count).sum::<usize>()
    }

    /// Levels below this key: 0 if there are no subkeys. At most as deep as can be written.
    pub(crate) fn levels(&self) -> usize {
        let mut level = 0;
        let mut keys: Vec<&Self> = vec![self];
        while level <= MOST_LEVELS {
            keys = keys.into_iter().flat_map(|key| &key.subkeys).collect();
            if keys.is_empty() {
                break;
            }
            level += 1;
        }
        level
    }
}

/// Puts keys below the ones above them until `level` are open.
fn close(open: &mut Vec<KeyTree>, level: usize) {
    while open.len() > level {
        match (open.pop(), open.last_mut()) {
            (Some(done), Some(above)) => above.subkeys.push(done),
            // Only the root has nothing above it.
            (Some(root), None) => return open.push(root),
            _ => return,
        }
    }
}

fn utf16_with_end(text: &str) -> Vec<u8> {
    text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect()
}
