//! Troubles that only the system's own error numbers identify.

#[cfg(unix)]
#[path = "system_trouble/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "system_trouble/windows.rs"]
mod system;

pub(crate) use system::trouble_by_system_code;

/// Classes that only the system's own error numbers distinguish.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SystemTrouble {
    Medium,
    DriveGone,
    #[cfg_attr(unix, allow(dead_code, reason = "Unix lets everyone read a file that a program has open"))]
    InUse,
    IsLink,
    #[cfg_attr(unix, allow(dead_code, reason = "only Windows' own drivers know clouds"))]
    CloudOnly,
}
