//! Property lists of a stranger's machine: binary, XML or plain text, read within bounds.
//!
//! A list that is nested without end exhausts the stack of the program that builds it, and in a binary one a
//! few bytes can stand for many: lists that hold each other twice over double with every step.

use crate::FormatError;
use plist::Value;
use plist::stream::{Event, Reader};
use std::io::Cursor;

const FORMAT: &str = "property list";
/// No real list is nested more deeply.
const DEEPEST: usize = 200;
/// The limit of memory for an unfolded list, in multiples of its own length: keys are written once and
/// referred to many times.
const MOST_TIMES_LARGER: usize = 64;
/// Short lists may.
const ALWAYS_ALLOWED_IN_BYTES: usize = 1 << 20;
/// No real list takes more.
const NEVER_ALLOWED_IN_BYTES: usize = 256 << 20;
/// The memory of one value, with its place in its list, however short it is in the file.
const VALUE_IN_BYTES: usize = 2 * size_of::<Value>();

/// Reads a list.
pub fn from_bytes(file: &[u8]) -> Result<Value, FormatError> {
    let room_in_bytes = file.len().saturating_mul(MOST_TIMES_LARGER);
    let mut room_in_bytes = room_in_bytes.clamp(ALWAYS_ALLOWED_IN_BYTES, NEVER_ALLOWED_IN_BYTES);
    let mut depth = 0_usize;
    let mut refused = None;
    let events = Reader::new(Cursor::new(file)).take_while(|event| {
        let Ok(event) = event else { return true };
        let size_in_bytes = match event {
            Event::StartArray(_) | Event::StartDictionary(_) => {
                depth += 1;
                VALUE_IN_BYTES
            }
            Event::EndCollection => {
                depth = depth.saturating_sub(1);
                0
            }
            Event::Data(data) => VALUE_IN_BYTES + data.len(),
            Event::String(text) => VALUE_IN_BYTES + text.len(),
            _ => VALUE_IN_BYTES,
        };
        if depth > DEEPEST {
            refused = Some(format!("lists more than {DEEPEST} deep"));
        } else if size_in_bytes > room_in_bytes {
            refused = Some("it becomes too large when it is unfolded".to_owned());
        } else {
            room_in_bytes -= size_in_bytes;
        }
        refused.is_none()
    });
    let built = Value::from_events(events);
    match refused {
        Some(why) => Err(FormatError::damaged(FORMAT, why)),
        None => built.map_err(|cause| FormatError::damaged(FORMAT, cause)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A binary list whose root holds one and the same list many times, and that one as many numbers.
    fn unfolding(times: u16) -> Vec<u8> {
        let count = times.to_be_bytes();
        let mut file = b"bplist00".to_vec();
        let mut offsets = Vec::new();
        for inner in [1_u8, 2] {
            offsets.push(u16::try_from(file.len()).unwrap());
            file.extend([0xaf, 0x11, count[0], count[1]]);
            file.extend(std::iter::repeat_n(inner, times.into()));
        }
        offsets.push(u16::try_from(file.len()).unwrap());
        file.extend([0x10, 7]);
        let table = file.len() as u64;
        file.extend(offsets.iter().flat_map(|offset| offset.to_be_bytes()));
        file.extend([0, 0, 0, 0, 0, 0, 2, 1]);
        for number in [3, 0, table] {
            file.extend(u64::to_be_bytes(number));
        }
        file
    }

    #[test]
    fn what_unfolds_into_more_than_its_length_warrants_is_refused_before_it_takes_memory() {
        let small = from_bytes(&unfolding(20)).unwrap();
        assert_eq!(small.as_array().unwrap()[19].as_array().unwrap().len(), 20);
        // 60 KB that stand for 900 million numbers.
        let refused = from_bytes(&unfolding(30_000)).unwrap_err();
        assert!(refused.to_string().contains("too large"), "{refused}");
    }
}
