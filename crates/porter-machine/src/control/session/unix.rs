//! Only Windows has such sessions.

use crate::setting::windows::tell::Tell;

pub(super) fn is_of_session(_owner: &str) -> bool {
    false
}

pub(super) fn tell(_owner: &str, _tell: Tell) {}
