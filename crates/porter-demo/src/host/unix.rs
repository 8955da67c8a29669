//! Unix: marks are kept as Samba and Wine keep Windows' attribute bits.

use rustix::fs::{AtFlags, CWD, Timespec, Timestamps, XattrFlags};
use std::io;
use std::path::Path;
use time::OffsetDateTime;

pub(crate) fn make_link(target: &str, at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(target, at)
}

/// File systems that keep no marks stay without.
pub(crate) fn mark_hidden(path: &Path, as_system: bool) {
    let bits = if as_system { "0x6" } else { "0x2" };
    let _ = rustix::fs::lsetxattr(path, "user.DOSATTRIB", bits.as_bytes(), XattrFlags::empty());
}

pub(crate) fn set_folder_time(folder: &Path, modified_utc: OffsetDateTime) -> io::Result<()> {
    let time = Timespec { tv_sec: modified_utc.unix_timestamp(), tv_nsec: modified_utc.nanosecond().into() };
    let times = Timestamps { last_access: time, last_modification: time };
    Ok(rustix::fs::utimensat(CWD, folder, &times, AtFlags::empty())?)
}
