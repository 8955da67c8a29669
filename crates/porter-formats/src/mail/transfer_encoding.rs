//! Bytes as letters carry them (RFC 2045 6), read as leniently as mail programs read them.

use base64::Engine;
use base64::alphabet::STANDARD;
use base64::engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig};

/// Bytes of base64, with or without the signs that fill up its end. None if another sign is among them.
pub(crate) fn base64(content: &[u8]) -> Option<Vec<u8>> {
    let lenient = GeneralPurposeConfig::new()
        .with_decode_padding_mode(DecodePaddingMode::Indifferent)
        .with_decode_allow_trailing_bits(true);
    GeneralPurpose::new(&STANDARD, lenient).decode(content).ok()
}

/// Bytes that are written as numbers, and lines that go on (RFC 2045 6.7). Other signs stay as
/// it is.
pub(crate) fn quoted_printable(content: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(content.len());
    let mut rest = content;
    while let Some((first, behind)) = rest.split_first() {
        rest = behind;
        if *first != b'=' {
            bytes.push(*first);
            continue;
        }
        let number = behind.get(..2).and_then(|two| std::str::from_utf8(two).ok());
        if let Some(byte) = number.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
            bytes.push(byte);
            rest = &behind[2..];
        } else if let Some(next) = behind.strip_prefix(b"\r\n").or(behind.strip_prefix(b"\n")) {
            rest = next;
        } else {
            bytes.push(b'=');
        }
    }
    bytes
}
