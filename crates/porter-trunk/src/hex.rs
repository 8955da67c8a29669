//! Bytes as hexadecimal digits, and back.

fn digits_of(byte: u8) -> [u8; 2] {
    const DIGITS: &[u8; 16] = b"0123456789abcdef";
    [DIGITS[usize::from(byte >> 4)], DIGITS[usize::from(byte & 0x0f)]]
}

/// Two lower-case digits a byte.
pub(crate) fn to_hex(bytes: &[u8]) -> String {
    let mut text = String::with_capacity(2 * bytes.len());
    for byte in bytes {
        text.extend(digits_of(*byte).map(char::from));
    }
    text
}

/// The same for 32 bytes, handed to `use_text` from the stack: a list has millions of them.
pub(crate) fn with_hex_of_32<R>(bytes: &[u8; 32], use_text: impl FnOnce(&str) -> R) -> R {
    let mut text = [0; 64];
    for (pair, byte) in text.as_chunks_mut::<2>().0.iter_mut().zip(bytes) {
        *pair = digits_of(*byte);
    }
    use_text(std::str::from_utf8(&text).unwrap_or_default())
}

/// None if the text is not exactly what [`to_hex`] writes. Capitals are refused too: every changed bit of a
/// trunk's lists is to be noticed.
pub(crate) fn from_hex(text: &str) -> Option<Vec<u8>> {
    if !text.len().is_multiple_of(2) {
        return None;
    }
    let mut bytes = vec![0; text.len() / 2];
    fill(&mut bytes, text).then_some(bytes)
}

/// The same for a known number of bytes.
pub(crate) fn array_from_hex<const N: usize>(text: &str) -> Option<[u8; N]> {
    let mut bytes = [0; N];
    (text.len() == 2 * N && fill(&mut bytes, text)).then_some(bytes)
}

/// False if one is not such a digit.
fn fill(bytes: &mut [u8], text: &str) -> bool {
    // A character that is not a digit leaves its mark above the low four bits.
    let value = |digit: u8| match digit {
        b'0'..=b'9' => digit - b'0',
        b'a'..=b'f' => digit - b'a' + 10,
        _ => 0x80,
    };
    let (pairs, _) = text.as_bytes().as_chunks::<2>();
    let mut seen = 0;
    for (byte, pair) in bytes.iter_mut().zip(pairs) {
        let (high, low) = (value(pair[0]), value(pair[1]));
        seen |= high | low;
        *byte = (high << 4) | (low & 0x0f);
    }
    seen & 0x80 == 0
}
