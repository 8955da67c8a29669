//! Property lists of a stranger's machine: binary, XML or plain text, read within bounds.
//!
//! A list that is nested without end exhausts the stack of whoever builds it, and in a binary one a few bytes can stand for many: lists that
//! hold each other twice over double with every step.

use crate::FormatError;
use plist::Value;
use plist::stream::{Event, Reader};
use std::io::Cursor;

const FORMAT: &str = "property list";
/// No real list is nested more deeply.
const DEEPEST: usize = 200;
/// So many times its own length a list may become when it is unfolded: keys are written once and referred to.
const MOST_TIMES_LARGER: usize = 64;
/// Short lists may.
const ALWAYS_ALLOWED_IN_BYTES: usize = 64 << 10;

/// Reads a list.
pub fn from_bytes(file: &[u8]) -> Result<Value, FormatError> {
    let mut room_in_bytes = file.len().saturating_mul(MOST_TIMES_LARGER).max(ALWAYS_ALLOWED_IN_BYTES);
    let mut depth = 0_usize;
    let mut refused = None;
    let events = Reader::new(Cursor::new(file)).take_while(|event| {
        let Ok(event) = event else { return true };
        let size_in_bytes = match event {
            Event::StartArray(_) | Event::StartDictionary(_) => {
                depth += 1;
                1
            }
            Event::EndCollection => {
                depth = depth.saturating_sub(1);
                0
            }
            Event::Data(data) => 1 + data.len(),
            Event::String(text) => 1 + text.len(),
            _ => 1,
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
