//! Letters of addresses that are written as numbers (RFC 3986, 2.1).

/// The text of an address. None if a number is broken, or it is no UTF-8.
pub fn decoded(text: &str) -> Option<String> {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text.bytes();
    while let Some(byte) = rest.next() {
        if byte == b'%' {
            let pair = [rest.next()?, rest.next()?];
            bytes.push(u8::from_str_radix(std::str::from_utf8(&pair).ok()?, 16).ok()?);
        } else {
            bytes.push(byte);
        }
    }
    String::from_utf8(bytes).ok()
}

/// A path as addresses have it: all but letters, digits and some marks as numbers.
pub fn encoded(path: &str) -> String {
    let mut text = String::with_capacity(path.len());
    for byte in path.bytes() {
        if byte.is_ascii_alphanumeric() || b"/-._~:!$&'()*+,;=@".contains(&byte) {
            text.push(char::from(byte));
        } else {
            text.push_str(&format!("%{byte:02X}"));
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_encoded_is_decoded_and_what_is_broken_is_not() {
        let path = "/Kite Plans/café #1.odt";
        assert_eq!(encoded(path), "/Kite%20Plans/caf%C3%A9%20%231.odt");
        assert_eq!(decoded(&encoded(path)).as_deref(), Some(path));
        for broken in ["%", "%z1", "%e9", "a%2"] {
            assert_eq!(decoded(broken), None, "{broken}");
        }
    }
}
