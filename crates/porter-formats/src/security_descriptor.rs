//! Who may do what, as Windows keeps it: a self-relative security descriptor ([MS-DTYP] 2.4.6), of which the
//! list of rights alone is read and written.

use crate::FormatError;

const WHAT: &str = "a list of rights";
/// The list is there; all is in one piece ([MS-DTYP] 2.4.6, control).
const DACL_PRESENT: u16 = 0x0004;
const SELF_RELATIVE: u16 = 0x8000;
const HEADER_IN_BYTES: usize = 20;
/// Types of entries.
const ALLOWED: u8 = 0;
const DENIED: u8 = 1;
/// No SID has more parts ([MS-DTYP] 2.4.2.2).
const MOST_PARTS: usize = 15;

/// One entry of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Right {
    /// The one who has it: `S-1-5-32-544`.
    pub sid: String,
    /// The deeds, as bits.
    pub mask: u32,
    /// True if it is forbidden.
    pub is_denied: bool,
}

/// The entries of a descriptor, in their order. None if it has no list at all, which lets everybody do
/// everything.
pub fn rights_in(bytes: &[u8]) -> Result<Option<Vec<Right>>, FormatError> {
    let wrong = |detail: &str| FormatError::damaged(WHAT, detail);
    let word = |at: usize| number(bytes, at, 2).ok_or_else(|| wrong("it is too short"));
    let long = |at: usize| number(bytes, at, 4).ok_or_else(|| wrong("it is too short"));
    if bytes.first() != Some(&1) {
        return Err(wrong("it begins otherwise"));
    }
    let control = word(2)? as u16;
    let list = long(16)? as usize;
    if control & SELF_RELATIVE == 0 {
        return Err(wrong("it is not in one piece"));
    }
    if control & DACL_PRESENT == 0 || list == 0 {
        return Ok(None);
    }
    let mut at = list.checked_add(8).ok_or_else(|| wrong("its list is nowhere"))?;
    let mut rights = Vec::new();
    for _ in 0..word(list + 4)? {
        let (kind, size) =
            (*bytes.get(at).ok_or_else(|| wrong("an entry is behind its end"))?, word(at + 2)? as usize);
        let entry = bytes.get(at..at + size).ok_or_else(|| wrong("an entry is longer than it"))?;
        let mask = number(entry, 4, 4).ok_or_else(|| wrong("an entry is too short"))?;
        let sid = sid_in(entry.get(8..).unwrap_or_default())
            .ok_or_else(|| wrong("somebody in it has no number"))?;
        match kind {
            ALLOWED | DENIED => rights.push(Right { sid, mask, is_denied: kind == DENIED }),
            other => return Err(wrong(&format!("an entry of the type {other}"))),
        }
        at += size;
    }
    Ok(Some(rights))
}

/// The descriptor with these entries. None if one of the numbers is none.
pub fn with_rights(rights: &[Right]) -> Option<Vec<u8>> {
    let mut list = Vec::new();
    for Right { sid, mask, is_denied } in rights {
        let sid = sid_bytes(sid)?;
        let size = u16::try_from(8 + sid.len()).ok()?;
        list.extend([if *is_denied { DENIED } else { ALLOWED }, 0]);
        list.extend(size.to_le_bytes());
        list.extend(mask.to_le_bytes());
        list.extend(sid);
    }
    let mut bytes = vec![1, 0];
    bytes.extend((DACL_PRESENT | SELF_RELATIVE).to_le_bytes());
    bytes.extend([0; 12]);
    bytes.extend((HEADER_IN_BYTES as u32).to_le_bytes());
    bytes.extend([2, 0]);
    bytes.extend(u16::try_from(8 + list.len()).ok()?.to_le_bytes());
    bytes.extend(u16::try_from(rights.len()).ok()?.to_le_bytes());
    bytes.extend([0; 2]);
    bytes.extend(list);
    Some(bytes)
}

fn number(bytes: &[u8], at: usize, length: usize) -> Option<u32> {
    let of_number = bytes.get(at..at.checked_add(length)?)?;
    Some(of_number.iter().rev().fold(0, |number, byte| number << 8 | u32::from(*byte)))
}

/// `S-1-5-32-544` of its bytes.
fn sid_in(bytes: &[u8]) -> Option<String> {
    let (&[revision, count, ref authority @ ..], rest) = bytes.split_at_checked(8)? else { return None };
    let parts = rest.get(..usize::from(count) * 4)?.chunks_exact(4);
    if revision != 1 || usize::from(count) > MOST_PARTS {
        return None;
    }
    let authority = authority.iter().fold(0_u64, |number, byte| number << 8 | u64::from(*byte));
    let parts = parts.filter_map(|part| Some(format!("-{}", number(part, 0, 4)?)));
    Some(format!("S-1-{authority}{}", parts.collect::<String>()))
}

fn sid_bytes(sid: &str) -> Option<Vec<u8>> {
    let mut numbers = sid.strip_prefix("S-1-")?.split('-');
    let authority: u64 = numbers.next()?.parse().ok().filter(|number| *number < 1 << 48)?;
    let parts: Vec<u32> = numbers.map(|part| part.parse().ok()).collect::<Option<_>>()?;
    if parts.len() > MOST_PARTS {
        return None;
    }
    let mut bytes = vec![1, parts.len() as u8];
    bytes.extend(&authority.to_be_bytes()[2..]);
    bytes.extend(parts.iter().flat_map(|part| part.to_le_bytes()));
    Some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rights_are_the_same_after_they_were_written_and_damage_is_said() {
        let right = |sid: &str, mask: u32, is_denied: bool| Right { sid: sid.to_owned(), mask, is_denied };
        let rights = [
            right("S-1-5-21-1004336348-1177238915-682003330-1001", 0x1f_01ff, true),
            right("S-1-1-0", 0x12_00a9, false),
            right("S-1-5-32-544", 0x1f_01ff, false),
        ];
        let bytes = with_rights(&rights).unwrap();
        assert_eq!(rights_in(&bytes).unwrap(), Some(rights.to_vec()));
        // As Windows writes `O:BAG:BAD:(A;;0x1200a9;;;WD)`: owner and group stand before the list.
        let owner = b"\x01\x02\0\0\0\0\0\x05\x20\0\0\0\x20\x02\0\0";
        let list = b"\x02\0\x1c\0\x01\0\0\0\0\0\x14\0\xa9\0\x12\0\x01\x01\0\0\0\0\0\x01\0\0\0\0";
        let whole =
            [&b"\x01\0\x04\x80\x14\0\0\0\x24\0\0\0\0\0\0\0\x34\0\0\0"[..], owner, owner, list].concat();
        assert_eq!(rights_in(&whole).unwrap(), Some(vec![right("S-1-1-0", 0x12_00a9, false)]));
        assert_eq!(rights_in(b"\x01\0\0\x80\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0").unwrap(), None);
        for end in 0..whole.len() {
            let _ = rights_in(&whole[..end]);
        }
        for (at, value) in [(0, 2), (3, 0), (16, 0xff), (56, 9), (60, 9), (62, 0xff), (69, 0xff)] {
            let mut damaged = whole.clone();
            damaged[at] = value;
            assert!(rights_in(&damaged).is_err(), "{at}");
        }
        for sid in ["", "S-1-", "S-1-5-x", "S-2-5-1", "S-1-5-99999999999"] {
            assert_eq!(with_rights(&[right(sid, 1, false)]), None, "{sid}");
        }
    }
}
