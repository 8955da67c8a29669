//! Bytes that are text, in the encodings that Windows' programs write.

/// UTF-16 without a mark. Half a letter at the end is passed by.
pub fn utf16(bytes: &[u8]) -> String {
    let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    String::from_utf16_lossy(&units)
}

/// UTF-16 with its mark, or else UTF-8.
pub fn by_mark(file: &[u8]) -> String {
    match file {
        [0xff, 0xfe, rest @ ..] => utf16(rest),
        [0xef, 0xbb, 0xbf, rest @ ..] => String::from_utf8_lossy(rest).into_owned(),
        file => String::from_utf8_lossy(file).into_owned(),
    }
}

/// The code page of Western systems. Text of another one is read as far as its letters are the same.
pub fn western(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| char::from(*byte)).collect()
}
