//! Properties that programs have given names to, within sets of such.

use std::collections::HashMap;

/// The numbers of properties that programs have given names to: they differ from holder to holder.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Names(HashMap<Name, u16>);

/// The name of a property within a set of properties.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Name {
    /// A number.
    Number(Set, u32),
    /// A text.
    Text(Set, String),
}

/// A set of properties, by the bytes of its GUID.
pub type Set = [u8; 16];

/// The sets of [MS-OXPROPS] 1.3.2 differ in their first number only.
const fn outlook_set(first: u32) -> Set {
    let [a, b, c, d] = first.to_le_bytes();
    [a, b, c, d, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46]
}

/// `PSETID_Address`.
pub(super) const OF_ADDRESS: Set = outlook_set(0x0006_2004);
/// `PSETID_Appointment`.
pub(super) const OF_APPOINTMENT: Set = outlook_set(0x0006_2002);
/// `PSETID_Common`.
pub(super) const OF_ALL: Set = outlook_set(0x0006_2008);
/// `PSETID_Task`.
pub(super) const OF_TASK: Set = outlook_set(0x0006_2003);
/// `PSETID_Log`.
pub(super) const OF_LOG: Set = outlook_set(0x0006_200a);
/// `PS_MAPI`.
pub(super) const OF_MAPI: Set = outlook_set(0x0002_0328);
/// `PS_PUBLIC_STRINGS`.
pub(super) const OF_PUBLIC: Set = outlook_set(0x0002_0329);
/// `PSETID_Meeting`.
pub(super) const OF_MEETING: Set =
    [0x90, 0xda, 0xd8, 0x6e, 0x0b, 0x45, 0x1b, 0x10, 0x98, 0xda, 0, 0xaa, 0, 0x3f, 0x13, 0x05];

/// The first number of a named property.
const FIRST_NAMED: u16 = 0x8000;

impl Names {
    /// Reads the three lists that every holder has ([MS-PST] 2.4.7, [MS-OXMSG] 2.2.3): rows, the sets, and
    /// the texts. A row that contradicts itself is passed by.
    pub(crate) fn from_lists(rows: &[u8], sets: &[u8], texts: &[u8]) -> Self {
        let set_of = |index: usize| match index {
            1 => Some(OF_MAPI),
            2 => Some(OF_PUBLIC),
            more => sets.get((more.checked_sub(3)?) * 16..)?.get(..16)?.try_into().ok(),
        };
        let named = |row: &[u8]| {
            let [a, b, c, d, kind_low, kind_high, low, high] = row.try_into().ok()?;
            let id = u32::from_le_bytes([a, b, c, d]);
            let kind = u16::from_le_bytes([kind_low, kind_high]);
            let set = set_of(usize::from(kind >> 1))?;
            let name = if kind & 1 == 0 {
                Name::Number(set, id)
            } else {
                let at = usize::try_from(id).ok()?;
                let length = u32::from_le_bytes(texts.get(at..at.checked_add(4)?)?.try_into().ok()?);
                let text = texts.get(at + 4..)?.get(..usize::try_from(length).ok()?)?;
                Name::Text(set, crate::encoding::utf16(text))
            };
            Some((name, FIRST_NAMED.checked_add(u16::from_le_bytes([low, high]))?))
        };
        Self(rows.chunks_exact(8).filter_map(named).collect())
    }

    /// Names that stand beside their properties.
    pub(crate) fn of(rows: impl IntoIterator<Item = (Name, u16)>) -> Self {
        Self(rows.into_iter().collect())
    }

    /// The number of a property that is named by a number.
    pub(super) fn of_number(&self, set: Set, number: u32) -> Option<u16> {
        self.0.get(&Name::Number(set, number)).copied()
    }

    /// The number of a property that is named by a text.
    pub(super) fn of_text(&self, set: Set, text: &str) -> Option<u16> {
        self.0.get(&Name::Text(set, text.to_owned())).copied()
    }
}
