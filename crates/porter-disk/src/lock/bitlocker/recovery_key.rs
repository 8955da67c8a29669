//! The recovery key: 48 digits in eight groups, each of which is divisible by 11.

use crate::lock::LockError;
use zeroize::Zeroizing;

const GROUPS: usize = 8;
const DIGITS: usize = 6;

/// The 16 bytes of a recovery key, however its groups are set apart. None if the text is none: a passphrase.
///
/// Fails if it is one, and a group of it cannot be right.
pub(super) fn from_text(text: &str) -> Result<Option<Zeroizing<[u8; 16]>>, LockError> {
    let is_one = text.trim().chars().all(|c| c.is_ascii_digit() || c == '-' || c.is_whitespace());
    let digits: Zeroizing<Vec<u8>> = Zeroizing::new(text.bytes().filter(u8::is_ascii_digit).collect());
    if !is_one || digits.len() != GROUPS * DIGITS {
        return Ok(None);
    }
    let mut key = Zeroizing::new([0; 16]);
    for (number, group) in digits.chunks_exact(DIGITS).enumerate() {
        let value = group.iter().fold(0_u32, |value, digit| value * 10 + u32::from(digit - b'0'));
        let part = u16::try_from(value / 11).ok().filter(|_| value.is_multiple_of(11));
        let part = part.ok_or(LockError::Mistyped { group: number + 1 })?;
        key[2 * number..2 * number + 2].copy_from_slice(&part.to_le_bytes());
    }
    Ok(Some(key))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mistyped_group_is_named_and_a_passphrase_is_not_taken_for_a_key() {
        let key = "000011-000022-720885-111111-222222-333333-444444-555555";
        let bytes = from_text(key).unwrap().unwrap();
        assert_eq!(bytes[..6], [1, 0, 2, 0, 0xff, 0xff]);
        assert_eq!(from_text(&key.replace('-', " ")).unwrap().as_deref(), Some(&*bytes));
        let mistyped = key.replace("000022", "000023");
        assert_eq!(from_text(&mistyped).map(|_| ()), Err(LockError::Mistyped { group: 2 }));
        // Divisible, and larger than any part.
        let mistyped = key.replace("720885", "720896");
        assert_eq!(from_text(&mistyped).map(|_| ()), Err(LockError::Mistyped { group: 3 }));
        for passphrase in ["forty kites at four", "123456", ""] {
            assert!(from_text(passphrase).unwrap().is_none());
        }
    }
}
