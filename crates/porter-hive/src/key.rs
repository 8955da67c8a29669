//! Keys.

use crate::bytes::{u16_at, u32_at, u64_at};
use crate::cell::{Bins, NONE, require};
use crate::subkey_list::offsets_of_subkeys;
use crate::value::Value;
use crate::{HiveError, Name};
use time::OffsetDateTime;

/// Length of a key before its name.
const FIXED_IN_BYTES: usize = 76;
/// The name is kept with one byte for each letter.
const ONE_BYTE_NAME: u16 = 0x0020;
/// The key stands for another one: its only value says which.
const LINK: u16 = 0x0010;

/// A key of a hive: a node with subkeys and values.
#[derive(Debug, Clone, Copy)]
pub struct Key<'h> {
    bins: Bins<'h>,
    offset: u32,
    cell: &'h [u8],
}

impl<'h> Key<'h> {
    pub(crate) fn at(bins: Bins<'h>, offset: u32) -> Result<Self, HiveError> {
        let cell = bins.marked_cell(offset, b"nk", "a key", FIXED_IN_BYTES)?;
        let key = Self { bins, offset, cell };
        require(cell, offset, "name of the key", FIXED_IN_BYTES + usize::from(key.half(72)))?;
        Ok(key)
    }

    // `at` made sure that the fixed part is there.
    fn half(&self, at: usize) -> u16 {
        u16_at(self.cell, at).unwrap_or_default()
    }

    fn word(&self, at: usize) -> u32 {
        u32_at(self.cell, at).unwrap_or_default()
    }

    /// Where it begins, counted from the first bin.
    pub fn offset(&self) -> u32 {
        self.offset
    }

    /// Its name.
    pub fn name(&self) -> Name {
        let end = FIXED_IN_BYTES + usize::from(self.half(72));
        let bytes = self.cell.get(FIXED_IN_BYTES..end).unwrap_or_default();
        Name::from_bytes(bytes, self.half(2) & ONE_BYTE_NAME != 0)
    }

    /// True if it only stands for another key.
    pub fn is_link(&self) -> bool {
        self.half(2) & LINK != 0
    }

    /// When it was last changed, as a `FILETIME`.
    pub fn last_written(&self) -> u64 {
        u64_at(self.cell, 4).unwrap_or_default()
    }

    /// When it was last changed; none for times that nobody can write down.
    pub fn last_written_utc(&self) -> Option<OffsetDateTime> {
        utc_from_filetime(self.last_written())
    }

    /// The subkeys in the order of the hive. One that cannot be read is an error in its place; if the list
    /// itself is damaged, the error comes last.
    pub fn subkeys(&self) -> impl Iterator<Item = Result<Key<'h>, HiveError>> + use<'h> {
        let bins = self.bins;
        let (offsets, damage) = match self.word(20) {
            0 => (Vec::new(), None),
            _ => offsets_of_subkeys(bins, self.word(28)),
        };
        offsets.into_iter().map(move |offset| Key::at(bins, offset)).chain(damage.map(Err))
    }

    /// The subkey of that name, whatever its case. Damaged ones are passed over.
    pub fn subkey(&self, name: &str) -> Option<Key<'h>> {
        let name = Name::from(name);
        self.subkeys().filter_map(Result::ok).find(|key| key.name().is_same(&name))
    }

    /// The key at the end of a path of names with `\` between them.
    pub fn descend(&self, path: &str) -> Option<Key<'h>> {
        let mut steps = path.split('\\').filter(|step| !step.is_empty());
        steps.try_fold(*self, |key, step| key.subkey(step))
    }

    /// The values. One that cannot be read is an error in its place.
    pub fn values(&self) -> impl Iterator<Item = Result<Value<'h>, HiveError>> + use<'h> {
        let bins = self.bins;
        let (list, damage) = match (self.word(36), self.word(40)) {
            (0, _) => (&[][..], None),
            (count, offset) => match bins.cell(offset) {
                Ok(list) => {
                    // A list that is too short still yields its offsets.
                    let needed_in_bytes = (count as usize).saturating_mul(4);
                    let damage = require(list, offset, "list of values", needed_in_bytes).err();
                    (list.get(..needed_in_bytes).unwrap_or(list), damage)
                }
                Err(damage) => (&[][..], Some(damage)),
            },
        };
        let values = list.chunks_exact(4).filter_map(|offset| u32_at(offset, 0));
        values.map(move |offset| Value::at(bins, offset)).chain(damage.map(Err))
    }

    /// The value of that name, whatever its case; the empty name is that of the key's default value.
    pub fn value(&self, name: &str) -> Option<Value<'h>> {
        let name = Name::from(name);
        self.values().filter_map(Result::ok).find(|value| value.name().is_same(&name))
    }

    /// The name of its class: hidden text that a few keys of the system have.
    pub fn class_name(&self) -> Result<Option<Name>, HiveError> {
        let (offset, length) = (self.word(48), usize::from(self.half(74)));
        if offset == NONE || length == 0 {
            return Ok(None);
        }
        let cell = self.bins.cell(offset)?;
        require(cell, offset, "class name", length)?;
        Ok(Some(Name::from_bytes(&cell[..length], false)))
    }

    /// Who may do what with it: a self-relative security descriptor ([MS-DTYP] 2.4.6), not looked into.
    pub fn security(&self) -> Result<Option<&'h [u8]>, HiveError> {
        let offset = self.word(44);
        if offset == NONE {
            return Ok(None);
        }
        let cell = self.bins.marked_cell(offset, b"sk", "a security descriptor", 20)?;
        let length = u32_at(cell, 16).unwrap_or_default() as usize;
        require(cell, offset, "security descriptor", length.saturating_add(20))?;
        Ok(cell.get(20..20 + length))
    }
}

/// Ticks of 100 ns since 1601-01-01 UTC ([MS-DTYP] 2.3.3).
fn utc_from_filetime(ticks: u64) -> Option<OffsetDateTime> {
    const UNIX_EPOCH_IN_TICKS: i128 = 116_444_736_000_000_000;
    let utc =
        OffsetDateTime::from_unix_timestamp_nanos((i128::from(ticks) - UNIX_EPOCH_IN_TICKS) * 100).ok()?;
    (1601..=9999).contains(&utc.year()).then_some(utc)
}
