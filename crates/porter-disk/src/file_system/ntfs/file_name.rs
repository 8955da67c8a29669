//! A name of a file, with the folder it is in, and what was known of the file when the name was last written.

use super::record::Reference;
use crate::numbers::{le_u32, le_u64};
use porter_names::wtf8;

/// The folder's own bit among the attributes of a name.
const FOLDER: u32 = 0x1000_0000;
const DOS: u8 = 2;

/// Decoded, in a record or in an index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct FileName {
    pub(super) parent: Reference,
    pub(super) name: Vec<u8>,
    /// The short form, which stands beside a longer one.
    pub(super) is_dos: bool,
    pub(super) is_folder: bool,
    pub(super) windows_attributes: u32,
    pub(super) modified_in_ticks: u64,
    pub(super) size_in_bytes: u64,
}

impl FileName {
    /// None if it is shorter than it says.
    pub(super) fn from_bytes(value: &[u8]) -> Option<Self> {
        let length = usize::from(*value.get(64)?);
        let name = value.get(66..66 + 2 * length)?;
        let attributes = le_u32(value, 56)?;
        Some(Self {
            parent: Reference::from_number(le_u64(value, 0)?),
            name: wtf8::from_utf16(wtf8::units(name)),
            is_dos: *value.get(65)? == DOS,
            is_folder: attributes & FOLDER != 0,
            windows_attributes: attributes,
            modified_in_ticks: le_u64(value, 16)?,
            size_in_bytes: le_u64(value, 48)?,
        })
    }
}
