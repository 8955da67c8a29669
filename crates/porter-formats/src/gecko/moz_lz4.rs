//! One LZ4 block behind `mozLz40`, a zero byte, and the length of what was compressed (4 bytes,
//! little-endian).

use crate::FormatError;

const MAGIC: &[u8; 8] = b"mozLz40\0";
const FORMAT: &str = "mozLz4 file";
/// No session is larger; a file that says so lies.
const LARGEST_IN_BYTES: usize = 512 << 20;

/// Decompresses the file.
pub fn unpacked(file: &[u8]) -> Result<Vec<u8>, FormatError> {
    let (Some(magic), Some(length), Some(block)) = (file.get(..8), file.get(8..12), file.get(12..)) else {
        return Err(FormatError::damaged(FORMAT, format!("{} bytes, too short for its head", file.len())));
    };
    if magic != MAGIC {
        return Err(FormatError::damaged(FORMAT, "it does not begin with mozLz40"));
    }
    let length = length.iter().rev().fold(0, |number, byte| number << 8 | usize::from(*byte));
    // LZ4 makes nothing more than 255 times larger.
    if length > LARGEST_IN_BYTES || length > block.len().saturating_mul(255) {
        return Err(FormatError::damaged(FORMAT, format!("{length} bytes from {}", block.len())));
    }
    lz4_flex::block::decompress(block, length).map_err(|cause| FormatError::damaged(FORMAT, cause))
}

/// Such a file.
pub fn packed(content: &[u8]) -> Vec<u8> {
    let length = u32::try_from(content.len()).unwrap_or(u32::MAX);
    [&MAGIC[..], &length.to_le_bytes(), &lz4_flex::block::compress(content)].concat()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_packed_is_unpacked_and_lies_are_refused() {
        let content = b"{\"windows\":[{\"tabs\":[]}]}".repeat(50);
        let file = packed(&content);
        assert_eq!(unpacked(&file).unwrap(), content);
        for length in 0..file.len() {
            let _ = unpacked(&file[..length]);
        }
        let mut lying = file;
        lying[8..12].copy_from_slice(&u32::MAX.to_le_bytes());
        assert!(unpacked(&lying).is_err() && unpacked(b"mozLz41\0\0\0\0\0x").is_err());
    }
}
