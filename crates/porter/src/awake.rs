//! Keeping the machine awake while a long command works.

#[cfg(unix)]
#[path = "awake/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "awake/windows.rs"]
mod system;

/// As long as it lives, the machine does not fall asleep by itself. Where the system cannot promise that, it may.
pub(crate) struct Awake {
    _kept: system::Kept,
}

/// Keeps the machine awake.
pub(crate) fn keep() -> Awake {
    Awake { _kept: system::keep() }
}
