//! By `errno(3)`.

use super::SystemTrouble;
use rustix::io::Errno;
use std::io;

pub(crate) fn trouble_by_system_code(cause: &io::Error) -> Option<SystemTrouble> {
    match Errno::from_io_error(cause)? {
        Errno::IO | Errno::STALE => Some(SystemTrouble::Medium),
        // The last is what a file system in user space says when its program ended.
        Errno::NXIO | Errno::NODEV | Errno::NOTCONN | Errno::NOMEDIUM => Some(SystemTrouble::DriveGone),
        Errno::LOOP => Some(SystemTrouble::IsLink),
        _ => None,
    }
}
