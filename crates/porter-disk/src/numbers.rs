//! Numbers in bytes that nobody has checked: none where the bytes end.

use porter_names::wtf8::units;

pub(crate) fn le_u16(bytes: &[u8], at: usize) -> Option<u16> {
    Some(u16::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

pub(crate) fn le_u32(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

pub(crate) fn le_u64(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u64::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

pub(crate) fn be_u32(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_be_bytes(*bytes.get(at..)?.first_chunk()?))
}

pub(crate) fn be_u64(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u64::from_be_bytes(*bytes.get(at..)?.first_chunk()?))
}

/// The size that a field gives as a power of two, within bounds.
pub(crate) fn power_of_two(exponent: u8, range: std::ops::RangeInclusive<u8>) -> Option<u64> {
    range.contains(&exponent).then(|| 1 << exponent)
}

/// A text in UTF-16, as Windows' structures hold it.
pub(crate) fn utf16(bytes: &[u8]) -> String {
    String::from_utf16_lossy(&units(bytes).collect::<Vec<u16>>())
}
