//! An attribute of a record: a name, a time, content, each with its kind.

use crate::numbers::{le_u16, le_u32, le_u64, utf16};

/// How much of the times and attributes every version of NTFS writes.
pub(super) const STANDARD_INFORMATION_IN_BYTES: usize = 48;

const ENCRYPTED: u16 = 0x4000;
const COMPRESSED: u16 = 0x00ff;

/// The kinds that hold what a person has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum AttributeKind {
    StandardInformation,
    List,
    FileName,
    VolumeName,
    VolumeInformation,
    Data,
    IndexRoot,
    IndexBlocks,
    Bitmap,
    ReparsePoint,
    /// An identifier, and whatever else there is.
    Other,
}

impl AttributeKind {
    fn from_number(number: u32) -> Self {
        match number {
            0x10 => Self::StandardInformation,
            0x20 => Self::List,
            0x30 => Self::FileName,
            0x60 => Self::VolumeName,
            0x70 => Self::VolumeInformation,
            0x80 => Self::Data,
            0x90 => Self::IndexRoot,
            0xa0 => Self::IndexBlocks,
            0xb0 => Self::Bitmap,
            0xc0 => Self::ReparsePoint,
            _ => Self::Other,
        }
    }
}

/// One attribute, or a piece of one that lies in several records.
#[derive(Debug, Clone, Copy)]
pub(super) struct Attribute<'r> {
    pub(super) kind: AttributeKind,
    bytes: &'r [u8],
    /// UTF-16.
    name: &'r [u8],
    flags: u16,
    is_resident: bool,
}

/// A value outside of the record.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct NonResident<'r> {
    /// The first cluster of the content that this piece has.
    pub(super) first_cluster: u64,
    pub(super) runs: &'r [u8],
    /// Clusters that are compressed together, as an exponent of two; 0 if none are.
    pub(super) unit_exponent: u16,
    /// The rest holds for the whole content, and only its first piece knows it.
    pub(super) size_in_bytes: u64,
    /// Behind it are zeros, whatever the clusters hold.
    pub(super) valid_in_bytes: u64,
}

impl<'r> Attribute<'r> {
    /// The first of several, and the rest. None at their end, or if it contradicts itself.
    pub(super) fn from_bytes(bytes: &'r [u8]) -> Option<(Self, &'r [u8])> {
        let number = le_u32(bytes, 0)?;
        let length = usize::try_from(le_u32(bytes, 4)?).ok()?;
        if number == u32::MAX || length < 24 {
            return None;
        }
        let (own, behind) = bytes.split_at_checked(length)?;
        let name_at = usize::from(le_u16(own, 10)?);
        let name = own.get(name_at..name_at + 2 * usize::from(own[9])).unwrap_or_default();
        let attribute = Self {
            kind: AttributeKind::from_number(number),
            bytes: own,
            name,
            flags: le_u16(own, 12)?,
            is_resident: own[8] == 0,
        };
        Some((attribute, behind))
    }

    /// Its name; none if it has none.
    pub(super) fn name(&self) -> Option<String> {
        self.has_name().then(|| utf16(self.name))
    }

    pub(super) fn has_name(&self) -> bool {
        !self.name.is_empty()
    }

    pub(super) fn is_encrypted(&self) -> bool {
        self.flags & ENCRYPTED != 0
    }

    pub(super) fn is_compressed(&self) -> bool {
        self.flags & COMPRESSED != 0
    }

    /// The value, if it is in the record.
    pub(super) fn resident_value(&self) -> Option<&'r [u8]> {
        if !self.is_resident {
            return None;
        }
        let length = usize::try_from(le_u32(self.bytes, 16)?).ok()?;
        let from = usize::from(le_u16(self.bytes, 20)?);
        self.bytes.get(from..from.checked_add(length)?)
    }

    /// Where the value is, if it is outside of the record.
    pub(super) fn non_resident(&self) -> Option<NonResident<'r>> {
        if self.is_resident {
            return None;
        }
        Some(NonResident {
            first_cluster: le_u64(self.bytes, 16)?,
            runs: self.bytes.get(usize::from(le_u16(self.bytes, 32)?)..)?,
            unit_exponent: le_u16(self.bytes, 34)?,
            size_in_bytes: le_u64(self.bytes, 48)?,
            valid_in_bytes: le_u64(self.bytes, 56)?,
        })
    }

    /// True if it is whole, or the first of its pieces.
    pub(super) fn is_first_piece(&self) -> bool {
        self.is_resident || self.non_resident().is_some_and(|outside| outside.first_cluster == 0)
    }

    /// How long its content is: none for a later piece.
    pub(super) fn size_in_bytes(&self) -> Option<u64> {
        match self.resident_value() {
            Some(value) => Some(value.len() as u64),
            None => self.non_resident().filter(|o| o.first_cluster == 0).map(|outside| outside.size_in_bytes),
        }
    }

    /// So much of the volume a sparse or compressed content takes; none for others.
    pub(super) fn allocated_in_bytes(&self) -> Option<u64> {
        let outside = self.non_resident()?;
        if outside.first_cluster == 0 && outside.unit_exponent != 0 { le_u64(self.bytes, 64) } else { None }
    }
}
