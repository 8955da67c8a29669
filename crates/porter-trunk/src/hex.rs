//! Bytes as hexadecimal digits, and back.

/// Two lower-case digits a byte.
pub(crate) fn to_hex(bytes: &[u8]) -> String {
    const DIGITS: &[u8; 16] = b"0123456789abcdef";
    let mut text = String::with_capacity(2 * bytes.len());
    for byte in bytes {
        text.push(char::from(DIGITS[usize::from(byte >> 4)]));
        text.push(char::from(DIGITS[usize::from(byte & 0x0f)]));
    }
    text
}

/// None if the text is not exactly what [`to_hex`] writes. Capitals are refused too: every changed bit of a trunk's
/// lists is to be noticed.
pub(crate) fn from_hex(text: &str) -> Option<Vec<u8>> {
    if !text.len().is_multiple_of(2) {
        return None;
    }
    let value = |digit: u8| match digit {
        b'0'..=b'9' => Some(digit - b'0'),
        b'a'..=b'f' => Some(digit - b'a' + 10),
        _ => None,
    };
    text.as_bytes().chunks_exact(2).map(|pair| Some((value(pair[0])? << 4) | value(pair[1])?)).collect()
}
