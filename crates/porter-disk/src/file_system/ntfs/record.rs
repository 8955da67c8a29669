//! A record of the table of files: a header, and attributes one after the other.

use super::attribute::Attribute;
use super::whole;
use crate::numbers::{le_u16, le_u32, le_u64};

const IN_USE: u16 = 1;
const FOLDER: u16 = 2;

/// A record with the true bytes in place of the marks.
#[derive(Debug, Clone)]
pub(super) struct Record {
    bytes: Vec<u8>,
    first_attribute: usize,
    used: usize,
    /// Counts how often the record was given to another file.
    pub(super) sequence: u16,
    flags: u16,
    /// The record of the file that this is a further one of, and its sequence.
    pub(super) base: Option<Reference>,
}

/// A record, and the sequence that it had when it was referred to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Reference {
    pub(super) number: u64,
    pub(super) sequence: u16,
}

impl Reference {
    pub(super) fn from_number(number: u64) -> Self {
        Self { number: number & 0xffff_ffff_ffff, sequence: (number >> 48) as u16 }
    }
}

impl Record {
    /// None if it is none, or was only half written.
    pub(super) fn from_bytes(bytes: Vec<u8>) -> Option<Self> {
        let bytes = whole::restored(bytes, b"FILE")?;
        let base = le_u64(&bytes, 32)?;
        Some(Self {
            first_attribute: usize::from(le_u16(&bytes, 20)?),
            used: usize::try_from(le_u32(&bytes, 24)?).ok()?.min(bytes.len()),
            sequence: le_u16(&bytes, 16)?,
            flags: le_u16(&bytes, 22)?,
            base: (base != 0).then(|| Reference::from_number(base)),
            bytes,
        })
    }

    pub(super) fn is_in_use(&self) -> bool {
        self.flags & IN_USE != 0
    }

    pub(super) fn is_folder(&self) -> bool {
        self.flags & FOLDER != 0
    }

    /// Its attributes, up to the first that contradicts itself.
    pub(super) fn attributes(&self) -> impl Iterator<Item = Attribute<'_>> {
        let mut rest = self.bytes.get(self.first_attribute..self.used).unwrap_or_default();
        std::iter::from_fn(move || {
            let (attribute, behind) = Attribute::from_bytes(rest)?;
            rest = behind;
            Some(attribute)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A record of 1024 bytes with these attributes.
    fn record(flags: u16, attributes: &[u8]) -> Vec<u8> {
        let mut bytes = vec![0; 1024];
        bytes[..4].copy_from_slice(b"FILE");
        bytes[4..8].copy_from_slice(&[48, 0, 3, 0]);
        bytes[16..18].copy_from_slice(&7_u16.to_le_bytes());
        bytes[20..22].copy_from_slice(&56_u16.to_le_bytes());
        bytes[22..24].copy_from_slice(&flags.to_le_bytes());
        let used = 56 + attributes.len() as u32;
        bytes[24..28].copy_from_slice(&used.to_le_bytes());
        bytes[56..56 + attributes.len()].copy_from_slice(attributes);
        // The marks: what stood at the ends is kept in front.
        bytes[48..50].copy_from_slice(&[9, 9]);
        for (slot, end) in [(50, 510), (52, 1022)] {
            let truth = [bytes[end], bytes[end + 1]];
            bytes[slot..slot + 2].copy_from_slice(&truth);
            bytes[end..end + 2].copy_from_slice(&[9, 9]);
        }
        bytes
    }

    #[test]
    fn a_record_that_was_half_written_is_none() {
        let whole = record(IN_USE | FOLDER, &[0xaa; 600]);
        let read = Record::from_bytes(whole.clone()).unwrap();
        assert!(read.is_in_use() && read.is_folder() && read.sequence == 7 && read.base.is_none());
        assert_eq!(read.bytes[510..512], [0xaa, 0xaa], "the true bytes are back");
        for torn in [510, 1023] {
            let mut bytes = whole.clone();
            bytes[torn] ^= 1;
            assert!(Record::from_bytes(bytes).is_none(), "{torn}");
        }
        assert!((0..1024).all(|length| Record::from_bytes(whole[..length].to_vec()).is_none()));
    }
}
