//! Windows' names are UTF-16 that may be ill-formed; we keep them as WTF-8, which is described at
//! <https://wtf-8.codeberg.page/>.

/// The units of a name as Windows' structures hold it: pairs of bytes, the lower one first.
pub fn units(bytes: &[u8]) -> impl Iterator<Item = u16> {
    bytes.as_chunks().0.iter().map(|pair| u16::from_le_bytes(*pair))
}

/// The same name in bytes: UTF-8, and a single half of a pair as the three bytes that its number would have.
pub fn from_utf16(units: impl IntoIterator<Item = u16>) -> Vec<u8> {
    let mut bytes = Vec::new();
    for unit in char::decode_utf16(units) {
        match unit {
            Ok(c) => bytes.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
            Err(lone) => {
                let unit = lone.unpaired_surrogate();
                bytes.push(0xe0 | (unit >> 12) as u8);
                bytes.push(0x80 | ((unit >> 6) & 0x3f) as u8);
                bytes.push(0x80 | (unit & 0x3f) as u8);
            }
        }
    }
    bytes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_are_joined_and_single_halves_kept() {
        let kite = "Kite 🪁 é".encode_utf16();
        assert_eq!(from_utf16(kite), "Kite 🪁 é".as_bytes());
        assert_eq!(from_utf16([0x41, 0xd83e, 0x42]), [0x41, 0xed, 0xa0, 0xbe, 0x42]);
    }
}
