//! Calls to the system that a demo machine is built on.

#[cfg(unix)]
#[path = "host/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host/windows.rs"]
mod system;

pub(crate) use system::{make_link, mark_hidden, set_folder_time};
