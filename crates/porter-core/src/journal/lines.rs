//! The lines of a journal, as they are written: nothing is made of them here.

use std::io::{self, BufRead, Read};

/// The longest line that porter writes. A longer one has no meaning to us, so only this much of it is kept in
/// memory.
pub(crate) const LONGEST_IN_BYTES: u64 = 16 << 20;

/// Reads the next line into `line`, without its end, and says how long it is with it. None after the last
/// one: a line without its end was cut off by a power failure, and is left out.
pub(crate) fn next_line(from: &mut impl BufRead, line: &mut Vec<u8>) -> io::Result<Option<u64>> {
    line.clear();
    let mut length_in_bytes = from.by_ref().take(LONGEST_IN_BYTES).read_until(b'\n', line)? as u64;
    if line.pop_if(|last| *last == b'\n').is_some() {
        return Ok(Some(length_in_bytes));
    }
    if length_in_bytes < LONGEST_IN_BYTES {
        return Ok(None);
    }
    line.clear();
    length_in_bytes += from.skip_until(b'\n')? as u64;
    Ok(Some(length_in_bytes))
}
