//! The properties of the things in a data file, as they are stored.

use time::OffsetDateTime;

/// Types of properties ([MS-OXCDATA] 2.11.1).
pub(super) const INT: u16 = 0x0003;
pub(super) const BOOL: u16 = 0x000b;
pub(super) const TEXT: u16 = 0x001f;
pub(super) const TIME: u16 = 0x0040;
pub(super) const BYTES: u16 = 0x0102;
pub(super) const DOUBLE: u16 = 0x0005;
pub(super) const SEVERAL_TEXTS: u16 = 0x101f;
pub(super) const SEVERAL_BYTES: u16 = 0x1102;

/// A property: its tag, and its value as it is stored.
pub(super) type Property = (u32, Vec<u8>);

pub(super) fn int(id: u16, value: u32) -> Property {
    (tag(id, INT), value.to_le_bytes().to_vec())
}

pub(super) fn flag(id: u16, value: bool) -> Property {
    (tag(id, BOOL), vec![u8::from(value)])
}

pub(super) fn text(id: u16, value: &str) -> Property {
    (tag(id, TEXT), value.encode_utf16().flat_map(u16::to_le_bytes).collect())
}

pub(super) fn time(id: u16, ticks: u64) -> Property {
    (tag(id, TIME), ticks.to_le_bytes().to_vec())
}

pub(super) fn bytes(id: u16, value: &[u8]) -> Property {
    (tag(id, BYTES), value.to_vec())
}

pub(super) fn tag(id: u16, kind: u16) -> u32 {
    u32::from(id) << 16 | u32::from(kind)
}

/// The sum of [MS-PST] 5.3: the usual one of 32 bits, begun and ended otherwise.
pub(super) fn sum(bytes: &[u8]) -> u32 {
    bytes.iter().fold(0, |sum, byte| {
        (0..8).fold(
            sum ^ u32::from(*byte),
            |sum, _| if sum & 1 == 1 { sum >> 1 ^ 0xedb8_8320 } else { sum >> 1 },
        )
    })
}

/// In 100 ns since 1601.
pub(super) fn ticks(at: OffsetDateTime) -> u64 {
    u64::try_from(at.unix_timestamp() + 11_644_473_600).unwrap_or_default() * 10_000_000
}

/// How far apart the numbers of nodes of one kind are.
pub(super) const STEP: u32 = 0x20;

/// A letter, or another thing.
pub(super) struct Letter {
    pub(super) number: u32,
    pub(super) is_read: bool,
    /// Somebody gets it.
    pub(super) is_sent: bool,
    /// The content of a file at it.
    pub(super) attached: Option<Vec<u8>>,
    pub(super) properties: Vec<Property>,
}
