//! A thing's Windows attributes, where the volume at hand keeps them.

use porter_source::{Details, EntryKind, Metadata};
use porter_trunk::Attributes;

const READ_ONLY: u32 = 0x01;
/// `OFFLINE`, `RECALL_ON_OPEN`, `RECALL_ON_DATA_ACCESS` ([MS-FSCC] 2.6): the content is somewhere else.
const ELSEWHERE: u32 = 0x0000_1000 | 0x0004_0000 | 0x0040_0000;

/// True if the content is only in a cloud: what a foreign driver reads instead is zeros, and reading it on
/// its own system downloads it.
pub(crate) fn is_cloud_only(metadata: &Metadata, details: &Details) -> bool {
    let bits = metadata.windows_attributes.or(details.windows_attributes).unwrap_or(0);
    bits & ELSEWHERE != 0
}

/// `ENCRYPTED` ([MS-FSCC] 2.6): by EFS, for one account.
const ENCRYPTED: u32 = 0x0000_4000;

/// True if the content can be read only by the account that it was encrypted for.
pub(crate) fn is_encrypted(metadata: &Metadata) -> bool {
    metadata.windows_attributes.is_some_and(|bits| bits & ENCRYPTED != 0)
}

/// `COMPRESSED` ([MS-FSCC] 2.6): by NTFS itself.
const COMPRESSED: u32 = 0x0000_0800;

/// True if the volume keeps the content compressed.
pub(crate) fn is_compressed(metadata: &Metadata) -> bool {
    metadata.windows_attributes.is_some_and(|bits| bits & COMPRESSED != 0)
}

/// The attributes of an entry. On a Unix file system a file that its owner may not write to is read-only, as
/// Wine and Samba have it.
pub(crate) fn attributes_of(metadata: &Metadata, details: &Details) -> Attributes {
    let mut bits = details.windows_attributes.unwrap_or(0);
    if metadata.kind == EntryKind::File && metadata.unix_mode.is_some_and(|mode| mode & 0o200 == 0) {
        bits |= READ_ONLY;
    }
    Attributes::from_windows_bits(bits)
}
