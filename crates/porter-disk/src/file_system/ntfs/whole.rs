//! Structures that the file system writes sector by sector: each sector ends in a mark, which shows whether
//! all of them were written.

use crate::numbers::le_u16;

/// Each stretch of this length has a mark at its end, whatever the size of the drive's sectors is.
const STRIDE: usize = 512;

/// Puts the true bytes back in place of the marks. None if the bytes do not begin with the signature, or were
/// only half written.
pub(super) fn restored(mut bytes: Vec<u8>, signature: &[u8; 4]) -> Option<Vec<u8>> {
    if !bytes.starts_with(signature) {
        return None;
    }
    let marks_at = usize::from(le_u16(&bytes, 4)?);
    let marks = usize::from(le_u16(&bytes, 6)?);
    if marks != bytes.len() / STRIDE + 1 {
        return None;
    }
    let mark: [u8; 2] = *bytes.get(marks_at..)?.first_chunk()?;
    for stride in 1..marks {
        let truth: [u8; 2] = *bytes.get(marks_at + 2 * stride..)?.first_chunk()?;
        let end = bytes.get_mut(stride * STRIDE - 2..stride * STRIDE)?;
        if end != mark {
            return None;
        }
        end.copy_from_slice(&truth);
    }
    Some(bytes)
}
